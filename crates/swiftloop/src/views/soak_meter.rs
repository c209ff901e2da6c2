//! The meter of a running soak, on stderr: a line that renews itself on a terminal (Enter forgets the worst so far),
//! a plain line at the start and every ten seconds otherwise.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use swiftloop_host::soak::{Meter, Seen};

/// Seconds between two plain lines.
const PLAIN_S: f64 = 10.0;

/// A meter that is being shown, rung after rung.
pub struct Live {
    title: String,
    seconds: f64,
    period_us: f64,
    /// Judged so far.
    judged_s: f64,
    bar: Option<ProgressBar>,
    next_plain_s: f64,
    reset: Arc<AtomicBool>,
}

impl Live {
    /// A meter without anything to show yet.
    pub fn new() -> Self {
        let bar = std::io::stderr().is_terminal().then(|| {
            let bar = ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr_with_hz(5));
            ProgressStyle::with_template("{prefix}\n{msg}")
                .map_or_else(|_| bar.clone(), |s| bar.clone().with_style(s))
        });
        let reset = Arc::new(AtomicBool::new(false));
        if bar.is_some() && std::io::stdin().is_terminal() {
            listen_for_enter(Arc::downgrade(&reset));
        }
        Self {
            title: String::new(),
            seconds: 0.0,
            period_us: 1.0,
            judged_s: 0.0,
            bar,
            next_plain_s: PLAIN_S,
            reset,
        }
    }

    /// A rung begins that is judged for so many seconds at the most.
    pub fn begin(&mut self, title: &str, seconds: f64, period_us: f64) {
        (self.title, self.seconds, self.period_us) = (title.into(), seconds, period_us);
        (self.judged_s, self.next_plain_s) = (0.0, PLAIN_S);
        if self.bar.is_none() {
            let all = time(2.0 * seconds);
            eprintln!("{title}: at most {all}, half of it to listen, half to judge");
        }
    }

    /// A stretch is over, so many seconds of which were judged.
    pub fn passed(&mut self, judged_s: f64) {
        self.judged_s += judged_s;
    }

    /// Shows the meter after so many seconds of a stretch of so many; without one the machine is only listened to.
    pub fn show(&mut self, meter: Option<&Meter>, passed: f64, stretch: f64) {
        let judged = self.judged_s + if meter.is_some() { passed } else { 0.0 };
        let to_judge = (self.seconds - judged).max(0.0);
        // Every second is listened to before one is judged.
        let to_listen = (to_judge - if meter.is_some() { stretch - passed } else { passed }).max(0.0);
        let left = time(to_judge + to_listen);
        let Some(meter) = meter else {
            if let Some(bar) = &self.bar {
                bar.set_prefix(format!("{}: {left} left, listening, not counted", self.title));
            }
            return;
        };
        if let Some(bar) = &self.bar {
            if self.reset.swap(false, Relaxed) {
                meter.reset();
            }
            let misses = misses(meter.misses());
            bar.set_prefix(format!("{}: {left} left, {misses}; Enter forgets the worst", self.title));
            let lines: Vec<String> =
                meter.look().iter().enumerate().map(|(i, s)| self.worker(i, s)).collect();
            bar.set_message(lines.join("\n"));
        } else if judged >= self.next_plain_s {
            self.next_plain_s += PLAIN_S;
            let seen = meter.look();
            let worst = |of: fn(&Seen) -> f64| seen.iter().map(of).fold(0.0, f64::max);
            eprintln!(
                "{}: {left} left, {}, wakes at worst {:.0} µs late, works at worst {:.0} µs",
                self.title,
                misses(meter.misses()),
                worst(|s| s.worst_wake_us),
                worst(|s| s.worst_exec_us)
            );
        }
    }

    /// Mean and worst of one worker, the mean as a bar of its period.
    fn worker(&self, index: usize, seen: &Seen) -> String {
        const CELLS: f64 = 24.0;
        let full = |us: f64| (us / self.period_us * CELLS).round().clamp(0.0, CELLS) as usize;
        let (mean, worst) = (full(seen.mean_exec_us), full(seen.worst_exec_us));
        let rest = worst.max(mean);
        let bar =
            "━".repeat(mean) + &"╌".repeat(rest - mean) + &" ".repeat(CELLS as usize - rest) + "│ period";
        format!(
            "  worker {}  {bar}  work {:>5.0} µs in the mean, {:>5.0} at worst; wakes {:>5.0} µs late at worst",
            index + 1,
            seen.mean_exec_us,
            seen.worst_exec_us,
            seen.worst_wake_us
        )
    }

    /// Takes the meter away.
    pub fn clear(self) {
        if let Some(bar) = self.bar {
            bar.finish_and_clear();
        }
    }
}

/// So many misses, in words.
pub fn misses(n: u64) -> String {
    match n {
        0 => "no miss".into(),
        1 => "1 miss".into(),
        n => format!("{n} misses"),
    }
}

fn time(seconds: f64) -> String {
    let whole = seconds.round() as u64;
    format!("{}:{:02}", whole / 60, whole % 60)
}

/// Sets the flag at every line, until whoever waits for it is gone.
fn listen_for_enter(flag: std::sync::Weak<AtomicBool>) {
    std::thread::spawn(move || {
        let mut line = String::new();
        while flag.strong_count() > 0 {
            line.clear();
            match std::io::stdin().read_line(&mut line) {
                Ok(1..) => {
                    if let Some(flag) = flag.upgrade() {
                        flag.store(true, Relaxed);
                    }
                }
                _ => return,
            }
        }
    });
}
