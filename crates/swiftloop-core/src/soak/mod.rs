//! Soak: what a real-time thread lived through on the real machine. Histograms of wake-up delays and of execution times
//! come in; a profile of the machine for the risk model, misses per hour beside what was predicted, and a decision whether
//! a block holds go out. What was seen is only ever compared with what was predicted from something
//! else, so that the comparison can fail.

mod climb;
mod compare;
mod counts;
mod learn;
mod question;
mod rung;

pub use climb::{Climb, Climbed, End, SoakMachine, SoakStretch, StretchResult, WorkPattern};
pub use compare::{ComparedFigure, FigureChange, compare};
pub use counts::ValueCounts;
pub use learn::{Provenance, Samples, learn};
pub use question::{Decision, SoakTest, none_in};
pub use rung::{Observed, Rung, quiet, smallest};
