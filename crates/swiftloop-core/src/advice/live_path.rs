//! What delays a live path: every processor from a live input to what the performers hear, worst first, with
//! its way out. The list people need before a take, and after it to restore.

use crate::loops::{Bench, latencies};
use crate::session::Phase;
use crate::units::{Frames, Hz, Ms};

/// A processor that delays a live path.
#[derive(Debug, Clone, PartialEq)]
pub struct SlowProcessor {
    /// Its index in the routing.
    pub processor: usize,
    /// Its id.
    pub id: String,
    /// Its name for people.
    pub title: String,
    /// Its delay.
    pub latency: Frames,
    /// The same in milliseconds.
    pub latency_ms: Ms,
    /// Its delay in the low-delay mode, if it has one.
    pub low_delay: Option<Frames>,
    /// It is over the phase's threshold.
    pub over_threshold: bool,
}

/// Processors with delay on the live path of `phase`, worst first.
#[must_use]
pub fn slow_on_live_path(bench: &Bench<'_>, phase: &Phase, rate: Hz) -> Vec<SlowProcessor> {
    let session = bench.session;
    let cue = session.routes().downstream(&session.live_nodes(phase));
    let kind_limit = bench.tables.phase_kind(&phase.kind).map_or(Ms(f64::INFINITY), |k| k.leave_off_over_ms);
    let threshold = phase.leave_off_over_ms.unwrap_or(kind_limit);
    let latency = latencies(session);
    let mut all: Vec<SlowProcessor> = (0..latency.len())
        .filter(|&p| cue[session.routes().processors[p].0] && latency[p].typical().0 > 0.0)
        .map(|p| {
            let about = session.processor(p);
            let latency = latency[p].typical();
            SlowProcessor {
                processor: p,
                id: about.id.clone(),
                title: about.title().to_string(),
                latency,
                latency_ms: latency.at(rate),
                low_delay: about.low_delay_frames,
                over_threshold: latency.at(rate) > threshold,
            }
        })
        .collect();
    all.sort_by(|a, b| b.latency.0.total_cmp(&a.latency.0));
    all
}
