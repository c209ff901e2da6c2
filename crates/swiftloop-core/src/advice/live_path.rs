//! What delays a live path: every processor from a live input to what the performers hear, worst first, with
//! its way out. The list people need before a take, and after it to restore.

use crate::loops::{Context, latencies};
use swiftloop_units::ids::{PhaseId, ProcessorId};
use swiftloop_units::{Frames, Hz, Ms};

/// A processor that delays a live path.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SlowProcessor {
    pub processor: ProcessorId,
    pub latency: Frames,
    /// The same in time.
    pub time: Ms,
    /// Its delay in the low-delay mode, if it has one.
    pub low_delay: Option<Frames>,
    /// It is over the phase's threshold.
    pub over_threshold: bool,
}

/// Processors with delay on the live path of `phase`, worst first.
#[must_use]
pub fn slow_on_live_path(context: &Context<'_>, phase: PhaseId, rate: Hz) -> Vec<SlowProcessor> {
    let session = context.session;
    let about = session.phase(phase);
    let live = session.routes().downstream(&session.live_nodes(about));
    let threshold = about.bypass_over_ms.unwrap_or(session.kind(phase).bypass_over_ms);
    let latency = latencies(session, rate);
    let slow = |p: ProcessorId| {
        let (latency, time) = (latency[p].typical(), latency[p].typical().at(rate));
        let low_delay = session.processor(p).low_delay_frames;
        SlowProcessor { processor: p, latency, time, low_delay, over_threshold: time > threshold }
    };
    let on_path =
        |p: &ProcessorId| live[session.routes().processors[*p].node] && latency[*p].typical().raw() > 0.0;
    let mut all: Vec<SlowProcessor> = latency.keys().filter(on_path).map(slow).collect();
    all.sort_by(|a, b| b.latency.raw().total_cmp(&a.latency.raw()));
    all
}
