//! The plan in effect: what is asked for is found, put, held and watched. A command names files; here they become settings and
//! computers.

#[cfg(target_os = "linux")]
mod applying;
mod asked;
#[cfg(target_os = "linux")]
mod back;
#[cfg(target_os = "linux")]
mod hands;
#[cfg(target_os = "linux")]
mod holder;
#[cfg(target_os = "linux")]
pub mod watching;

#[cfg(target_os = "linux")]
pub use applying::{Applied, Taken, apply, kinds_of_puts};
pub use asked::{Asked, Computer, settings_of};
#[cfg(target_os = "linux")]
pub use asked::{only_mine, own_user};
#[cfg(target_os = "linux")]
pub use back::{Returned, back_with, put_back, put_back_quietly};
#[cfg(target_os = "linux")]
pub use hands::{Hands, journal_path};
#[cfg(target_os = "linux")]
pub use holder::hold;
