//! `why`: a recording crackles: whose fault, how sure, and what now.

pub mod options;
pub mod run;
pub mod text;
