//! Nobody plays through a driver that is hopeless for it.

use super::super::{Look, Warning};

pub fn not_for_playing(look: &Look<'_>) -> Vec<Warning> {
    let model = look.context.model(look.setting);
    if model.live || look.phase.performers.is_empty() {
        return Vec::new();
    }
    vec![Warning::NotForPlaying { model: model.name.clone() }]
}
