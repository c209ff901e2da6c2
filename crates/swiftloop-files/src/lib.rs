//! What Swift Loop reads and writes: TOML descriptions with errors that point at line and column, the data
//! tables that ship inside the program, JSON Schemas, WAV files, and atomic saving. The core knows the meaning; this
//! crate knows where in the file it stands.
#![forbid(unsafe_code)]

mod catalogue_file;
mod description;
mod error;
mod explain;
mod good_file;
pub mod import;
mod journal_file;
mod link_file;
mod lock;
mod notes_file;
mod owner;
mod probe_json;
mod rig_file;
mod save;
mod schema;
mod settings_file;
mod tables;
mod template;
pub mod trace;
mod wav;
mod yardstick_file;

pub use catalogue_file::{add_to_catalogue, catalogue_of_user, read_catalogue};
pub use description::{
    holds_settings, notes_from, read_rig, read_session, read_session_weighed, read_settings, read_text,
    rig_from, session_alone, session_from, session_weighed_from,
};
pub use error::{FileError, FileReason, plain_words};
pub use good_file::{good_beside, read_good, remember_good};
pub use journal_file::{JournalFile, journal_of_user};
pub use link_file::{packets_text, read_link, readable_link};
pub use notes_file::{NewNote, add_note, notes_beside, read_notes};
pub use owner::only_ours;
pub use probe_json::read_trip;
pub use rig_file::{
    AddedToRig, FigureDifference, NewTrip, Replace, check_profile_fits, save_paced, save_profile,
    save_surveyed, save_trips, with_profile,
};
pub use save::{Overwrite, keep_names, save, save_all, unfinished};
pub use schema::{notes_schema, rig_schema, session_schema, settings_schema};
pub use settings_file::settings_text;
pub use tables::{tables, thieves};
pub use template::Answers;
pub use wav::{Depth, Recording, wav_bytes};
pub use yardstick_file::YardstickFloor;
