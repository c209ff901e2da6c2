//! A measured profile of wake-up delays: a histogram and the generalised Pareto tail fitted to it, with the
//! uncertainty of the fit. A measuring command writes it into the rig file; the risk model reads it.

use super::PowerPlan;
use schemars::JsonSchema;
use serde::Deserialize;
use swiftloop_units::{Factor, Micros, Range, Share};

/// Wake-up delays of a real-time thread on this machine.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WakeProfile {
    /// When it was measured, ISO 8601 date.
    pub date: String,
    /// Wake-ups observed.
    pub wakes: u64,
    /// Histogram, in rising order; each bin counts the wake-ups up to its bound and above the bin before.
    pub bins: Vec<WakeBin>,
    /// Where the fitted tail begins.
    pub threshold_us: Micros,
    /// Share of wake-ups beyond the threshold.
    pub tail_share: Range<Share>,
    /// Shape of the generalised Pareto tail.
    pub shape: Range<Factor>,
    /// Scale of the tail.
    pub scale_us: Range<Micros>,
    /// Standard deviation of the logarithm of execution time.
    pub variation: Option<Range<Factor>>,
    /// Mean run of late blocks in one hiccup (1 when they come alone); the reciprocal of the extremal index.
    pub cluster: Option<Factor>,
    /// Histogram of how long work took beside undisturbed work (1 = as calibrated), in rising order.
    #[serde(default)]
    pub pace: Vec<PaceBin>,
    /// How the pace drifts from second to second: standard deviation of its logarithm.
    pub pace_drift: Option<Factor>,
    /// Speed of one core relative to the reference core, measured at the same time.
    pub core_speed: Option<Factor>,
    /// Power plan under which it was measured (that of the machine when left out).
    pub power: Option<PowerPlan>,
    /// Kernel that ran.
    pub kernel: Option<String>,
    /// How the clocks were governed.
    pub clocks: Option<String>,
    /// The thread had real-time priority.
    pub realtime: Option<bool>,
    /// The processor was held out of deep idle.
    pub held_awake: Option<bool>,
}

/// One bin of the pace.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PaceBin {
    /// Upper bound of the bin.
    pub up_to: Factor,
    /// Blocks in it.
    pub count: u64,
}

/// One bin of the histogram.
#[derive(Debug, Clone, Copy, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct WakeBin {
    /// Upper bound of the bin.
    pub up_to_us: Micros,
    /// Wake-ups in it.
    pub count: u64,
}
