//! Whoever changes a server's buffer puts it back, whatever happens: a sentinel keeps the present buffer in mind.

use crate::shared::failure::Failure;
use crate::shared::watchdog::stand_by;
use crate::soak::options::KeepBufferOptions;
use std::process::ExitCode;
use swiftloop_host::jack::Server;

/// `keep-buffer`: the guard itself.
pub fn keep(options: &KeepBufferOptions) -> Result<ExitCode, Failure> {
    if !stand_by()? {
        return Ok(ExitCode::SUCCESS);
    }
    let server = Server::connect_by(options.library.clone(), "swiftloop-keep");
    let back = server.and_then(|s| s.set_buffer(options.frames));
    Ok(crate::shared::output::yes_or_no(back.is_ok()))
}
