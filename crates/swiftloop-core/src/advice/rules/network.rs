//! Where a phase is played over a network and no far side is described, the way there is not part of the loops.

use super::super::{AdviceContext, Warning};

pub fn not_counted(look: &AdviceContext<'_>) -> Vec<Warning> {
    let described = !look.context.session.fars_in(look.phase, look.context.rig).is_empty();
    if look.phase.kind == crate::session::REMOTE && !described {
        vec![Warning::NetworkNotCounted]
    } else {
        Vec::new()
    }
}
