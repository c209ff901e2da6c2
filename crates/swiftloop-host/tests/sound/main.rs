//! Listening, held against made-up music whose faults are known.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod finished;
mod listen;
mod seams;
