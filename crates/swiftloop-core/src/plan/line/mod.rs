//! How the lines to far sides may be set: the far sides as they are described come in; how they are set now, every other way that is
//! worth its effort, and the best place to meet go out.

mod meeting;
mod options;

pub use meeting::{MeetingChoice, meeting_choices};
pub use options::{arranged_on_the_line, is_on_the_line, link_settings, present, set_by};
