//! The computing heart of Swift Loop: descriptions of a rig and a session come in, loops, loads, risks and
//! plans go out. Nothing in here reads a file, prints, asks the clock or calls the operating system, so every
//! answer is a pure function of its input and can be tested as such.
//!
//! | folder | in → out |
//! | --- | --- |
//! | [`rig`], [`session`] | the two descriptions, checked: what cannot be true cannot be built |
//! | [`contradiction`] | all that cannot be true of a description, as data |
//! | [`tables`] | what is known about driver models, connections, listeners and classes of machine |
//! | [`loops`] | rig + session + setting → legs → loop → verdict against a limit |
//! | [`load`] | session + setting → the work of one block → the worst block on these cores |
//! | [`risk`] | worst block + wake-up delays → dropouts per hour, with doubt |
//! | [`doubt`] | what is known, with its doubt → possible rigs → of every answer the share of them in which it holds |
//! | [`plan`] | every setting × every remedy → the plan, the frontier, the why-nots |
//! | [`notes`] | what the engineer saw → costs that fit the meters, and weights for the possible rigs |
//! | [`advice`] | rig + session + setting → what is wrong around the setting, and how to put it right |
//! | [`soak`] | what a real-time thread lived through → a profile of the machine, seen beside predicted, holds or breaks |
//! | [`survey`] | what a computer has → what on it hurts audio, with cure and way back |
//! | [`in_effect`] | a plan and a computer as it is → what differs, at which cost, what can be set, and the way back |
//! | [`why`] | a recording, a computer, a profile, notes, a trace → whose fault, how sure, what tells the rest apart |

#![forbid(unsafe_code)]

pub mod advice;
pub mod catalogue;
pub mod contradiction;
pub mod doubt;
pub mod in_effect;
pub mod load;
pub mod loops;
pub mod notes;
pub mod plan;
pub mod rig;
pub mod risk;
pub mod session;
pub mod soak;
pub mod survey;
pub mod tables;
pub mod why;

mod invalid;
pub use invalid::{Invalid, PathStep};
