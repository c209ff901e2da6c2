//! Whoever changes something outside puts it back, whatever happens: a second process of this program waits at the end of a
//! pipe. When all went as it should, it is told so; when this process is killed, the pipe breaks and it does what is left
//! to do.

use std::io::{Read, Write};
use std::process::{Child, Command, Stdio};

/// What the pipe says when nothing is left to do.
const WELL: u8 = b'.';

/// A process that stands by.
pub struct Watchdog {
    child: Child,
}

impl Watchdog {
    /// Posts one that runs `command` of this program. Nothing when it cannot be posted: then nothing may be changed.
    pub fn post(command: impl FnOnce(&mut Command)) -> std::io::Result<Option<Self>> {
        let mut program = Command::new(std::env::current_exe()?);
        command(&mut program);
        program.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
        #[cfg(unix)]
        {
            use std::os::unix::process::CommandExt;
            // Ctrl-C and a closing terminal mean whoever posted it, not the sentinel.
            program.process_group(0);
        }
        let mut child = program.spawn()?;
        let mut stands = [0];
        let heard = child.stdout.as_mut().map(|out| out.read_exact(&mut stands));
        Ok(matches!(heard, Some(Ok(()))).then_some(Self { child }))
    }

    /// Lets it go; when not all is `well`, it does its work now.
    pub fn dismiss(mut self, well: bool) {
        if let Some(mut pipe) = self.child.stdin.take().filter(|_| well) {
            let _ = pipe.write_all(&[WELL]);
        }
        let _ = self.child.wait();
    }
}

/// Stands by, in the process that was posted: whether something is left to do.
pub fn stand_by() -> std::io::Result<bool> {
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
    Ok(!heard.contains(&WELL))
}
