//! The meter of a running soak, on stderr: a line that renews itself on a terminal (Enter forgets the worst so far),
//! a plain line at the start and every ten seconds otherwise.

use super::machine::Watching;
use super::text::misses;
use crate::shared::output::aside;
use crate::shared::page::{clean, paint};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use swiftloop_host::soak::{SoakMeter, WorkerReading};

/// Seconds between two plain lines.
const PLAIN_S: f64 = 10.0;

/// A meter that is being shown, rung after rung.
pub struct LiveMeter {
    title: String,
    seconds: f64,
    period_us: f64,
    judged_s: f64,
    bar: Option<ProgressBar>,
    next_plain_s: f64,
    /// Who took most of the late blocks' time so far.
    leads: Option<String>,
    reset: Arc<AtomicBool>,
}

impl Watching for LiveMeter {
    fn begin(&mut self, title: &str, seconds: f64, period_us: f64) {
        (self.title, self.seconds, self.period_us) = (clean(title).into_owned(), seconds, period_us);
        (self.judged_s, self.next_plain_s) = (0.0, PLAIN_S);
        if self.bar.is_none() {
            let all = time(2.0 * seconds);
            aside(&format!("{title}: at most {all}, half of it to listen, half to judge"));
        }
    }

    #[cfg(target_os = "linux")]
    fn leads(&mut self, leads: Option<String>) {
        self.leads = leads;
    }

    fn passed(&mut self, judged_s: f64) {
        self.judged_s += judged_s;
    }

    fn show(&mut self, meter: Option<&SoakMeter>, passed: f64, stretch: f64) {
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
            let misses = paint(&misses(meter.misses()));
            bar.set_prefix(format!("{}: {left} left, {misses}; Enter forgets the worst", self.title));
            let lines = meter.look();
            let lines = lines.iter().enumerate().map(|(i, s)| self.worker(i, s));
            let leads = self.leads.iter().map(|l| format!("late most by  {}", paint(&clean(l))));
            let lines = lines.chain(leads);
            bar.set_message(std::iter::once(heading()).chain(lines).collect::<Vec<_>>().join("\n"));
        } else if judged >= self.next_plain_s {
            self.next_plain_s += PLAIN_S;
            let seen = meter.look();
            let worst = |of: fn(&WorkerReading) -> f64| seen.iter().map(of).fold(0.0, f64::max);
            aside(&format!(
                "{}: {left} left, {}, wakes at worst {:.0} µs late, works at worst {:.0} µs",
                self.title,
                paint(&misses(meter.misses())),
                worst(|s| s.worst_wake_us),
                worst(|s| s.worst_exec_us)
            ));
        }
    }
}

impl LiveMeter {
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
            leads: None,
            reset,
        }
    }

    /// Mean and worst of one worker, as a bar of its period and as figures.
    fn worker(&self, index: usize, seen: &WorkerReading) -> String {
        let full = |us: f64| (us / self.period_us * CELLS as f64).round().clamp(0.0, CELLS as f64) as usize;
        let mean = full(seen.mean_exec_us);
        let rest = full(seen.worst_exec_us).max(mean);
        let bar = "━".repeat(mean) + &"╌".repeat(rest - mean) + &" ".repeat(CELLS - rest);
        row(
            &(index + 1).to_string(),
            &format!("{bar}│"),
            [seen.mean_exec_us, seen.worst_exec_us, seen.worst_wake_us].map(|us| format!("{us:.0} µs")),
        )
    }

    /// Takes the meter away.
    pub fn clear(self) {
        if let Some(bar) = self.bar {
            bar.finish_and_clear();
        }
    }
}

/// Characters of a bar that is a whole period.
const CELLS: usize = 24;

/// What the columns are, and the marks of the bar.
fn heading() -> String {
    let heads = ["work", "at worst", "woke late"].map(String::from);
    row("worker", "━ mean  ╌ worst  │ period", heads)
}

fn row(worker: &str, bar: &str, [work, worst, late]: [String; 3]) -> String {
    format!("{worker:>7}  {bar:<25} {work:>9} {worst:>9} {late:>10}")
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
