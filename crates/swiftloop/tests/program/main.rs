//! The built program on files in a temporary folder. One binary, a module for each subject.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod bad_input;
mod common;
mod generated;
mod hostile;
mod import;
mod in_effect;
mod link;
mod measure;
mod new;
mod notes;
mod plan;
mod readme;
mod servers;
mod snapshots;
mod soak;
mod speech;
mod survey;
mod terminal;
mod trace;
mod weigh;
