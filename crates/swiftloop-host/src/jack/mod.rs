//! A running JACK server, or PipeWire in its place, through `libjack` found at run time: what it is set to, the delays of
//! its ports, being its client for a soak, and playing and recording at once. Nothing of it is needed to build or to run the rest.

mod active;
mod client;
mod echo;
mod library;
mod player;
mod server;
mod xruns;

pub use client::soak_through;
pub use echo::{echo, echo_ports};
pub use player::{PlayedTake, ToPlay, play_and_record};
pub use server::{About, PortDelay, Server, ServerError};
pub use xruns::{pipewire_runs_at, told_of_xruns};
