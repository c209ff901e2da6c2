//! Laws of playing together over a network: packets as the standard draws them, lines whose truth is known.

mod exchange;
mod far;
mod lines;
mod packets;
mod truth;
