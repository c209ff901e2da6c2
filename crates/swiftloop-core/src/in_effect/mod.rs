//! In effect: is the computer set as the plan says, what does it cost where it is not, and which of it can be set. A plan
//! becomes [`Settings`], plain data small enough to be mailed; those and an inventory of the computer as it is now come
//! in, [`Difference`]s with their cost and [`Put`]s, the single things that can be set, go out. Whatever
//! can be set is judged by the very rules that say that it is wrong, so a check after setting is clean of it.

mod compare;
mod costs;
mod demand;
mod difference;
mod handout;
mod kinds;
mod ours;
mod restore;
mod rules;
mod tunable;
mod watch;

pub use compare::compare;
pub use costs::{AtBuffer, AtLoad, AtPower, AtSpeed, Stakes, stakes};
pub use demand::{ComputerKind, Demand, Hears, SETTINGS_FORMAT, Settings};
pub use difference::{Comparison, Difference, DifferenceCost, Known, Unread, Wrong};
pub use handout::{ByHand, handout};
pub use kinds::{KindOfComputer, kinds_of};
pub use ours::alike;
pub use restore::{Journal, JournalLine, JournalStage, StepFate, fate};
pub use tunable::{NotTaken, Put, Tunable, TunableKind, pipewire_takes, puts};
pub use watch::{Happened, Sample, Summary, WatchEvent, Watcher};
