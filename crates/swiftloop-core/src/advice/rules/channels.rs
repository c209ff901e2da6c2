//! Only the channels in use are open.

use super::super::{AdviceContext, Warning};
use crate::session::{NodeKind, Source};

/// So many more than are used are no matter.
const SPARE: u32 = 2;

pub fn open(look: &AdviceContext<'_>) -> Vec<Warning> {
    let session = look.context.session;
    let channels = look.context.interface(look.setting).channels;
    let open = channels.open_inputs.unwrap_or(channels.inputs);
    let live =
        session.live_nodes(look.phase).into_iter().filter_map(|n| match session.routes().nodes[n].kind {
            NodeKind::Track(t) => Some(session.track(t)),
            NodeKind::Bus(_) | NodeKind::Main => None,
        });
    let used: u32 = live.filter(|t| t.source == Source::Live).map(|t| t.channels).sum();
    if used == 0 || open <= used + SPARE {
        return Vec::new();
    }
    vec![Warning::OpenChannels { interface: look.setting.interface, open, used }]
}
