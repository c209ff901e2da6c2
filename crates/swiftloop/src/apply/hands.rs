//! The hands that set things: levers of this computer or of a copy, and what is held by a process of ours.

use super::holder;
use crate::shared::failure::Failure;
use crate::shared::in_effect::own_user;
use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::Tunable;
use swiftloop_files::journal_of_user;
use swiftloop_host::tunables::{TunableError, Tunables};

/// Where the journal lies.
pub fn journal_path(root: Option<&Path>) -> Result<PathBuf, Failure> {
    journal_of_user(own_user(), root).ok_or_else(|| {
        Failure::machine(
            "this user has no home folder, so there is no place for the journal, and nothing may be set without it",
            "set HOME, or XDG_STATE_HOME, to a folder of this user's own",
        )
    })
}

/// Tunables, and a place for who is held.
pub struct Hands {
    levers: Tunables,
    holder: PathBuf,
}

impl Hands {
    /// Of this computer, or of a copy; the holder is noted beside the journal.
    pub fn of(root: Option<&Path>, journal: &Path) -> Self {
        let levers = root.map_or_else(Tunables::here, Tunables::of_copy);
        Self { levers, holder: journal.with_extension("holder") }
    }

    /// It is a copy.
    pub fn is_copy(&self) -> bool {
        self.levers.is_copy()
    }

    /// What a lever reads.
    pub fn read(&self, lever: &Tunable) -> Result<String, TunableError> {
        self.levers.read(lever)
    }

    pub fn put(&self, lever: &Tunable, to: &str) -> Result<(), TunableError> {
        if *lever == Tunable::WakeLimit && !self.levers.is_copy() {
            return holder::put(&self.holder, to);
        }
        self.levers.put(lever, to)
    }

    /// Takes away what was left by whoever was cut off.
    pub fn tidy(&self, lever: &Tunable) {
        self.levers.tidy(lever);
    }

    /// Lets go of what is held, whoever else holds it as well.
    pub fn let_go(&self) {
        holder::end(&self.holder);
    }
}
