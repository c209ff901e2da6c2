//! The way through a network is not part of the loops.

use super::super::{Look, Warning};

pub fn not_counted(look: &Look<'_>) -> Vec<Warning> {
    if look.phase.kind == "remote" { vec![Warning::NetworkNotCounted] } else { Vec::new() }
}
