//! Session and programs fit into memory with room to spare.

use super::super::{AdviceContext, Warning};
use crate::plan::memory_needed;

/// Share of memory beyond which it is tight.
const TIGHT: f64 = 0.85;

pub fn tight(look: &AdviceContext<'_>) -> Vec<Warning> {
    let needed = memory_needed(&look.context, look.phase, look.setting.rate);
    let there = look.context.rig.machine.memory_gb;
    if needed > there * TIGHT { vec![Warning::Memory { needed, there }] } else { Vec::new() }
}
