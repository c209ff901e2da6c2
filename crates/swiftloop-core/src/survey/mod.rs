//! Survey: what a computer has, and what on it hurts audio. An [`Inventory`] (plain data, as somebody read it off the
//! machine or off a copy of its public files) comes in; findings graded by what they cost go out, each with its
//! figures. A finding without evidence from the inventory does not exist.

mod findings;
mod inventory;
mod plausible;
mod rules;

pub use findings::{Finding, Grade, GradedFinding};
pub use inventory::{
    BusyProgram, Card, CardStream, Cpu, EachCpu, EnergyState, Idle, Inventory, Irq, Kernel, MemoryState,
    Network, Open, SeenBlock, SeenRate, ServerState, SoundThread, System, Usb, UserLimits, Version,
};
pub use plausible::MOST_CARDS;
pub(crate) use rules::REALTIME_SHARE;
pub use rules::findings;
