//! Notes: what the engineer saw. A log of dropouts counted, meters read and what performers felt comes in, checked against rig
//! and session; what it teaches goes out: costs that fit the meters, and weights for the possible rigs. A
//! rig that foretells what was seen counts for more.

mod description;
mod learn;

pub use description::{Description, Feels, Note, NoteDescription, checked};
pub use learn::{Learned, NoteLesson, learn};
