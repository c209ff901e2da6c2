//! Muted is not off, and off is not unloaded.

use super::super::{AdviceContext, Warning};
use crate::session::State;

pub fn muted(look: &AdviceContext<'_>) -> Vec<Warning> {
    let tracks = look.context.session.track_ids().filter(|(_, t)| t.muted && !t.disabled);
    let still: Vec<_> = tracks.map(|(id, _)| id).collect();
    if still.is_empty() { Vec::new() } else { vec![Warning::MutedComputes(still)] }
}

pub fn bypassed(look: &AdviceContext<'_>) -> Vec<Warning> {
    let session = look.context.session;
    let all = session.routes().processors.keys();
    let off: Vec<_> = all.filter(|&p| session.processor(p).state == State::Off).collect();
    if off.is_empty() { Vec::new() } else { vec![Warning::OffButLoaded(off)] }
}
