//! `import`: a session from where the software keeps it.

pub mod options;
pub mod run;
pub mod text;
