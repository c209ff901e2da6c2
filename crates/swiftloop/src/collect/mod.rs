//! `collect`: a script that copies what another computer says of itself.

pub mod options;
pub mod run;
