//! Listening to a server: being told of its xruns, or of the block that it really works in, and nothing else.

use super::active::{BlockTask, take_part};
use super::library::candidates;
use super::server::{Server, ServerError};
use std::time::Duration;

/// A client that does nothing.
#[derive(Clone)]
struct Nothing;

impl BlockTask for Nothing {
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

/// The block in which PipeWire's graph really runs, in frames: only who takes part in it is told, so somebody does for a few
/// blocks. Nothing where its library is not installed, or it does not answer.
#[must_use]
pub fn pipewire_runs_at() -> Option<u32> {
    /// Some of its largest blocks.
    const A_WHILE: Duration = Duration::from_millis(400);
    let library = candidates().into_iter().find(|path| path.to_string_lossy().contains("pipewire"))?;
    let server = Server::connect_by(library, "swiftloop-look").ok()?;
    let (took, frames) = take_part(&server, &|| (), Nothing, || {
        std::thread::sleep(A_WHILE);
        server.buffer()
    })
    .ok()?;
    (!took.lost && frames > 0).then_some(frames)
}
