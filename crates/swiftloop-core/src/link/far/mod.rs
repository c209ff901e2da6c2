//! Far sides. The rig's description of them and a session's phase come in; the legs of the way from one performer's act to the
//! other's ear go out, what distance forbids, and every way to set the line with what it takes. The one idea: where the
//! network ends and begins is a place like a driver: packet, way and receive buffer are legs, and what can be changed about
//! them is settled together with the buffer of the interface.

mod check;
mod description;
mod forbidden;
mod legs;
mod meeting;
mod options;
mod way;

pub use description::{Far, FarKnown, Meeting, Meets, Theirs};
pub use forbidden::{Forbidden, distance_floor, forbidden};
pub use legs::{far_loops, together_limit};
pub use meeting::{MeetingChoice, meeting_choices};
pub use options::{
    FarSetting, LinkSetting, arranged_on_the_line, is_on_the_line, link_settings, present, set_by,
};
pub use way::{LateOnLine, clean_buffer, late_on_line};

pub(crate) use check::check_fars;
