//! The laws of what is read off recordings, traces and packets: closed forms, properties, made-up truth. One binary, a module for
//! each subject.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod exchange;
mod lines;
mod onsets;
mod packets;
mod probe;
mod sounds;
mod trace;
mod truth;
