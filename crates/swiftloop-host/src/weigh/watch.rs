//! The far end: starts the process that runs a processor, reads what it tells, gives up on it when it says nothing for long, and
//! sees to it that nothing of it is left.

use super::Listed;
use super::sandbox::{OWN_HOME, ROOM, Sandbox};
use rustix::process::{Pid, Signal, kill_process_group};
use serde_json::Value;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};
use swiftloop_measure::weigh::{AtRate, Yardsticks};

/// Nothing is heard for so long: it hangs.
const PATIENCE: Duration = Duration::from_secs(12);
/// The longest line that is read.
const LONGEST: u64 = 16 << 20;

/// What is to be weighed.
#[derive(Debug, Clone)]
pub struct WeighCommand<'a> {
    /// This program, which is started as the process of its own.
    pub program: &'a Path,
    pub library: &'a Path,
    pub standard: &'a str,
    pub rates_hz: &'a [u32],
    pub blocks: &'a [u32],
    /// The file with its settings; as it begins without one.
    pub settings: Option<&'a Path>,
    /// The least that the yardsticks ever took on this machine.
    pub floor: Option<Yardsticks>,
}

/// How weighing a processor ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Status {
    Weighed,
    /// It took its process down.
    Crashed,
    /// It went on and on.
    Hung,
    /// It ended its process.
    Exited(i32),
    /// It took more memory than there may be.
    OutOfMemory,
    /// What came out was no number.
    NotANumber,
    /// It would not begin here.
    Refused(String),
}

impl Status {
    #[must_use]
    pub fn word(&self) -> &'static str {
        match self {
            Self::Weighed => "weighed",
            Self::Crashed => "crashed",
            Self::Hung => "hung",
            Self::Exited(_) => "exited",
            Self::OutOfMemory => "out-of-memory",
            Self::NotANumber => "not-a-number",
            Self::Refused(_) => "refused",
        }
    }
}

/// What came of one.
#[derive(Debug, Clone, PartialEq)]
pub struct WeighOutcome {
    pub status: Status,
    /// What was measured until then.
    pub by_rate: Vec<AtRate>,
    /// What it was shut off from meanwhile.
    pub apart: Sandbox,
}

/// What a library holds.
///
/// # Errors
/// How asking it ended, when it told nothing.
pub fn list(order: &WeighCommand<'_>) -> Result<Vec<Listed>, Status> {
    let heard = run(order, None).map_err(|e| Status::Refused(e.to_string()))?;
    let listed = heard.lines.iter().find(|l| l["stage"] == "listed").and_then(|l| l["processors"].as_array());
    let Some(listed) = listed else { return Err(heard.status()) };
    let of = |p: &Value| {
        let word = |key: &str| p[key].as_str().unwrap_or_default().to_string();
        let count = |key: &str| p[key].as_u64().unwrap_or(0) as usize;
        Listed {
            id: word("id"),
            name: word("name"),
            channels: (count("inputs"), count("outputs")),
            version: p["version"].as_str().map(String::from),
        }
    };
    Ok(listed.iter().map(of).collect())
}

/// Weighs one processor of a library.
///
/// # Errors
/// When no process can be started.
pub fn weigh(order: &WeighCommand<'_>, id: &str) -> std::io::Result<WeighOutcome> {
    let heard = run(order, Some(id))?;
    let measured = heard.lines.iter().filter(|l| l["stage"] == "measured");
    let by_rate = measured.filter_map(|l| serde_json::from_value(l["at"].clone()).ok()).collect();
    Ok(WeighOutcome { status: heard.status(), by_rate, apart: heard.apart() })
}

/// All that was heard.
pub(super) struct ChildReport {
    pub(super) lines: Vec<Value>,
    hung: bool,
}

impl ChildReport {
    pub(super) fn apart(&self) -> Sandbox {
        let is = |key: &str| self.lines.iter().any(|l| l["stage"] != "refused" && l[key] == true);
        let (files, calls) = (is("files"), is("calls"));
        // Without a world of its own, signals, tracing and sockets are refused all the same, and what others show is no file of its own.
        Sandbox { programs: is("programs") || calls && files, network: is("network") || calls, files, calls }
    }

