//! Playing apart: how much delay an ensemble bears, by how sharp attacks are and by the tempo, and what kinds of line there are
//! between a place and the network. Rows of the tables come in; the look-ups are with the others, in [`super::Tables`].

use super::TwoLimits;
use serde::Deserialize;
use swiftloop_units::{Factor, KilobitsPerSecond, Ms, Range};

/// How sharp attacks are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Attack {
    Sharp,
    Medium,
    Slow,
}

/// How much delay from ear to ear an ensemble bears, at a middle tempo.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct EnsembleRow {
    /// How sharp attacks are.
    pub attack: Attack,
    /// Where it is noticed, and where playing in time fails.
    pub limit_ms: TwoLimits,
    pub reason: String,
}

/// What the tempo does to that.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Tempo {
    /// Up to so many beats a minute.
    pub up_to_bpm: f64,
    /// Both figures times this.
    pub times: Factor,
    pub reason: String,
}

/// A kind of line between a place and the network.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LineKind {
    /// Word used in rig files and on the command line.
    pub id: String,
    /// Other words for it.
    #[serde(default)]
    pub also: Vec<String>,
    /// From the computer to the network's first node, one way.
    pub access_ms: Range<Ms>,
    /// The receive buffer that its variation asks for.
    pub buffer_ms: Range<Ms>,
    /// What it carries towards the network.
    pub up_kbit_s: Range<KilobitsPerSecond>,
    /// Where the figures come from.
    pub source: String,
}
