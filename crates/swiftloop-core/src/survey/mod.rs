//! Survey: what a computer has, and what on it hurts audio. An [`Inventory`] (plain data, as somebody read it off the
//! machine or off a copy of its public files) comes in; findings graded by what they cost go out, each with evidence,
//! cure, risk and the way back. The one idea: a finding without evidence from the inventory does not exist.

mod findings;
mod inventory;
mod rules;

pub use findings::{Finding, Grade, findings};
pub use inventory::{
    Busy, Card, Idle, Inventory, Irq, Kernel, Limits, Memory, Open, Place, Power, Processor, ServerState,
    Stream, Usb,
};
pub use rules::ALLOW_REALTIME;
