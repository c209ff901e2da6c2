//! What interrupts a thread, by name: the line with its driver, the kind of deferred work with its device or timer.

use super::blame::Scene;
use super::event::{Activity, Core, Instant, What};
use super::late::HolderKind;
use super::names::Name;

/// As many timers in one interrupt are a crowd.
const CROWD: usize = 3;

impl Scene<'_> {
    /// The interrupt; with the function of its timers where a crowd of them is served in it.
    pub(super) fn interrupt_name(&self, core: Option<Core>, name: Name, since: Instant) -> String {
        let name = self.names.get(name);
        let mut timers: Vec<(Name, usize)> = Vec::new();
        let inside = self.since(since).iter().filter(|e| Some(e.core) == core);
        for e in inside {
            match &e.what {
                What::Enter(Activity::Timer(function)) => {
                    match timers.iter_mut().find(|t| t.0 == *function) {
                        Some(timer) => timer.1 += 1,
                        None => timers.push((*function, 1)),
                    }
                }
                What::Exit(Activity::Interrupt(_)) | What::Switch { .. } => break,
                What::Waking { .. }
                | What::Woken { .. }
                | What::Moved { .. }
                | What::Counted { .. }
                | What::Enter(_)
                | What::Exit(_)
                | What::TimerSet(_)
                | What::Sleep(_)
                | What::Fault
                | What::Device(_)
                | What::Lost(_)
                | What::Clock(_)
                | What::Mark(_)
                | What::Other => {}
            }
        }
        match timers.iter().max_by_key(|t| t.1) {
            Some((function, count)) if *count >= CROWD => {
                format!("{name}: {}", self.names.get(*function))
            }
            _ => name.to_string(),
        }
    }

    /// The kind of deferred work; with the device, or the function of the timer, where the trace tells.
    pub(super) fn soft_name(&self, core: Option<Core>, name: Name, since: Instant) -> (HolderKind, String) {
        let name = self.names.get(name);
        let kind = match name {
            "NET_RX" | "NET_TX" => HolderKind::SoftirqNet,
            "TIMER" | "HRTIMER" => HolderKind::SoftirqTimer,
            _ => HolderKind::Softirq,
        };
        let mut details: Vec<(Name, i64)> = Vec::new();
        let mut begun: Option<(Name, Instant)> = None;
        let inside = self.since(since).iter().filter(|e| Some(e.core) == core);
        let mut count = |detail: Name, weight: i64| match details.iter_mut().find(|d| d.0 == detail) {
            Some(known) => known.1 += weight,
            None => details.push((detail, weight)),
        };
        for e in inside {
            match &e.what {
                What::Device(device) if kind == HolderKind::SoftirqNet => count(*device, 1),
                What::Enter(Activity::Timer(f)) if kind == HolderKind::SoftirqTimer => {
                    begun = Some((*f, e.at))
                }
                What::Exit(Activity::Timer(_)) => {
                    if let Some((function, at)) = begun.take() {
                        count(function, e.at.since(at).0 + 1);
                    }
                }
                What::Exit(Activity::Soft(_)) | What::Switch { .. } => break,
                What::Waking { .. }
                | What::Woken { .. }
                | What::Moved { .. }
                | What::Counted { .. }
                | What::Enter(_)
                | What::Exit(_)
                | What::TimerSet(_)
                | What::Sleep(_)
                | What::Fault
                | What::Device(_)
                | What::Lost(_)
                | What::Clock(_)
                | What::Mark(_)
                | What::Other => {}
            }
        }
        match details.iter().max_by_key(|d| d.1) {
            Some((detail, _)) => (kind, format!("{name}: {}", self.names.get(*detail))),
            None => (kind, name.to_string()),
        }
    }
}
