//! The test signal, and what came back of it. A recording comes in; for each of its channels the delay to a small
//! fraction of a frame goes out, with its interval, drift, jitter, lost frames, gain, polarity, noise and echo. Every part of the reading is the most likely one in white noise, and its error is held against the
//! least that any reading could have ([`Recipe::bound`]).
//!
//! [`recipe`] says what is played, [`matched`] and [`detect`] find it, [`phase`] reads each burst, [`series`] reads the row.

mod accumulate;
pub mod detect;
pub mod matched;
pub mod phase;
pub mod recipe;
pub mod series;

mod collect;
mod fit;
mod onset;
mod read;
mod refusal;
mod residual;
mod tone;
mod trouble;

pub use collect::{Collected, Label, MeasuredTake, Trip, collect};
pub use fit::{RoundTripLine, UnusableFit, fit, possible_trip};
pub use onset::{OnsetEvent, OnsetRefusal, Onsets, onsets};
pub use phase::SecondArrival;
pub use read::{ChannelReading, NotRead, Polarity, ProbeReading, read, read_from};
pub use recipe::{BadRecipe, FEWEST_BURSTS, LOUDEST_DB, MOST_BURSTS, MOST_CHANNELS, QUIETEST_DB, Recipe};
pub use refusal::Refusal;
pub use residual::Residual;
pub use series::{Burst, Slip};
pub use tone::tone;
pub use trouble::Trouble;
