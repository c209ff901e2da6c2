//! Findings: what hurts, how much, how we know, how to mend it, what that risks, how to undo it.

use super::Inventory;
use super::rules;
use serde::Serialize;

/// What a finding costs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Grade {
    /// Audio cannot work as it should until it is mended.
    Severe,
    /// Dropouts or delay, at every session.
    Costly,
    /// Now and then, or a little.
    Mild,
}

impl Grade {
    /// The word used in every output.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Severe => "severe",
            Self::Costly => "costly",
            Self::Mild => "mild",
        }
    }
}

/// Something that hurts audio.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Finding {
    /// Stable word for scripts.
    pub id: &'static str,
    /// What it costs.
    pub grade: Grade,
    /// What is so, in one sentence.
    pub what: String,
    /// What it does to audio.
    pub costs: String,
    /// How we know.
    pub evidence: String,
    /// A command or a step.
    pub cure: String,
    /// What the cure may bring.
    pub risk: String,
    /// How to undo it.
    pub undo: String,
}

/// Everything that hurts, the worst first.
#[must_use]
pub fn findings(inventory: &Inventory) -> Vec<Finding> {
    let mut all: Vec<Finding> = rules::ALL.iter().flat_map(|rule| rule(inventory)).collect();
    all.sort_by_key(|f| f.grade);
    all
}
