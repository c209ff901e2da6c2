//! The way back, the last step first. What is still as we left it is put back; what is not is told and left alone. A step is
//! over only when it reads as before, so this may be cut off at any instant and begun again.

use super::hands::Hands;
use crate::apply::options::PutBackOptions;
use crate::shared::failure::Failure;
use crate::shared::in_effect::own_user;
use crate::shared::watchdog::stand_by;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::in_effect::{JournalLine, JournalStage, StepFate, Tunable, TunableKind, fate};
use swiftloop_files::JournalFile;
use swiftloop_host::tunables::{TunableError, is_running};

/// A step, and what became of it.
pub struct Returned {
    pub stage: JournalStage,
    pub fate: StepFate,
    /// Why it is not back, where it should be.
    pub why: Option<String>,
}

impl Returned {
    /// It stays in the journal: it is to be tried again.
    pub fn is_open(&self) -> bool {
        self.why.is_some()
    }
}

/// Puts back every step after `after`; nothing where nothing is in effect.
pub fn put_back(journal: &Path, root: Option<&Path>, after: u32) -> Result<Vec<Returned>, Failure> {
    if journal.symlink_metadata().is_err() {
        return Ok(Vec::new());
    }
    let mut file = JournalFile::take(journal, own_user())?;
    let returned = back_with(&Hands::of(root, journal), &mut file, after)?;
    if file.journal.stages.is_empty() {
        file.close()?;
    }
    Ok(returned)
}

/// The same with a journal that is held.
pub fn back_with(hands: &Hands, file: &mut JournalFile, after: u32) -> Result<Vec<Returned>, Failure> {
    let stages: Vec<JournalStage> =
        file.journal.stages.iter().filter(|s| s.step > after).rev().cloned().collect();
    let mut all = Vec::new();
    for stage in stages {
        let returned = step(hands, stage);
        if !returned.is_open() {
            file.write(JournalLine::Over { step: returned.stage.step })?;
        }
        all.push(returned);
    }
    Ok(all)
}

fn step(hands: &Hands, stage: JournalStage) -> Returned {
    let lever = stage.lever.clone();
    hands.tidy(&lever);
    let now = match hands.read(&lever) {
        Ok(now) => Some(now),
        Err(why) if gone(&lever, &why) => None,
        Err(why) => return Returned { stage, fate: StepFate::PutBack, why: Some(why.to_string()) },
    };
    let fate = fate(&stage, now.as_deref());
    if lever == Tunable::WakeLimit {
        // Whoever else holds it holds it still; ours ends in any case.
        hands.let_go();
    }
    if fate != StepFate::PutBack {
        return Returned { stage, fate, why: None };
    }
    let why = match hands.put(&lever, &stage.before).and_then(|()| hands.read(&lever)) {
        Ok(is) if lever.same(&is, &stage.before) => None,
        Ok(is) => Some(format!("it was put back and reads {}", is.trim())),
        Err(why) => Some(why.to_string()),
    };
    Returned { stage, fate, why }
}

/// It is gone for good: a server that nobody runs any more took its settings with it; one that only does not answer here may still
/// have them.
fn gone(lever: &Tunable, why: &TunableError) -> bool {
    let server = match lever {
        Tunable::JackBuffer => "jackd",
        Tunable::ForcedRate
        | Tunable::ForcedBuffer
        | Tunable::Governor { .. }
        | Tunable::MostClock { .. }
        | Tunable::WakeLimit
        | Tunable::IdleOff { .. }
        | Tunable::UsbPower { .. }
        | Tunable::InterruptCores { .. }
        | Tunable::RealtimeShare
        | Tunable::Priority { .. } => "pipewire",
    };
    let lost = why.is_gone() || matches!(why, TunableError::Server(_));
    lost && (lever.kind() != TunableKind::Server || !is_running(server))
}

/// `put-back`: the guard that stands by while things are set.
pub fn put_back_quietly(options: &PutBackOptions) -> Result<ExitCode, Failure> {
    if stand_by()? {
        put_back(&options.journal, options.root.as_deref(), options.after)?;
    }
    Ok(ExitCode::SUCCESS)
}
