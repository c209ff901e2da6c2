//! Whoever changes a server's buffer puts it back, whatever happens: a second process waits at the end of a pipe. When
//! the soak ends as it should, it is told that all is well; when the soak is killed, the pipe breaks and it puts the
//! buffer back.

use crate::cli::KeepBufferOptions;
use crate::failure::Failure;
use std::io::{Read, Write};
use std::process::{Child, Command, ExitCode, Stdio};
use swiftloop_host::jack::Server;

/// What the pipe says when nothing is left to do.
const WELL: u8 = b'.';

/// Keeps the server's present buffer in mind.
pub struct Guard {
    child: Child,
    before: u32,
}

impl Guard {
    /// Posts the guard. Nothing may be changed before it stands.
    pub fn post(server: &Server) -> Result<Self, Failure> {
        let before = server.buffer();
        let mut command = Command::new(std::env::current_exe()?);
        command
            .args(["keep-buffer", "--frames", &before.to_string(), "--library"])
            .arg(server.library())
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null());
        #[cfg(unix)]
        {
            use std::os::unix::process::CommandExt;
            // Ctrl-C and a closing terminal mean the soak, not the guard.
            command.process_group(0);
        }
        let mut child = command.spawn()?;
        let mut stands = [0];
        let heard = child.stdout.as_mut().map(|out| out.read_exact(&mut stands));
        match heard {
            Some(Ok(())) => Ok(Self { child, before }),
            _ => Err(Failure::machine(
                "nobody could be set to put the server's buffer back, so it was not changed",
                "soak the buffer it has: leave out --buffer and --ladder",
            )),
        }
    }

    /// Puts the buffer back and lets the guard go. If the server will not have it, the guard tries again.
    pub fn dismiss(mut self, server: Option<&Server>) {
        let back = server.is_some_and(|s| s.set_buffer(self.before).is_ok());
        if let Some(mut pipe) = self.child.stdin.take().filter(|_| back) {
            let _ = pipe.write_all(&[WELL]);
        }
        let _ = self.child.wait();
    }
}

/// `keep-buffer`: the guard itself.
pub fn keep(options: &KeepBufferOptions) -> Result<ExitCode, Failure> {
    let deaf = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        signal_hook::flag::register(signal, std::sync::Arc::clone(&deaf))?;
    }
    {
        let mut out = std::io::stdout();
        out.write_all(&[WELL])?;
        out.flush()?;
    }
    let mut heard = Vec::new();
    let _ = std::io::stdin().read_to_end(&mut heard);
    if heard.contains(&WELL) {
        return Ok(ExitCode::SUCCESS);
    }
    let server = Server::connect_by(options.library.clone(), "swiftloop-keep");
    let back = server.and_then(|s| s.set_buffer(options.frames));
    Ok(crate::output::yes_or_no(back.is_ok()))
}
