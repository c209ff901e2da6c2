//! A rig and a session that belong together, read and checked; and the cores that work on them.

use crate::shared::answer::Files;
use crate::shared::catalogue::UserCatalogue;
use crate::shared::failure::Failure;
use crate::shared::lookup::pick;
use crate::shared::options::CatalogueFile;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use rayon::prelude::*;
use std::path::Path;
use std::time::{Duration, Instant};
use swiftloop_core::catalogue::Used;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::notes::{Note, NoteLesson, learn};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::{Phase, Session};
use swiftloop_files::{read_notes, read_rig, read_session_weighed, tables};
use swiftloop_host::soak::today;
use swiftloop_units::ids::{InterfaceId, PhaseId};
use swiftloop_units::workers::Workers;

/// A rig and a session that belong together.
pub struct Project {
    pub rig: Rig,
    pub session: Session,
    pub rigs: Rigs,
    /// What was noted beside the session.
    pub noted: Noted,
    pub files: Files,
    /// What became of each processor that says what it is.
    pub weighed: Vec<Used>,
}

/// Notes, what they tell, and how things stood without them.
pub struct Noted {
    pub notes: Vec<Note>,
    pub told: Vec<NoteLesson>,
    pub before: Option<(Session, Rigs)>,
}

impl Project {
    pub fn read(rig_file: &Path, session_file: &Path, catalogue: &CatalogueFile) -> Result<Self, Failure> {
        let rig = read_rig(rig_file, tables())?;
        let known = UserCatalogue::read(catalogue)?.catalogue;
        let (session, weighed) = read_session_weighed(session_file, &rig, tables(), &known)?;
        let notes = read_notes(session_file, (&rig, &session), &today())?;
        let name = |path: &Path| path.display().to_string();
        let files = Files {
            rig: name(rig_file),
            session: name(session_file),
            catalogue: catalogue.catalogue.as_deref().map(name),
        };
        Ok(Self { weighed, ..Self::with_notes(rig, session, notes, files) })
    }

    /// With what these notes teach.
    pub fn with_notes(rig: Rig, session: Session, notes: Vec<Note>, files: Files) -> Self {
        if notes.is_empty() {
            let noted = Noted { notes, told: Vec::new(), before: None };
            return Self { rig, session, rigs: Rigs::default(), noted, files, weighed: Vec::new() };
        }
        let learned = learn(tables(), &rig, &session, &notes);
        let noted = Noted { notes, told: learned.told, before: Some((session, Rigs::default())) };
        Self { rig, session: learned.session, rigs: learned.rigs, noted, files, weighed: Vec::new() }
    }

    /// The session as it is written: what notes taught is learned anew from there.
    pub fn written(&self) -> &Session {
        self.noted.before.as_ref().map_or(&self.session, |(session, _)| session)
    }

    /// As if nothing had been noted; nothing where nothing was.
    pub fn before_notes(&self) -> Option<Context<'_>> {
        let (session, rigs) = self.noted.before.as_ref()?;
        Some(Context { tables: tables(), rig: &self.rig, session, rigs })
    }

    pub fn context(&self) -> Context<'_> {
        Context { tables: tables(), rig: &self.rig, session: &self.session, rigs: &self.rigs }
    }

    /// Ids of all interfaces.
    pub fn interfaces(&self) -> Vec<&str> {
        self.rig.interfaces.iter().map(|i| i.id.as_str()).collect()
    }

    /// Ids of all phases.
    pub fn phases(&self) -> Vec<&str> {
        self.session.phases.iter().map(|p| p.id()).collect()
    }

    /// Position of the only interface that is meant for a phase.
    fn only_interface_of(&self, phase: Option<&str>) -> Option<usize> {
        let phase = self.session.phases.iter().find(|p| Some(p.id()) == phase)?;
        match phase.interfaces.as_deref() {
            Some([only]) => self.rig.interfaces.iter().position(|i| i.id == *only),
            Some(_) | None => None,
        }
    }

    /// The interface and phase that were asked for, or the only ones there are. Any phase may be asked for on any
    /// interface; only the one that is taken unasked is among those meant for it.
    pub fn place(
        &self,
        interface: Option<&str>,
        phase: Option<&str>,
    ) -> Result<(InterfaceId, PhaseId), Failure> {
        if let Some(asked) = phase {
            pick("phase", Some(asked), &self.phases())?;
        }
        let interface = InterfaceId::from(match (interface, self.only_interface_of(phase)) {
            (None, Some(only)) => only,
            (asked, _) => pick("interface", asked, &self.interfaces())?,
        });
        let id = &self.rig.interface(interface).id;
        let meant = |p: &Phase| p.interfaces.as_ref().is_none_or(|all| all.contains(id));
        let on_it: Vec<PhaseId> =
            self.session.phase_ids().filter(|(_, p)| meant(p)).map(|(at, _)| at).collect();
        match (phase, on_it.as_slice()) {
            (None, [one]) => Ok((interface, *one)),
            (asked, _) => Ok((interface, PhaseId::from(pick("phase", asked, &self.phases())?))),
        }
    }
}

/// All cores of this computer, with the progress on a terminal once it takes longer than a moment.
pub struct PlanningBar {
    bar: ProgressBar,
    since: Instant,
}

impl PlanningBar {
    /// While something is planned.
    pub fn planning() -> Self {
        let bar = ProgressBar::with_draw_target(Some(0), ProgressDrawTarget::hidden());
        let style = ProgressStyle::with_template("planning {bar:40} {pos} of {len}");
        bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
        Self { bar, since: Instant::now() }
    }

    fn done(&self) {
        const A_MOMENT: Duration = Duration::from_secs(1);
        self.bar.inc(1);
        if self.bar.is_hidden() && self.since.elapsed() > A_MOMENT {
            self.bar.set_draw_target(ProgressDrawTarget::stderr());
        }
    }
}

impl Drop for PlanningBar {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}

impl Workers for PlanningBar {
    fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R> {
        self.bar.inc_length(items.len() as u64);
        AllCores.map(items, |item| {
            let result = each(item);
            self.done();
            result
        })
    }
}

/// All cores of this computer.
pub struct AllCores;

impl Workers for AllCores {
    fn map<T: Send, R: Send>(&self, items: Vec<T>, each: impl Fn(T) -> R + Sync + Send) -> Vec<R> {
        items.into_par_iter().map(each).collect()
    }
}
