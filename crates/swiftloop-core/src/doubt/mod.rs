//! Doubt: what is not known well comes in, each cause with its low, typical and high figure; possible rigs go out, and of
//! any answer the share of them in which it holds. Every answer is a share of rigs like this. A rig is drawn
//! once, for everything: one cause has one draw, wherever it plays a part, so that errors that have one cause go
//! together and others partly cancel. What was seen gives rigs that foretell it more weight.

mod cause;
mod evidence;
mod rigs;
mod value;
mod verdict;

pub use cause::Cause;
pub use evidence::{FELT_WRONG, METER_DOUBT, PEAK_DOUBT, felt, poisson};
pub use rigs::{Rigs, SpreadShape, lean, lean_at};
pub use value::{Value, WouldShow, counting};
pub use verdict::{DelayShares, DelayVerdict, DropoutVerdict, HOPELESS, SELDOM, SURE};
