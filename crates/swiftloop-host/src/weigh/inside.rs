//! What runs in the process of its own: first the one that keeps watch from near by, with limits on what may be taken, and below
//! it the one that loads the library. Lines of JSON go out by a pipe that came as the standard input, which no
//! library writes to: what it prints goes nowhere.

use super::measure::{Ended, MeasureOrder, measure};
use super::{Standard, sandbox, standards};
use rustix::process::{Resource, Rlimit, Signal, setrlimit, setsid};
use serde_json::{Value, json};
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;
use swiftloop_measure::weigh::Yardsticks;

/// What a process of its own may take.
pub(super) struct ChildLimits {
    /// Bytes of address space.
    pub memory: u64,
    /// Seconds of processor time.
    pub seconds: u64,
}

/// For a single processor.
const ONE: ChildLimits = ChildLimits { memory: 4 << 30, seconds: 60 };
/// The largest file it may write.
const FILE: u64 = 64 << 20;
/// So near to the limit memory was what ended it.
const NEARLY: f64 = 0.8;

/// What the process of its own is asked for.
#[derive(Debug, Clone, Default)]
pub struct ChildTask {
    pub library: PathBuf,
    pub standard: String,
    /// The processor; what there is is listed without one.
    pub id: Option<String>,
    pub rates_hz: Vec<u32>,
    pub blocks: Vec<u32>,
    /// The file with its settings.
    pub settings: Option<PathBuf>,
    /// The least that the yardsticks ever took on this machine.
    pub floor: Option<Yardsticks>,
    /// It is the one below, that loads the library.
    pub below: bool,
}

/// Runs as such a process; returns what to exit with.
#[must_use]
pub fn run_inside(what: &ChildTask) -> u8 {
    let Ok(mut out) = pipe() else { return 3 };
    if what.below { load(what, &mut out) } else { keep_watch(&mut out, &ONE) }
}

/// The pipe, out of the way of the library.
pub(super) fn pipe() -> std::io::Result<File> {
    let out = File::from(rustix::io::fcntl_dupfd_cloexec(std::io::stdin(), 10)?);
    let nothing = File::open("/dev/null")?;
    rustix::stdio::dup2_stdin(&nothing)?;
    Ok(out)
}

pub(super) fn tell(out: &mut File, value: &Value) {
    let mut line = value.to_string();
    line.push('\n');
    // Whoever does not listen any more will have ended us.
    let _ = out.write_all(line.as_bytes());
}

/// Watches the one below: sets its limits, waits for its end, and tells how it came.
pub(super) fn keep_watch(out: &mut File, limit: &ChildLimits) -> u8 {
    let _ = setsid();
    let _ = rustix::process::set_parent_process_death_signal(Some(Signal::KILL));
    let limits = [
        (Resource::As, limit.memory),
        (Resource::Cpu, limit.seconds),
        (Resource::Core, 0),
        (Resource::Fsize, FILE),
    ];
    for (resource, most) in limits {
        let _ = setrlimit(resource, Rlimit { current: Some(most), maximum: Some(most) });
    }
    let (programs, network) = sandbox::worlds();
    tell(out, &json!({ "stage": "worlds", "programs": programs, "network": network }));
    let Ok(program) = std::env::current_exe() else { return 3 };
    let Ok(pipe) = out.try_clone() else { return 3 };
    let child = Command::new(program)
        .args(std::env::args_os().skip(1))
        .arg("--below")
        .stdin(Stdio::from(pipe))
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn();
    let mut child = match child {
        Ok(child) => child,
        Err(e) => {
            tell(out, &json!({ "stage": "ended", "refused": e.to_string() }));
            return 3;
        }
    };
    let mut most = 0u64;
    let status = loop {
        match child.try_wait() {
            Ok(Some(status)) => break status,
            Ok(None) => {}
            Err(_) => return 3,
        }
        let pages = std::fs::read_to_string(format!("/proc/{}/statm", child.id())).ok();
        let held = pages.and_then(|p| p.split_whitespace().next().and_then(|n| n.parse::<u64>().ok()));
        most = most.max(held.unwrap_or(0) * 4096);
        std::thread::sleep(Duration::from_millis(5));
    };
    use std::os::unix::process::ExitStatusExt;
    tell(
        out,
        &json!({
            "stage": "ended",
            "signal": status.signal(),
            "code": status.code(),
            "memory_full": most as f64 > NEARLY * limit.memory as f64,
        }),
    );
    0
}

/// Shuts this process in before anything foreign runs in it, and tells what was granted.
pub(super) fn shut_in(libraries: &[&Path], out: &mut File) {
    let (files, calls) = sandbox::shut_in(libraries);
    tell(out, &json!({ "stage": "shut-in", "files": files, "calls": calls }));
}

/// Loads the library and measures; what it did is told line by line.
fn load(what: &ChildTask, out: &mut File) -> u8 {
    let _ = rustix::process::set_parent_process_death_signal(Some(Signal::KILL));
    let all = standards();
    let Some(standard) = all.iter().find(|s| s.word() == what.standard) else { return 3 };
    let standard: &dyn Standard = &**standard;
    let settings = what.settings.as_ref().and_then(|file| std::fs::read(file).ok());
    shut_in(&[&what.library], out);
    let Some(id) = &what.id else {
        let told = match standard.list(&what.library) {
            Ok(found) => json!({
                "stage": "listed",
                "processors": found.iter().map(|l| json!({
                    "id": l.id, "name": l.name, "inputs": l.channels.0, "outputs": l.channels.1, "version": l.version,
                })).collect::<Vec<_>>(),
            }),
            Err(why) => json!({ "stage": "refused", "why": why.to_string() }),
        };
        tell(out, &told);
        return 0;
    };
    let asked = MeasureOrder {
        standard,
        library: &what.library,
        id,
        rates_hz: &what.rates_hz,
        blocks: &what.blocks,
        settings: settings.as_deref(),
        floor: what.floor,
    };
    let measured = measure(&asked, |at| tell(out, &json!({ "stage": "measured", "at": at })));
    tell(
        out,
        &match measured {
            Ok(()) => json!({ "stage": "done" }),
            Err(Ended::NotANumber) => json!({ "stage": "not-a-number" }),
            Err(Ended::Unfit(why)) => json!({ "stage": "refused", "why": why.to_string() }),
        },
    );
    0
}
