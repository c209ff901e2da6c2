//! Who holds the computer awake: a process of this program that keeps one file open, and is told apart by its number and the
//! moment it began.

use crate::apply::options::HoldAwakeOptions;
use crate::shared::failure::Failure;
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Command, ExitCode, Stdio};
use swiftloop_files::{Overwrite, save};
use swiftloop_host::tunables::{TunableError, began, end_process, hold_awake};

/// The kernel's word for no limit, in µs; from there on nothing is held.
const NO_LIMIT_US: u32 = 1_000_000_000;

/// Holds at a limit in the place of whoever held before; or lets go.
pub fn put(place: &Path, to: &str) -> Result<(), TunableError> {
    end(place);
    let refused = |why| TunableError::Refused { what: "/dev/cpu_dma_latency".into(), why };
    let wrong = || refused(std::io::ErrorKind::InvalidInput.into());
    let limit_us: u32 = to.trim().parse().map_err(|_| wrong())?;
    if limit_us >= NO_LIMIT_US {
        return Ok(());
    }
    let mut program = Command::new(std::env::current_exe().map_err(refused)?);
    program.args(["hold-awake", "--limit-us", &limit_us.to_string(), "--place"]).arg(place);
    program.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::null());
    {
        use std::os::unix::process::CommandExt;
        // Ctrl-C and a closing terminal do not mean it: it holds as long as the session runs.
        program.process_group(0);
    }
    let mut child = program.spawn().map_err(refused)?;
    let mut stands = [0];
    match child.stdout.take().map(|mut out| out.read_exact(&mut stands)) {
        Some(Ok(())) => Ok(()),
        _ => Err(TunableError::NotAllowed("/dev/cpu_dma_latency".into())),
    }
}

/// Ends whoever holds, if it is still the one that was noted.
pub fn end(place: &Path) {
    let text = std::fs::read_to_string(place).unwrap_or_default();
    let mut words = text.split_whitespace();
    if let (Some(Ok(process)), Some(Ok(moment))) =
        (words.next().map(str::parse), words.next().map(str::parse))
    {
        end_process(process, moment);
    }
    let _ = std::fs::remove_file(place);
}

/// `hold-awake`: the process itself, until it is told to go.
pub fn hold(options: &HoldAwakeOptions) -> Result<ExitCode, Failure> {
    let signals = [signal_hook::consts::SIGTERM, signal_hook::consts::SIGINT];
    let mut signals = signal_hook::iterator::Signals::new(signals)?;
    let held = hold_awake(options.limit_us)?;
    let own = std::process::id();
    let moment = began(own).unwrap_or(0);
    save(&options.place, format!("{own} {moment}\n").as_bytes(), Overwrite::Allow)?;
    {
        let mut out = std::io::stdout();
        out.write_all(b".").and_then(|()| out.flush()).map_err(Failure::Output)?;
    }
    signals.forever().next();
    drop(held);
    Ok(ExitCode::SUCCESS)
}
