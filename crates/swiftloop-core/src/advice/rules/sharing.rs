//! A driver that takes the device for itself leaves other programs without sound.

use super::super::{AdviceContext, Warning};

pub fn locked_out(look: &AdviceContext<'_>) -> Vec<Warning> {
    if look.context.is_shared(look.setting) {
        return Vec::new();
    }
    let id = &look.context.interface(look.setting).id;
    let needs_it = look
        .context
        .rig
        .program_ids()
        .filter(|(_, p)| p.sound.as_ref() == Some(id) && p.runs_in(look.phase.id()));
    needs_it
        .map(|(program, _)| Warning::LockedOut {
            program,
            interface: look.setting.interface,
            model: look.context.model(look.setting).name.clone(),
        })
        .collect()
}
