//! The laws of the core: closed forms, properties, exhaustive small cases. One binary, a module for each subject.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod advice;
mod alike;
mod by_hand;
mod cases;
mod catalogue;
mod changes;
mod choice;
mod climb;
mod common;
mod doubt;
mod finished;
mod in_effect;
mod link;
mod listen;
mod load;
mod loops;
mod notes;
mod onsets;
mod plan;
mod premises;
mod probe;
mod remedies;
mod risk;
mod seams;
mod simulate;
mod sounds;
mod survey;
mod trials;
mod units;
mod whole;
