//! Records a victim and a thief until enough blocks were late, and tells of each whether the thief was at work.

use super::group::Group;
use super::thieves::thief;
use super::threads::{Failed, Shared, sleep};
use super::victim::victim;
use std::sync::atomic::{AtomicBool, AtomicI64, Ordering::SeqCst};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use swiftloop_host::trace::{Recorder, RecorderOrder};

/// Late blocks by the thief that are enough, and the time in which they have to come.
const ENOUGH: usize = 40;
const LONGEST: Duration = Duration::from_secs(12);

pub fn run(kind: &str, trace: &str, at: Vec<f64>) -> Result<(), Failed> {
    let cores = std::thread::available_parallelism()?.get();
    let shared = Arc::new(Shared {
        stop: AtomicBool::new(false),
        core: cores - 1,
        start: AtomicI64::new(0),
        active: Mutex::default(),
        late: Mutex::default(),
    });
    let wanted = RecorderOrder {
        threads: vec!["sl-victim".into()],
        back: Duration::from_secs(12),
        ring_kb: Some(32 * 1024),
    };
    let recorder = Recorder::begin(&wanted)?;
    let marker = recorder.marker()?;
    let group = if kind == "quota" { Some(Group::new()?) } else { None };
    let scheduled = !at.is_empty();
    let thief = thief(kind, &shared, at)?;
    let victim = {
        let (shared, kind) = (Arc::clone(&shared), kind.to_string());
        let tasks = group.as_ref().map(Group::tasks);
        std::thread::Builder::new()
            .name("sl-victim".into())
            .spawn(move || victim(&shared, &kind, &marker, tasks).map_err(|e| e.to_string()))?
    };
    let begun = std::time::Instant::now();
    while begun.elapsed() < LONGEST && !victim.is_finished() {
        sleep(50);
        if scheduled {
            continue;
        }
        let all = shared.late.lock().map_err(|_| "a thread died")?;
        if all.iter().filter(|l| caused(&shared, l.1, l.2)).count() >= ENOUGH {
            break;
        }
    }
    recorder.freeze()?;
    shared.stop.store(true, SeqCst);
    victim.join().map_err(|_| "the victim died")??;
    if let Some(thief) = thief {
        let _ = thief.join();
    }
    let mut text = recorder.text()?;
    let mut out = std::fs::File::create(trace)?;
    std::io::copy(&mut text, &mut out)?;
    for (block, due, end) in shared.late.lock().map_err(|_| "a thread died")?.iter() {
        println!("{block} {} {}", due, u8::from(caused(&shared, *due, *end)));
    }
    Ok(())
}

/// Whether the thief was at work for a good part of the lateness.
fn caused(shared: &Shared, due: i64, end: i64) -> bool {
    let Ok(all) = shared.active.lock() else { return false };
    let taken: i64 = all.iter().map(|a| (a.1.min(end) - a.0.max(due)).max(0)).sum();
    2 * taken > end - due
}
