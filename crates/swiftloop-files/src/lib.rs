//! What Swift Loop reads and writes: TOML descriptions with errors that point at line and column, the data
//! tables that ship inside the program, JSON Schemas, WAV files, and atomic saving. The core knows the meaning; this
//! crate knows where in the file it stands.

mod description;
mod edit;
mod edit_profile;
mod error;
pub mod generated;
mod save;
mod schema;
mod surveyed;
mod tables;
mod template;
mod wav;

pub use description::{read_rig, read_rig_text, read_session, rig_from, session_from};
pub use edit::{NewTrip, save_trips};
pub use edit_profile::{save_profile, with_profile};
pub use error::FileError;
pub use save::{Overwrite, save};
pub use schema::{rig_schema, session_schema};
pub use surveyed::{Added, save_surveyed};
pub use tables::tables;
pub use template::Answers;
pub use wav::{Depth, Recording, wav_bytes};
