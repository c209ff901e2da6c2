//! A running JACK server, or PipeWire in its place, through `libjack` found at run time: what it is set to, the delays of
//! its ports, and being its client for a soak. Nothing of it is needed to build or to run the rest.

mod client;
mod library;
mod server;

pub use client::soak_through;
pub use server::{About, PortDelay, Server, ServerError};
