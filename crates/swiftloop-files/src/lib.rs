//! What Swift Loop reads and writes: TOML descriptions with errors that point at line and column, the data
//! tables that ship inside the program, JSON Schemas, and atomic saving. The core knows the meaning; this
//! crate knows where in the file it stands.

mod description;
mod error;
pub mod generated;
mod save;
mod schema;
mod tables;
mod template;

pub use description::{read_rig, read_session, rig_from, session_from};
pub use error::FileError;
pub use save::{Overwrite, save};
pub use schema::{rig_schema, session_schema};
pub use tables::tables;
pub use template::Answers;
