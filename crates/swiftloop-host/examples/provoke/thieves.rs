//! The thieves: a thread of a higher priority, a crowd of timers, packets.

use super::storm::Storm;
use super::threads::{Failed, PERIOD, Shared, now, settle, sleep, sleep_until, spin};
use std::sync::Arc;
use std::sync::atomic::Ordering::SeqCst;

type Thief = std::thread::JoinHandle<()>;

/// Lets the thief of a kind loose; none where the victim itself does what is asked.
pub fn thief(kind: &str, shared: &Arc<Shared>, at: Vec<f64>) -> Result<Option<Thief>, Failed> {
    let shared = Arc::clone(shared);
    let named = |name: &str| std::thread::Builder::new().name(name.into());
    Ok(Some(match kind {
        "fifo" => named("sl-fifo").spawn(move || {
            if settle(shared.core, Some(80)).is_err() {
                return;
            }
            while shared.goes_on() {
                sleep(37);
                let from = now();
                spin(2_500_000);
                shared.was_active(from, now());
            }
        })?,
        "timers" => named("sl-timers").spawn(move || {
            let _ = crowd(&shared);
        })?,
        "net" | "kernel" => {
            let outgoing = kind == "kernel";
            let storm = Storm::new(outgoing)?;
            named(if outgoing { "sl-kernel" } else { "sl-net" }).spawn(move || {
                if settle(shared.core, None).is_err() {
                    return;
                }
                let burst = |packets| {
                    let from = now();
                    for _ in 0..packets {
                        storm.send();
                    }
                    shared.was_active(from, now());
                };
                for at in at {
                    while shared.start.load(SeqCst) == 0 {
                        sleep(5);
                    }
                    let block = (at * 1e9 / PERIOD as f64).round() as i64;
                    sleep_until(shared.start.load(SeqCst) + block * PERIOD - 100_000);
                    burst(14);
                }
                while shared.goes_on() {
                    sleep(7);
                    burst(3);
                }
            })?
        }
        "quota" | "faults" => return Ok(None),
        other => return Err(format!("no thief is called {other}").into()),
    }))
}

/// Many timers that are due in the same moment, just before a block.
fn crowd(shared: &Shared) -> Result<(), Failed> {
    settle(shared.core, None)?;
    let mut limit = libc::rlimit { rlim_cur: 4096, rlim_max: 4096 };
    // SAFETY: plain values; a descriptor each that stays open to the end.
    let timers: Vec<i32> = unsafe {
        libc::setrlimit(libc::RLIMIT_NOFILE, &raw const limit);
        libc::getrlimit(libc::RLIMIT_NOFILE, &raw mut limit);
        (0..limit.rlim_cur.saturating_sub(100).min(2500))
            .map(|_| libc::timerfd_create(libc::CLOCK_MONOTONIC, libc::TFD_NONBLOCK))
            .filter(|t| *t >= 0)
            .collect()
    };
    while shared.start.load(SeqCst) == 0 {
        sleep(5);
    }
    while shared.goes_on() {
        let start = shared.start.load(SeqCst);
        let block = (now() + 30_000_000 - start) / PERIOD;
        let at = start + block * PERIOD - 3_000;
        let due = libc::itimerspec {
            it_interval: libc::timespec { tv_sec: 0, tv_nsec: 0 },
            it_value: libc::timespec { tv_sec: at / 1_000_000_000, tv_nsec: at % 1_000_000_000 },
        };
        for timer in &timers {
            // SAFETY: the descriptor is open, the time valid for the call.
            unsafe {
                libc::timerfd_settime(*timer, libc::TFD_TIMER_ABSTIME, &raw const due, std::ptr::null_mut())
            };
        }
        shared.was_active(at, at + 2_000_000);
        sleep_until(at + 5_000_000);
    }
    Ok(())
}