    pub(super) fn status(&self) -> Status {
        let stage = |word: &str| self.lines.iter().find(|l| l["stage"] == word);
        if let Some(refused) = stage("refused") {
            return Status::Refused(refused["why"].as_str().unwrap_or_default().into());
        }
        if stage("not-a-number").is_some() {
            return Status::NotANumber;
        }
        if stage("done").is_some() {
            return Status::Weighed;
        }
        if self.hung {
            return Status::Hung;
        }
        match stage("ended") {
            Some(end) if end["memory_full"] == true => Status::OutOfMemory,
            Some(end) => match (end["signal"].as_i64(), end["code"].as_i64(), end["refused"].as_str()) {
                (_, _, Some(why)) => Status::Refused(why.into()),
                // The limit on processor time: it went on and on.
                (Some(24), ..) => Status::Hung,
                (Some(_), ..) => Status::Crashed,
                (None, Some(code), _) => Status::Exited(code as i32),
                (None, None, None) => Status::Crashed,
            },
            None => Status::Crashed,
        }
    }
}

fn run(order: &WeighCommand<'_>, id: Option<&str>) -> std::io::Result<ChildReport> {
    let words = |all: &[u32]| all.iter().map(ToString::to_string).collect::<Vec<_>>().join(",");
    let mut command = Command::new(order.program);
    command.arg("weigh-inside").arg(absolute(order.library)).args(["--standard", order.standard]);
    if let Some(id) = id {
        command.args(["--id", id, "--rates", &words(order.rates_hz), "--blocks", &words(order.blocks)]);
        if let Some(settings) = order.settings {
            command.arg("--settings").arg(absolute(settings));
        }
        if let Some(Yardsticks { latency_ns, throughput_ns }) = order.floor {
            command.args(["--floor", &format!("{latency_ns},{throughput_ns}")]);
        }
    }
    run_command(command, |_| {})
}

/// Starts such a process and hears it to its end; `hears` is told each line, and now and then nothing.
pub(super) fn run_command(
    mut command: Command,
    mut hears: impl FnMut(Option<&Value>),
) -> std::io::Result<ChildReport> {
    let (from, into) = std::io::pipe()?;
    // A home of its own, empty: what a processor keeps for itself goes with it.
    let room = tempfile::tempdir()?;
    command.env(OWN_HOME, std::env::var_os("HOME").unwrap_or_default()).env(ROOM, room.path());
    for name in ["HOME", "TMPDIR", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"] {
        command.env(name, room.path());
    }
    let mut child = command.stdin(Stdio::from(into)).stdout(Stdio::null()).stderr(Stdio::null()).spawn()?;
    // The command holds our own end of the pipe still.
    drop(command);
    let group = Pid::from_child(&child);
    let lines = reader(from);
    let mut heard = ChildReport { lines: Vec::new(), hung: false };
    let mut since = Instant::now();
    loop {
        match lines.recv_timeout(Duration::from_millis(20)) {
            Ok(line) => {
                since = Instant::now();
                let ended = line["stage"] == "ended";
                hears(Some(&line));
                heard.lines.push(line);
                if ended {
                    break;
                }
            }
            Err(RecvTimeoutError::Disconnected) => break,
            Err(RecvTimeoutError::Timeout) => {
                hears(None);
                if since.elapsed() > PATIENCE {
                    heard.hung = true;
                    break;
                }
                // Whoever keeps watch may have been killed as well: then nothing more comes but what is under way.
                if matches!(child.try_wait(), Ok(Some(_))) && since.elapsed() > Duration::from_millis(500) {
                    break;
                }
            }
        }
    }
    let _ = kill_process_group(group, Signal::KILL);
    let _ = child.kill();
    let _ = child.wait();
    Ok(heard)
}

/// Reads lines on a thread of its own: a process that outlives its parent may hold the pipe for good.
fn reader(from: std::io::PipeReader) -> Receiver<Value> {
    let (tell, told) = channel();
    std::thread::spawn(move || {
        let mut from = BufReader::new(from);
        loop {
            let mut line = String::new();
            let got = std::io::Read::take(&mut from, LONGEST).read_line(&mut line);
            match got {
                Ok(n) if n > 0 => {}
                _ => return,
            }
            let Ok(value) = serde_json::from_str(&line) else { continue };
            if tell.send(value).is_err() {
                return;
            }
        }
    });
    told
}

/// A library that is named without its folder would be looked for elsewhere.
fn absolute(path: &Path) -> PathBuf {
    std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf())
}
