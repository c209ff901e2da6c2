//! The probe played and recorded through a server: which ports and what stands in for an interface ([`inside`]), and take after
//! take at every buffer, at a level that can be read ([`takes`]).

mod inside;
mod path;
mod takes;

pub use takes::Run;
