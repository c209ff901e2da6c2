//! Whoever changes a server's buffer puts it back, whatever happens: a sentinel keeps the present buffer in mind.

use crate::cli::KeepBufferOptions;
use crate::failure::Failure;
use crate::sentinel::{Sentinel, stand_by};
use std::process::ExitCode;
use swiftloop_host::jack::Server;

/// Keeps the server's present buffer in mind.
pub struct Guard {
    sentinel: Sentinel,
    before: u32,
}

impl Guard {
    /// Posts the guard. Nothing may be changed before it stands.
    pub fn post(server: &Server) -> Result<Self, Failure> {
        let before = server.buffer();
        let sentinel = Sentinel::post(|command| {
            command.args(["keep-buffer", "--frames", &before.to_string(), "--library"]).arg(server.library());
        })?;
        sentinel.map(|sentinel| Self { sentinel, before }).ok_or_else(|| {
            Failure::machine(
                "nobody could be set to put the server's buffer back, so it was not changed",
                "soak the buffer it has: leave out --buffer and --ladder",
            )
        })
    }

    /// Puts the buffer back and lets the guard go. If the server will not have it, the guard tries again.
    pub fn dismiss(self, server: Option<&Server>) {
        self.sentinel.dismiss(server.is_some_and(|s| s.set_buffer(self.before).is_ok()));
    }
}

/// `keep-buffer`: the guard itself.
pub fn keep(options: &KeepBufferOptions) -> Result<ExitCode, Failure> {
    if !stand_by()? {
        return Ok(ExitCode::SUCCESS);
    }
    let server = Server::connect_by(options.library.clone(), "swiftloop-keep");
    let back = server.and_then(|s| s.set_buffer(options.frames));
    Ok(crate::output::yes_or_no(back.is_ok()))
}
