//! A capture of the kernel, built line by line: what happened at which microsecond comes in, the one late block that is read off it
//! goes out.

use std::path::Path;
use swiftloop_files::trace::{TraceReading, trace_from};
use swiftloop_measure::trace::{HolderKind, LateBlock, TraceQuery, TraceSpan};

/// When the blocks are due, on the trace's clock.
pub const DUE_US: i64 = 500_000_000;

/// A capture in the making.
#[derive(Default)]
pub struct Capture(pub String);

impl Capture {
    /// A line: who runs on which core, with which flags, when, and what it says.
    pub fn at(mut self, us: i64, task: &str, core: u8, flags: &str, what: &str) -> Self {
        let at = DUE_US + us;
        let (whole, part) = (at / 1_000_000, at % 1_000_000);
        self.0 += &format!("{task:>16} [{core:03}] {flags}  {whole}.{part:06}: {what}\n");
        self
    }

    /// From one thread to another.
    pub fn switch(self, us: i64, core: u8, from: (&str, i32), state: &str, to: (&str, i32)) -> Self {
        let parts = |name: &str| {
            let (name, pid) = name.rsplit_once('-').expect("name-pid");
            (name.to_string(), pid.to_string())
        };
        let ((a, pid_a), (b, pid_b)) = (parts(from.0), parts(to.0));
        let what = format!(
            "sched_switch: prev_comm={a} prev_pid={pid_a} prev_prio={} prev_state={state} ==> next_comm={b} next_pid={pid_b} next_prio={}",
            from.1, to.1
        );
        self.at(us, from.0, core, "d..2.", &what)
    }

    /// The mixer is woken by its timer, on a core where `task` runs.
    pub fn woken(self, us: i64, task: &str, core: u8) -> Self {
        self.at(us, task, core, "d.h..", "local_timer_entry: vector=236")
            .at(
                us,
                task,
                core,
                "d.h..",
                "hrtimer_expire_entry: hrtimer=00000000aa function=hrtimer_wakeup now=1",
            )
            .at(us + 1, task, core, "d.h2.", "sched_waking: comm=mixer pid=70 prio=29 target_cpu=001")
            .at(us + 2, task, core, "dNh3.", "sched_wakeup: comm=mixer pid=70 prio=29 target_cpu=001")
            .at(us + 2, task, core, "dNh..", "hrtimer_expire_exit: hrtimer=00000000aa")
            .at(us + 3, task, core, "dNh..", "local_timer_exit: vector=236")
    }

    /// It notices that it ran so late.
    pub fn late(self, woke_us: i64) -> Self {
        self.late_by(woke_us, "")
    }

    pub fn late_by(self, woke_us: i64, more: &str) -> Self {
        let ns = |us: i64| (DUE_US + us) * 1000;
        let what = format!("tracing_mark_write: swiftloop late due={} woke={}{more}", ns(0), ns(woke_us));
        let last = more.split("done=").nth(1).and_then(|d| d.split(' ').next()?.parse::<i64>().ok());
        let at = last.map_or(woke_us, |ns| ns / 1000 - DUE_US) + 5;
        self.at(at, MIXER, 1, "...1.", &what)
    }

    pub fn read(&self) -> TraceReading {
        let question = TraceQuery { period: Some(TraceSpan::from_us(1333.0)), ..TraceQuery::default() };
        trace_from(self.0.as_bytes(), Path::new("made.txt"), &question).expect("a trace")
    }

    pub fn block(&self) -> LateBlock {
        let mut read = self.read();
        assert_eq!((read.unread, read.told.late.len()), (0, 1), "{:?}\n{}", read.first_unread, self.0);
        let block = read.told.late.remove(0);
        assert_eq!(block.holders.iter().map(|h| h.took.0).sum::<i64>(), block.took.0, "{:?}", block.holders);
        block
    }
}

pub const MIXER: &str = "mixer-70";
pub const BROWSER: &str = "browser-50";
pub const IDLE: &str = "swapper/1-0";

/// The mixer sleeps and the browser runs, well before the block.
pub fn quiet() -> Capture {
    Capture::default().switch(-900, 1, (MIXER, 29), "S", (BROWSER, 120))
}

/// The same on an idle core.
pub fn idle() -> Capture {
    Capture::default().switch(-900, 1, (MIXER, 29), "S", (IDLE, 120))
}

#[track_caller]
pub fn is(capture: &Capture, kind: HolderKind, name: &str, us: i64) {
    let block = capture.block();
    let told = (block.thief.kind, block.thief.name.as_str());
    assert_eq!(told, (kind, name), "{:?}", block.holders);
    let took = block.holders.iter().find(|h| h.who == block.thief).map_or(0, |h| h.took.0 / 1000);
    assert!((took - us).abs() <= 10, "{took} instead of {us}: {:?}", block.holders);
}
