//! Processors on the main output wait until mixing.

use super::super::{AdviceContext, Warning};
use crate::loops::latencies;
use crate::session::Listens;
use swiftloop_units::Frames;

pub fn delays(look: &AdviceContext<'_>) -> Vec<Warning> {
    let session = look.context.session;
    let latency = latencies(session, look.setting.rate);
    let main = &session.routes().nodes[session.routes().main()];
    let delay: Frames = main.processors().map(|p| latency[p].typical()).sum();
    let on_main = |p: &crate::session::Performer| p.cue == "main" && p.listens != Listens::Direct;
    let heard = session.performers_in(look.phase).any(|(_, p)| on_main(p));
    if session.kind(look.phase_id).finishing || !heard || delay.raw() <= 0.0 {
        return Vec::new();
    }
    vec![Warning::MainDelays { delay, time: delay.at(look.setting.rate) }]
}
