//! The laws of the core: closed forms, properties, exhaustive small cases. One binary, a module for each subject.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod advice;
mod alike;
mod by_hand;
mod cases;
mod catalogue;
mod changes;
mod cheapest_set;
mod climb;
mod common;
mod doubt;
mod far;
mod in_effect;
mod load;
mod loops;
mod notes;
mod plan;
mod premises;
mod remedies;
mod risk;
mod simulate;
mod survey;
mod trials;
mod units;
mod whole;
