//! Our own marks as text: what a thread writes into the kernel's trace when its block was late, and what is read again.

use super::event::{Instant, LateMark, Mark, Pid, TraceSpan};
use super::names::Names;
use std::fmt;

/// What all our marks begin with.
const OURS: &str = "swiftloop ";

/// The mark of a late block, as it is written; making it asks for no memory. Times are those of the clock `mono`, in
/// nanoseconds.
#[derive(Debug, Clone, Copy)]
pub struct LateLine {
    /// What the thread knows.
    pub mark: LateMark,
    /// The block's number.
    pub block: u64,
}

impl fmt::Display for LateLine {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let LateMark { pid, due, woke, done, deadline, work, period } = self.mark;
        let late = woke.since(due).0;
        write!(f, "{OURS}late due={} woke={} late_ns={late} cycle={}", due.0, woke.0, self.block)?;
        let all = [
            ("done", done.map(|t| t.0)),
            ("deadline", deadline.map(|t| t.0)),
            ("work_ns", work.map(|s| s.0)),
            ("period_ns", period.map(|s| s.0)),
            ("thread", pid.map(|p| i64::from(p.0))),
        ];
        all.iter()
            .filter_map(|(key, value)| Some((key, (*value)?)))
            .try_for_each(|(k, v)| write!(f, " {k}={v}"))
    }
}

/// The mark of something that was noticed: `xrun`, `heard`.
#[must_use]
pub fn noticed_line(what: &str) -> String {
    format!("{OURS}noticed {what}")
}

impl Mark {
    /// The mark in a text; nothing when it is none of ours.
    #[must_use]
    pub fn from_text(text: &str, names: &mut Names) -> Option<Self> {
        let text = text.strip_prefix(OURS)?;
        if let Some(what) = text.strip_prefix("noticed ") {
            return Some(Self::Noticed(names.of(what)));
        }
        let text = text.strip_prefix("late")?;
        let value = |key: &str| -> Option<i64> {
            let mut words = text.split(' ').filter_map(|w| w.split_once('='));
            words.find(|w| w.0 == key).and_then(|w| w.1.parse().ok())
        };
        let instant = |key: &str| value(key).map(Instant);
        let late = || {
            Some(LateMark {
                pid: value("thread").and_then(|p| u32::try_from(p).ok()).map(Pid),
                due: instant("due")?,
                woke: instant("woke")?,
                done: instant("done"),
                deadline: instant("deadline"),
                work: value("work_ns").map(TraceSpan),
                period: value("period_ns").filter(|p| *p > 0).map(TraceSpan),
            })
        };
        let orderly = |m: &LateMark| {
            m.woke >= m.due
                && m.due.0 >= 0
                && m.done.is_none_or(|d| d >= m.woke)
                && m.deadline.is_none_or(|d| d >= m.due)
        };
        Some(late().filter(orderly).map_or(Self::Unreadable, Self::Late))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mark_is_read_as_it_was_written() {
        let mark = LateMark {
            pid: Some(Pid(7)),
            due: Instant(100),
            woke: Instant(150),
            done: Some(Instant(400)),
            deadline: Some(Instant(300)),
            work: Some(TraceSpan(120)),
            period: Some(TraceSpan(200)),
        };
        let mut names = Names::default();
        let text = LateLine { mark, block: 3 }.to_string();
        assert_eq!(Mark::from_text(&text, &mut names), Some(Mark::Late(mark)));
        for wrong in ["swiftloop late", "swiftloop late due=5 woke=4", "swiftloop late due=x woke=9"] {
            assert_eq!(Mark::from_text(wrong, &mut names), Some(Mark::Unreadable), "{wrong}");
        }
        assert_eq!(Mark::from_text("another program's mark", &mut names), None);
        let Some(Mark::Noticed(what)) = Mark::from_text(&noticed_line("xrun"), &mut names) else { panic!() };
        assert_eq!(names.get(what), "xrun");
    }
}
