//! The thread that plays: it wakes at the period, works a little, and marks the blocks that were late.

use super::threads::{Failed, PERIOD, Shared, now, settle, sleep_until, spin};
use std::sync::atomic::Ordering::SeqCst;
use swiftloop_host::trace::Marker;
use swiftloop_measure::trace::{Instant, LateLine, LateMark, TraceSpan};

/// A block that ran later than this was late, in nanoseconds.
const LATE: i64 = 150_000;

/// The thread that plays.
pub fn victim(
    shared: &Shared,
    kind: &str,
    marker: &Marker,
    tasks: Option<std::path::PathBuf>,
) -> Result<(), Failed> {
    settle(shared.core, None)?;
    if let Some(tasks) = tasks {
        // SAFETY: a plain question.
        let me = unsafe { libc::syscall(libc::SYS_gettid) };
        std::fs::write(tasks, me.to_string())?;
    }
    settle(shared.core, Some(70))?;
    let start = now() + 20_000_000;
    shared.start.store(start, SeqCst);
    let mut block = 0u64;
    while shared.goes_on() {
        block += 1;
        let due = start + block as i64 * PERIOD;
        if due < now() {
            continue;
        }
        sleep_until(due);
        let woke = now();
        let mut mark = LateMark {
            due: Instant(due),
            woke: Instant(woke),
            period: Some(TraceSpan(PERIOD)),
            ..LateMark::default()
        };
        let touches = kind == "faults" && block.is_multiple_of(50);
        if touches {
            let from = now();
            touch(6000)?;
            shared.was_active(from, now());
        } else {
            spin(if kind == "quota" { PERIOD * 6 / 10 } else { PERIOD / 10 });
        }
        let done = now();
        let (late, end) = if kind == "faults" {
            mark.done = Some(Instant(done));
            mark.deadline = Some(Instant(due + PERIOD));
            mark.work = Some(TraceSpan(PERIOD / 10));
            (done > due + PERIOD, done)
        } else {
            (woke - due > LATE, woke)
        };
        if late {
            if kind == "quota" && woke - due > 3_000_000 {
                // Nothing else holds a thread of this priority for so long.
                shared.was_active(due, woke);
            }
            marker.show(&LateLine { mark, block });
            if let Ok(mut all) = shared.late.lock() {
                all.push((block, due, end));
            }
        }
    }
    Ok(())
}

/// Memory that nobody had before, a page at a time.
fn touch(pages: usize) -> Result<(), Failed> {
    let size = pages * 4096;
    let (read_write, private) = (libc::PROT_READ | libc::PROT_WRITE, libc::MAP_PRIVATE | libc::MAP_ANONYMOUS);
    // SAFETY: a new piece of memory, written within its bounds, and given back.
    unsafe {
        let at = libc::mmap(std::ptr::null_mut(), size, read_write, private, -1, 0);
        if at == libc::MAP_FAILED {
            return Err("no memory".into());
        }
        libc::madvise(at, size, libc::MADV_NOHUGEPAGE);
        for page in 0..pages {
            at.cast::<u8>().add(page * 4096).write_volatile(1);
        }
        libc::munmap(at, size);
    }
    Ok(())
}
