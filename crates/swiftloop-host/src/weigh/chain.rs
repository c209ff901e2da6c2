//! A session's own processors as the work of a soak: all of them, one after another, in every block, at the real period, in a process
//! of its own as when one is weighed. What they were weighed at comes in; what they took beside that, and how often a
//! block was late, go out.

use super::inside::{ChildLimits, keep_watch, pipe, shut_in, tell};
use super::measure::usual_keys;
use super::watch::{Status, run_command};
use super::{Running, standards};
use crate::soak::{Permission, Record, SoakMeter, Task, soak_here};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::fs::File;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::time::Duration;
use swiftloop_core::soak::{Observed, Samples, ValueCounts};

/// Memory that all of them may take, in bytes of address space.
const MEMORY: u64 = 64 << 30;
/// Seconds of processor time beyond those of the soak, for loading.
const LOADING_S: u64 = 120;
/// Blocks that each does alone before any counts.
const ALONE: usize = 4;

/// One processor of the chain.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct ChainMember {
    pub library: PathBuf,
    pub standard: String,
    pub id: String,
    /// So many of it.
    pub copies: u32,
    /// What all of them take in a block, weighed alone, in nanoseconds.
    pub alone_ns: f64,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct ChainTask {
    /// The processors, in order.
    pub links: Vec<ChainMember>,
    pub rate_hz: u32,
    /// Frames of a block.
    pub block: u32,
    /// Periods until a block must be done.
    pub reserve: f64,
    /// How long, in seconds.
    pub seconds: f64,
}

impl ChainTask {
    fn period_ns(&self) -> f64 {
        f64::from(self.block) / f64::from(self.rate_hz) * 1e9
    }

    fn alone_ns(&self) -> f64 {
        self.links.iter().map(|l| l.alone_ns).sum()
    }
}

/// What came of it.
#[derive(Debug, Clone)]
pub struct ChainLived {
    pub observed: Observed,
    /// Delays, and how long the work took beside what it was weighed at.
    pub heard: Samples,
    /// What blocks took, in µs.
    pub exec_us: ValueCounts,
    pub permission: Permission,
    /// By how much the wall clock was set meanwhile.
    pub clock_step_s: f64,
}

/// Runs as such a process; the task stands in a file, and goes on for as long as that is there.
#[must_use]
pub fn run_chain_inside(task_file: &Path, below: bool) -> u8 {
    let Ok(mut out) = pipe() else { return 3 };
    let text = std::fs::read_to_string(task_file).unwrap_or_default();
    let Ok(task) = serde_json::from_str::<ChainTask>(&text) else { return 3 };
    if below {
        load(&task, task_file, &mut out)
    } else {
        let seconds = LOADING_S + (2.0 * task.seconds) as u64;
        keep_watch(&mut out, &ChildLimits { memory: MEMORY, seconds })
    }
}

fn load(task: &ChainTask, task_file: &Path, out: &mut File) -> u8 {
    let _ = rustix::process::set_parent_process_death_signal(Some(rustix::process::Signal::KILL));
    let libraries: Vec<&Path> = task.links.iter().map(|l| l.library.as_path()).collect();
    shut_in(&libraries, out);
    let mut all: Vec<Box<dyn Running>> = Vec::new();
    for (i, link) in task.links.iter().enumerate() {
        // Who crashes now is known by name.
        tell(out, &json!({ "stage": "at", "link": i }));
        match begun(link, task) {
            Ok(some) => all.extend(some),
            Err(why) => {
                tell(out, &json!({ "stage": "refused", "why": format!("{}: {why}", link.id) }));
                return 0;
            }
        }
    }
    tell(out, &json!({ "stage": "at", "link": null }));
    let soak = Task {
        period_ns: task.period_ns(),
        reserve: task.reserve,
        seconds: task.seconds,
        patterns: Vec::new(),
        frame_ns: 1.0,
    };
    let (meter, stop) = (Arc::new(SoakMeter::new(1)), Arc::new(AtomicBool::new(false)));
    report(out, &meter, &stop, task_file);
    let (frames, alone) = (task.block as usize, task.alone_ns());
    let mut work = |_| {
        for processor in &mut all {
            processor.work(frames);
        }
        alone
    };
    let told = match soak_here(&soak, &meter, &stop, &mut work) {
        Ok(record) => soaked(&record),
        Err(e) => json!({ "stage": "refused", "why": e.to_string() }),
    };
    tell(out, &told);
    tell(out, &json!({ "stage": "done" }));
    0
}

