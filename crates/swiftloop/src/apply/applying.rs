//! Setting things one by one: a line in the journal before each, one after it, and what was set is read again. At every instant the journal on the disk tells all that may have been changed.

use super::hands::Hands;
use crate::shared::failure::Failure;
use std::time::{Duration, Instant};
use swiftloop_core::in_effect::{JournalLine, Put, TunableKind};
use swiftloop_files::JournalFile;
use swiftloop_host::tunables::TunableError;

/// Some things answer late: they are read again for so long.
const LATE: Duration = Duration::from_millis(1500);

/// Something that was set.
pub struct Taken {
    pub put: Put,
    pub before: String,
    /// What it reads now.
    pub is: String,
}

/// Something that was not.
pub struct RefusedPut {
    pub put: Put,
    pub why: String,
}

#[derive(Default)]
pub struct ApplyResult {
    pub taken: Vec<Taken>,
    pub refused: Vec<RefusedPut>,
}

impl Taken {
    /// It reads as it was set.
    pub fn fits(&self) -> bool {
        self.put.lever.same(&self.is, &self.put.to)
    }
}

/// Kinds of things to put, in order, with how many there are of each.
pub fn kinds_of_puts(puts: &[Put]) -> Vec<(TunableKind, usize)> {
    let mut kinds: Vec<(TunableKind, usize)> = Vec::new();
    for put in puts {
        let kind = put.lever.kind();
        match kinds.iter_mut().find(|k| k.0 == kind) {
            Some(known) => known.1 += 1,
            None => kinds.push((kind, 1)),
        }
    }
    kinds
}

/// Puts everything, as far as it goes. What cannot be set is told and passed over; a journal that cannot be written ends it.
pub fn apply(hands: &Hands, journal: &mut JournalFile, puts: &[Put]) -> Result<ApplyResult, Failure> {
    let mut applied = ApplyResult::default();
    for put in puts {
        match step(hands, journal, put)? {
            Ok(taken) => applied.taken.push(taken),
            Err(why) => applied.refused.push(RefusedPut { put: put.clone(), why: why.to_string() }),
        }
    }
    Ok(applied)
}

fn step(hands: &Hands, journal: &mut JournalFile, put: &Put) -> Result<Result<Taken, TunableError>, Failure> {
    let lever = &put.lever;
    let before = match hands.read(lever) {
        Ok(before) => before,
        Err(why) => return Ok(Err(why)),
    };
    // As the system writes it: a file's line ends where it ended.
    let to = if before.ends_with('\n') { format!("{}\n", put.to) } else { put.to.clone() };
    let number = journal.journal.steps + 1;
    let (own, was) = (lever.clone(), before.clone());
    journal.write(JournalLine::Intends { step: number, lever: own, before: was, to: to.clone() })?;
    let done = hands.put(lever, &to);
    let is = read_again(hands, put, &before, done.is_ok());
    match (done, is) {
        (Ok(()), Ok(is)) => {
            journal.write(JournalLine::Did { step: number, is: is.clone() })?;
            Ok(Ok(Taken { put: put.clone(), before, is }))
        }
        // It says no, and nothing has changed.
        (Err(why), Ok(is)) if lever.same(&is, &before) => {
            journal.write(JournalLine::Failed { step: number })?;
            Ok(Err(why))
        }
        (Err(why), Ok(is)) => {
            journal.write(JournalLine::Did { step: number, is })?;
            Ok(Err(why))
        }
        (Err(why), Err(_)) | (Ok(()), Err(why)) => Ok(Err(why)),
    }
}

/// What it reads; again for a while, when it reads as before although it was set.
fn read_again(hands: &Hands, put: &Put, before: &str, was_put: bool) -> Result<String, TunableError> {
    let begun = Instant::now();
    loop {
        let is = hands.read(&put.lever)?;
        let waits = was_put && put.lever.same(&is, before) && !hands.is_copy() && begun.elapsed() < LATE;
        if !waits {
            return Ok(is);
        }
        std::thread::sleep(Duration::from_millis(50));
    }
}
