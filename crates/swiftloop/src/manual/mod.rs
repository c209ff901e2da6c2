//! `man`, `completions` and `schema`: what the program says of itself to shells, editors and packagers.

pub mod options;
pub mod run;
