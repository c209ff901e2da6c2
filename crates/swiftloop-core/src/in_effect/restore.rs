//! The way home: what was put stands in a journal, a line before each step and one after it; lines come in, in the order in
//! which they were written, and for each step that is still in effect its fate goes out. Only what is still as
//! we left it is ours to put back; what somebody changed meanwhile stays, and is told.

use super::Tunable;
use serde::{Deserialize, Serialize};

/// A line of the journal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "entry", rename_all = "kebab-case")]
pub enum JournalLine {
    Begun {
        /// Always `swiftloop.journal/1`.
        format: String,
        /// Which start of the computer it was.
        boot: String,
        phase: String,
        interface: String,
    },
    /// A step is about to be taken.
    Intends {
        step: u32,
        #[serde(flatten)]
        lever: Tunable,
        before: String,
        /// What it shall be.
        to: String,
    },
    /// It was taken, and reads so.
    Did { step: u32, is: String },
    /// It was not taken.
    Failed { step: u32 },
    /// Somebody said that all is well.
    Confirmed,
    /// A step is put back, or is no longer ours.
    Over { step: u32 },
}

/// A step that may be in effect.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct JournalStage {
    pub step: u32,
    pub lever: Tunable,
    pub before: String,
    /// What it was set to.
    pub to: String,
    /// What it read then; nothing when nobody came to read it.
    pub is: Option<String>,
}

/// What a journal amounts to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Journal {
    /// Which start of the computer it was.
    pub boot: String,
    /// Phase and interface that were put last.
    pub last: Option<(String, String)>,
    /// Steps that may be in effect, in order.
    pub stages: Vec<JournalStage>,
    /// The highest number of a step.
    pub steps: u32,
    /// Somebody said that all is well.
    pub confirmed: bool,
}

/// What becomes of a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepFate {
    /// It is put back.
    PutBack,
    /// It is as before already.
    Back,
    /// Somebody else changed it meanwhile.
    Theirs {
        /// What it is now.
        is: String,
    },
    /// It is not there any more.
    Gone,
}

impl Journal {
    #[must_use]
    pub fn of(lines: impl IntoIterator<Item = JournalLine>) -> Self {
        let mut journal = Self::default();
        for line in lines {
            journal.add(line);
        }
        journal
    }

    pub fn add(&mut self, line: JournalLine) {
        match line {
            JournalLine::Begun { boot, phase, interface, .. } => {
                self.boot = boot;
                self.last = Some((phase, interface));
                self.confirmed = false;
            }
            JournalLine::Intends { step, lever, before, to } => {
                self.steps = self.steps.max(step);
                self.stages.push(JournalStage { step, lever, before, to, is: None });
            }
            JournalLine::Did { step, is } => {
                if let Some(stage) = self.stages.iter_mut().find(|s| s.step == step) {
                    stage.is = Some(is);
                }
            }
            JournalLine::Failed { step } | JournalLine::Over { step } => {
                self.stages.retain(|s| s.step != step);
            }
            JournalLine::Confirmed => self.confirmed = true,
        }
    }
}

/// What becomes of a step where its lever reads `now`, or is not there.
#[must_use]
pub fn fate(stage: &JournalStage, now: Option<&str>) -> StepFate {
    let Some(now) = now else { return StepFate::Gone };
    let reads = |value: &str| stage.lever.same(now, value);
    if reads(&stage.before) {
        StepFate::Back
    } else if reads(&stage.to) || stage.is.as_deref().is_some_and(reads) {
        StepFate::PutBack
    } else {
        StepFate::Theirs { is: now.into() }
    }
}
