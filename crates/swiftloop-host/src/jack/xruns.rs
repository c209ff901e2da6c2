//! Being told of a server's xruns, and nothing else.

use super::active::{Work, take_part};
use super::server::{Server, ServerError};

/// A client that does nothing.
#[derive(Clone)]
struct Nothing;

impl Work for Nothing {
    const WORKS: bool = false;

    fn block(&mut self, _: u32) {}
}

/// Tells of every xrun for as long as `meanwhile` runs; how many there were.
///
/// # Errors
/// [`ServerError`].
pub fn told_of_xruns(
    server: &Server,
    xrun: &(dyn Fn() + Sync),
    meanwhile: impl FnOnce(),
) -> Result<u64, ServerError> {
    let (took, ()) = take_part(server, xrun, Nothing, meanwhile)?;
    if took.lost { Err(ServerError::Gone) } else { Ok(took.xruns) }
}
