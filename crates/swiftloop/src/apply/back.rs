//! The way back, the last step first. What is still as we left it is put back; what is not is told and left alone. A step is
//! over only when it reads as before, so this may be cut off at any instant and begun again.

use super::hands::Hands;
use crate::apply::options::PutBackOptions;
use crate::shared::failure::Failure;
use crate::shared::in_effect::own_user;
use crate::shared::watchdog::stand_by;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::in_effect::{Fate, JournalLine, Lever, LeverKind, Stage, fate};
use swiftloop_files::JournalFile;
use swiftloop_host::levers::{LeverError, is_running};

/// A step, and what became of it.
pub struct Returned {
    pub stage: Stage,
    pub fate: Fate,
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
    let stages: Vec<Stage> = file.journal.stages.iter().filter(|s| s.step > after).rev().cloned().collect();
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

fn step(hands: &Hands, stage: Stage) -> Returned {
    let lever = stage.lever.clone();
    hands.tidy(&lever);
    let now = match hands.read(&lever) {
        Ok(now) => Some(now),
        Err(why) if gone(&lever, &why) => None,
        Err(why) => return Returned { stage, fate: Fate::PutBack, why: Some(why.to_string()) },
    };
    let fate = fate(&stage, now.as_deref());
    if lever == Lever::WakeLimit {
        // Whoever else holds it holds it still; ours ends in any case.
        hands.let_go();
    }
    if fate != Fate::PutBack {
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
fn gone(lever: &Lever, why: &LeverError) -> bool {
    let server = match lever {
        Lever::JackBuffer => "jackd",
        Lever::ForcedRate
        | Lever::ForcedBuffer
        | Lever::Governor { .. }
        | Lever::MostClock { .. }
        | Lever::WakeLimit
        | Lever::IdleOff { .. }
        | Lever::UsbPower { .. }
        | Lever::InterruptCores { .. }
        | Lever::RealtimeShare
        | Lever::Priority { .. } => "pipewire",
    };
    let lost = why.is_gone() || matches!(why, LeverError::Server(_));
    lost && (lever.kind() != LeverKind::Server || !is_running(server))
}

/// `put-back`: the guard that stands by while things are set.
pub fn put_back_quietly(options: &PutBackOptions) -> Result<ExitCode, Failure> {
    if stand_by()? {
        put_back(&options.journal, options.root.as_deref(), options.after)?;
    }
    Ok(ExitCode::SUCCESS)
}
