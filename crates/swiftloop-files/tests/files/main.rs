//! Files in and out: descriptions, profiles, recordings. One binary, a module for each subject.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod import;
mod links;
mod profiles;
mod rigs;
mod saving;
mod wav;
