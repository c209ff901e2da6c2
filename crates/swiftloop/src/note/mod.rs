//! `note`: what the engineer saw goes into the log beside the session.

pub mod options;
pub mod run;