/// All copies of a processor, warm, with noise to work on.
fn begun(link: &ChainMember, task: &ChainTask) -> Result<Vec<Box<dyn Running>>, super::Unfit> {
    let standards = standards();
    let unknown = || super::Unfit::NotThere(link.standard.clone());
    let standard = standards.iter().find(|s| s.word() == link.standard).ok_or_else(unknown)?;
    let mut random = fastrand::Rng::with_seed(task.links.len() as u64);
    (0..link.copies)
        .map(|_| {
            let mut one = standard.begin(&link.library, &link.id, task.rate_hz, task.block as usize)?;
            for channel in one.inputs() {
                channel.iter_mut().for_each(|s| *s = 0.25 * (random.f32() * 2.0 - 1.0));
            }
            one.hold(&usual_keys());
            (0..ALONE).for_each(|_| one.work(task.block as usize));
            Ok(one)
        })
        .collect()
}

/// Tells now and then how it goes, and stops when the task's file is gone.
fn report(out: &File, meter: &Arc<SoakMeter>, stop: &Arc<AtomicBool>, task_file: &Path) {
    let Ok(mut out) = out.try_clone() else { return };
    let (meter, stop, task_file) = (Arc::clone(meter), Arc::clone(stop), task_file.to_path_buf());
    let begun = std::time::Instant::now();
    std::thread::spawn(move || {
        while !stop.load(Relaxed) {
            std::thread::sleep(Duration::from_millis(100));
            let passed = begun.elapsed().as_secs_f64();
            tell(&mut out, &json!({ "stage": "passed", "seconds": passed, "misses": meter.misses() }));
            if !task_file.exists() {
                stop.store(true, Relaxed);
            }
        }
    });
}

fn soaked(record: &Record) -> Value {
    json!({
        "stage": "soaked",
        "observed": record.observed(),
        "heard": record.heard(),
        "exec_us": record.exec_us(),
        "realtime": record.permission.realtime,
        "locked": record.permission.locked,
        "refused": record.permission.refused,
        "clock_step_s": record.clock_step_s,
    })
}

/// Runs a chain in a process of its own; `goes_on` is asked with the misses so far and how long it has lasted.
///
/// # Errors
/// How it ended, and which of the links it was, where that is known.
pub fn soak_chain(
    program: &Path,
    task: &ChainTask,
    mut goes_on: impl FnMut(u64, f64) -> bool,
) -> Result<ChainLived, (Status, Option<usize>)> {
    let refused = |e: std::io::Error| (Status::Refused(e.to_string()), None);
    let text = serde_json::to_string(task).map_err(|e| refused(e.into()))?;
    let file = tempfile::NamedTempFile::new()
        .and_then(|f| std::fs::write(f.path(), text).map(|()| f))
        .map_err(refused)?;
    let file = file.into_temp_path();
    let mut command = Command::new(program);
    command.arg("soak-inside").arg(&*file);
    let (mut at, mut stopped) = (None, false);
    let heard = run_command(command, |line| {
        let Some(line) = line else { return };
        if line["stage"] == "at" {
            at = line["link"].as_u64().map(|i| i as usize);
        }
        if let (Some(seconds), Some(misses)) = (line["seconds"].as_f64(), line["misses"].as_u64())
            && !stopped
            && !goes_on(misses, seconds)
        {
            stopped = true;
            let _ = std::fs::remove_file(&file);
        }
    });
    let heard = heard.map_err(refused)?;
    let told = heard.lines.iter().find(|l| l["stage"] == "soaked");
    let lived = told.and_then(|l| {
        let part = |key: &str| l[key].clone();
        Some(ChainLived {
            observed: serde_json::from_value(part("observed")).ok()?,
            heard: serde_json::from_value(part("heard")).ok()?,
            exec_us: serde_json::from_value(part("exec_us")).ok()?,
            permission: Permission {
                realtime: l["realtime"] == true,
                locked: l["locked"] == true,
                refused: serde_json::from_value(part("refused")).ok()?,
            },
            clock_step_s: l["clock_step_s"].as_f64()?,
        })
    });
    lived.ok_or_else(|| (heard.status(), at))
}
