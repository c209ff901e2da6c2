//! A speed without figures was measured.

use super::super::{AdviceContext, Warning};

pub fn unlabelled(look: &AdviceContext<'_>) -> Vec<Warning> {
    let (setting, driver) = (look.setting, look.context.driver(look.setting));
    let Some(speed) = &setting.buffer.speed else { return Vec::new() };
    let mut measured = driver.measured.iter();
    if measured.any(|m| m.rate_hz == setting.rate && m.speed.as_ref() == Some(speed)) {
        return Vec::new();
    }
    let (interface, guess) = (setting.interface, setting.buffer.block);
    vec![Warning::UnlabelledSpeed { interface, speed: speed.clone(), guess }]
}
