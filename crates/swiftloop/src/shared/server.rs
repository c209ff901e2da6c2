//! An audio server: what to do about one that will not, and its buffer put back by whoever changed it, whatever happens: a watchdog
//! keeps the present buffer in mind.

use crate::shared::build_info::INSTALLED;
use crate::shared::failure::Failure;
use crate::shared::watchdog::Watchdog;
use swiftloop_host::jack::{Server, ServerError};

/// Keeps the server's present buffer in mind.
pub struct Guard {
    sentinel: Watchdog,
    before: u32,
}

impl Guard {
    /// Posts the guard. Nothing may be changed before it stands.
    pub fn post(server: &Server) -> Result<Self, Failure> {
        let before = server.buffer();
        let sentinel = Watchdog::post(|command| {
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

/// What to do about a server that will not.
pub fn server_failure(error: ServerError) -> Failure {
    let help = match &error {
        ServerError::Alone => INSTALLED,
        ServerError::NoLibrary => "install JACK or PipeWire's JACK library, or do without a server",
        ServerError::NoServer => "start the server as this user, or do without a server",
        ServerError::Refused(_) => {
            "ask for what the server offers: `swiftloop survey` lists its buffer and ports"
        }
        ServerError::Gone | ServerError::Silent => "start the server again and repeat",
    };
    Failure::machine(error.to_string(), help)
}
