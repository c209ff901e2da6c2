//! Nobody plays through a driver that is hopeless for it; and what runs although it is not known to is said.

use super::super::{AdviceContext, Warning};

pub fn not_for_playing(look: &AdviceContext<'_>) -> Vec<Warning> {
    let model = look.context.model(look.setting);
    if model.live || look.phase.performers.is_empty() {
        return Vec::new();
    }
    vec![Warning::NotForPlaying { model: model.name.clone() }]
}

pub fn below_known(look: &AdviceContext<'_>) -> Vec<Warning> {
    if !look.context.is_too_small(look.setting) {
        return Vec::new();
    }
    let model = look.context.model(look.setting);
    let (block, least) = (look.setting.buffer.block, model.smallest_at(look.setting.rate));
    vec![Warning::BelowKnown { block, least, model: model.name.clone() }]
}
