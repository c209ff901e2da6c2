//! Loops with a far side: a setting, and how the lines are set, come in; the legs of the way from one performer's act to the other's
//! ear go out, what distance forbids, and how many packets come too late. Packet, way and receive buffer are legs like any other.

mod forbidden;
mod legs;
mod way;

pub use forbidden::{Forbidden, distance_floor, forbidden};
pub use legs::{far_loops, together_limit};
pub use way::LateOnLine;
pub(crate) use way::{
    assumed_buffer, clean_buffer, from_meeting, late_on_line, packet_now, shortest_buffer, straight, stream,
    to_meeting,
};
