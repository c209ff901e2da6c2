//! The interface has a socket of its own.

use super::super::{AdviceContext, Warning};

pub fn shared(look: &AdviceContext<'_>) -> Vec<Warning> {
    let behind = look.context.interface(look.setting).hub;
    if behind { vec![Warning::Hub(look.setting.interface)] } else { Vec::new() }
}
