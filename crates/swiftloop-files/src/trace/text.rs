//! The kernel's text, line by line: an event comes out of each line that is one. Events that nobody knows are
//! counted by name.

use super::TraceReading;
use super::fields::{after, last, signed, unsigned, word};
use super::line::{LineColumns, columns, number};
use std::collections::HashMap;
use swiftloop_measure::trace::{
    Activity, Core, Instant, Left, Mark, Name, Names, Pid, Priority, Resched, Thread, TraceEvent, TraceSpan,
    What,
};

/// What has to be remembered from line to line.
#[derive(Default)]
pub(super) struct Text {
    /// Names of interrupt lines: only the beginning of one tells.
    lines: HashMap<u64, Name>,
    /// The last thread of each core: mostly the same again.
    threads: Vec<(Vec<u8>, Thread)>,
    /// Events lost on a core, until its next event tells when.
    lost: HashMap<u16, u64>,
}

/// What a line holds.
enum LineContent {
    Known(What),
    /// Known, and of no use.
    Idle,
    Unknown,
    /// Known, and what it says cannot be read.
    Broken,
}

impl Text {
    /// The event of a line, and before it the one that says what was lost.
    pub fn line(
        &mut self,
        line: &[u8],
        reading: &mut TraceReading,
    ) -> Option<(Option<TraceEvent>, TraceEvent)> {
        let trimmed = line.trim_ascii();
        if trimmed.is_empty() {
            return None;
        }
        if trimmed[0] == b'#' {
            if trimmed.starts_with(b"# tracer:") {
                // Another piece begins: between the two nothing is known.
                for core in 0..self.threads.len() {
                    self.lost.entry(core as u16).or_insert(0);
                }
            }
            remark(trimmed, reading);
            return None;
        }
        if trimmed.starts_with(b"CPU:") && self.lost(trimmed) {
            return None;
        }
        let Some(columns) = columns(line) else {
            reading.unread(trimmed);
            return None;
        };
        let said = self.what(&columns, reading);
        let what = match said {
            LineContent::Known(what) => what,
            LineContent::Idle => What::Other,
            LineContent::Unknown => {
                reading.unknown(&String::from_utf8_lossy(columns.event));
                What::Other
            }
            LineContent::Broken => {
                reading.unread(trimmed);
                return None;
            }
        };
        let event = TraceEvent {
            at: Instant(columns.at),
            core: Core(columns.core),
            thread: self.thread(&columns, &mut reading.names),
            resched: resched(columns.flags),
            interruptible: matches!(columns.flags.first(), Some(b'.' | b'b')),
            what,
        };
        let waiting = if self.lost.is_empty() { None } else { self.lost.remove(&columns.core) };
        let lost = waiting.map(|count| TraceEvent { what: What::Lost(count), ..event.clone() });
        Some((lost, event))
    }

    /// `CPU:1 [LOST 345 EVENTS]`
    fn lost(&mut self, line: &[u8]) -> bool {
        let Some((core, rest)) = number(&line[4..]) else { return false };
        let Some(rest) = after(rest, b"[LOST ") else { return false };
        // Where it does not know how many, one at least.
        let count = number(rest).map_or(1, |n| n.0);
        let core = u16::try_from(core).unwrap_or(u16::MAX);
        let lost = self.lost.entry(core).or_default();
        *lost = lost.saturating_add(count);
        true
    }

    fn thread(&mut self, columns: &LineColumns<'_>, names: &mut Names) -> Thread {
        let core = usize::from(columns.core);
        if self.threads.len() <= core {
            self.threads.resize(core + 1, (Vec::new(), Thread::default()));
        }
        let known = &mut self.threads[core];
        if known.1.pid.0 != columns.pid || known.0 != columns.name {
            known.0.clear();
            known.0.extend_from_slice(columns.name);
            known.1 =
                Thread { pid: Pid(columns.pid), name: names.of(&String::from_utf8_lossy(columns.name)) };
        }
        known.1
    }

    fn what(&mut self, columns: &LineColumns<'_>, reading: &mut TraceReading) -> LineContent {
        let rest = columns.rest;
        let (names, seen) = (&mut reading.names, &mut reading.seen);
        let read = match columns.event {
            b"sched_switch" => {
                seen.switches = true;
                switch(rest, names)
            }
            b"sched_waking" => {
                seen.wakings = true;
                woken(rest, names).map(|(thread, priority, target)| What::Waking { thread, priority, target })
            }
            b"sched_wakeup" | b"sched_wakeup_new" => {
                seen.wakings = true;
                woken(rest, names).map(|(thread, priority, target)| What::Woken { thread, priority, target })
            }
            b"sched_stat_runtime" => {
                seen.counted = true;
                counted(rest)
            }
            b"sched_migrate_task" => moved(rest),
            b"irq_handler_entry" => {
                seen.interrupts = true;
                self.line_of(rest, names).map(|n| What::Enter(Activity::Interrupt(n)))
            }
            b"irq_handler_exit" => self.line_of(rest, names).map(|n| What::Exit(Activity::Interrupt(n))),
            b"softirq_entry" => {
                seen.soft = true;
                soft(rest, names).map(|n| What::Enter(Activity::Soft(n)))
            }
            b"softirq_exit" => soft(rest, names).map(|n| What::Exit(Activity::Soft(n))),
            b"hrtimer_expire_entry" | b"timer_expire_entry" => {
                seen.timers = true;
                word(rest, b"function=").map(|f| What::Enter(Activity::Timer(names.of(&lossy(f)))))
            }
            b"hrtimer_expire_exit" | b"timer_expire_exit" => {
                Some(What::Exit(Activity::Timer(Name::default())))
            }
            b"hrtimer_start" => timer_set(rest),
            b"cpu_idle" => unsigned(rest, b"state=").map(|s| What::Sleep(u8::try_from(s).ok())),
            b"cpu_frequency" => {
                unsigned(rest, b"state=").map(|k| What::Clock(u32::try_from(k).unwrap_or(u32::MAX)))
            }
            b"page_fault_user" | b"page_fault_kernel" => Some(What::Fault),
            b"netif_receive_skb" | b"netif_receive_skb_entry" | b"napi_gro_receive_entry" | b"netif_rx" => {
                word(rest, b"dev=").map(|d| What::Device(names.of(&lossy(d))))
            }
            // What comes from within the computer has none.
            b"napi_poll" => word(rest, b"for device ")
                .map(|d| if d == b"(no_device)" { What::Other } else { What::Device(names.of(&lossy(d))) }),
            b"tracing_mark_write" | b"print" => {
                let text = rest.strip_prefix(b"tracing_mark_write: ").unwrap_or(rest);
                return Mark::from_text(&lossy(text), names)
                    .map_or(LineContent::Idle, |m| LineContent::Known(What::Mark(Box::new(m))));
            }
            event => return Self::other(event, rest, reading),
        };
        read.map_or(LineContent::Broken, LineContent::Known)
    }

    /// Interrupts that are called after their purpose; what is known and not needed; what is unknown.
    fn other(event: &[u8], rest: &[u8], reading: &mut TraceReading) -> LineContent {
        let interrupt = |name: &[u8], reading: &mut TraceReading| {
            reading.seen.interrupts = true;
            // Some name it by its purpose in round brackets.
            let purpose = rest.strip_prefix(b"(").and_then(|r| r.strip_suffix(b")"));
            Activity::Interrupt(reading.names.of(&lossy(purpose.unwrap_or(name))))
        };
        let vector = rest.starts_with(b"vector=") || (event.starts_with(b"ipi_") && rest.starts_with(b"("));
        if vector && let Some(name) = event.strip_suffix(b"_entry") {
            return LineContent::Known(What::Enter(interrupt(name, reading)));
        }
        if vector && let Some(name) = event.strip_suffix(b"_exit") {
            return LineContent::Known(What::Exit(interrupt(name, reading)));
        }
        let passed_over: [&[u8]; 15] = [
            b"sched_",
            b"softirq_",
            b"workqueue_",
            b"hrtimer_",
            b"timer_",
            b"tick_stop",
            b"block_",
            b"tasklet_",
            b"rcu_",
            b"net_",
            b"netif_",
            b"napi_",
            b"vector_",
            b"power_",
            b"ipi_",
        ];
        if passed_over.iter().any(|p| event.starts_with(p)) {
            LineContent::Idle
        } else {
            LineContent::Unknown
        }
    }

    fn line_of(&mut self, rest: &[u8], names: &mut Names) -> Option<Name> {
        let line = unsigned(rest, b"irq=")?;
        let name = after(rest, b" name=");
        let known = self.lines.get(&line).copied();
        match (name, known) {
            (None, Some(known)) => Some(known),
            _ => {
                let text =
                    name.map_or_else(|| format!("irq {line}"), |n| format!("{} (irq {line})", lossy(n)));
                let name = names.of(&text);
                self.lines.insert(line, name);
                Some(name)
            }
        }
    }
}

fn lossy(text: &[u8]) -> std::borrow::Cow<'_, str> {
    String::from_utf8_lossy(text)
}

/// `prev_comm=… prev_pid=… prev_prio=… prev_state=… ==> next_comm=… next_pid=… next_prio=…`
fn switch(rest: &[u8], names: &mut Names) -> Option<What> {
    let (before, next) = last(rest, b" ==> next_comm=")?;
    let (_, from) = last(before, b" prev_prio=")?;
    let state = word(from, b"prev_state=")?;
    let left = if state.starts_with(b"R") {
        Left::Runnable
    } else if state.contains(&b'D') {
        Left::WaitingForDevice
    } else {
        Left::Waiting
    };
    let (name, numbers) = last(next, b" next_pid=")?;
    let pid = number(numbers)?.0;
    let (_, priority) = last(numbers, b" next_prio=")?;
    Some(What::Switch {
        from_priority: prio(from)?,
        left,
        to: Thread { pid: Pid(u32::try_from(pid).ok()?), name: names.of(&lossy(name)) },
        to_priority: prio(priority)?,
    })
}

fn prio(text: &[u8]) -> Option<Priority> {
    signed(text).and_then(|p| i16::try_from(p).ok()).map(Priority)
}

/// `comm=… pid=… prio=… target_cpu=…`
fn woken(rest: &[u8], names: &mut Names) -> Option<(Thread, Priority, Core)> {
    let (name, numbers) = last(rest, b" pid=")?;
    let name = name.strip_prefix(b"comm=")?;
    let pid = u32::try_from(number(numbers)?.0).ok()?;
    let priority = prio(after(numbers, b" prio=")?)?;
    let target = unsigned(numbers, b" target_cpu=")?;
    Some((
        Thread { pid: Pid(pid), name: names.of(&lossy(name)) },
        priority,
        Core(u16::try_from(target).ok()?),
    ))
}

/// `comm=… pid=… runtime=… [ns]`
fn counted(rest: &[u8]) -> Option<What> {
    let (_, numbers) = last(rest, b" pid=")?;
    let pid = u32::try_from(number(numbers)?.0).ok()?;
    let span = i64::try_from(unsigned(numbers, b" runtime=")?).ok()?;
    Some(What::Counted { pid: Pid(pid), span: TraceSpan(span) })
}

/// `comm=… pid=… prio=… orig_cpu=… dest_cpu=…`
fn moved(rest: &[u8]) -> Option<What> {
    let (_, numbers) = last(rest, b" pid=")?;
    let pid = u32::try_from(number(numbers)?.0).ok()?;
    let to = unsigned(numbers, b" dest_cpu=")?;
    Some(What::Moved { pid: Pid(pid), to: Core(u16::try_from(to).ok()?) })
}

/// `vec=3 [action=NET_RX]`
fn soft(rest: &[u8], names: &mut Names) -> Option<Name> {
    let name = after(rest, b"[action=").map(|a| a.strip_suffix(b"]").unwrap_or(a));
    match name {
        Some(name) => Some(names.of(&lossy(name))),
        None => {
            let number = unsigned(rest, b"vec=")?;
            let known = [
                "HI", "TIMER", "NET_TX", "NET_RX", "BLOCK", "IRQ_POLL", "TASKLET", "SCHED", "HRTIMER", "RCU",
            ];
            Some(names.of(known.get(usize::try_from(number).ok()?)?))
        }
    }
}

/// `… expires=…`
fn timer_set(rest: &[u8]) -> Option<What> {
    after(rest, b" expires=").and_then(signed).map(|at| What::TimerSet(Instant(at)))
}

/// Whether a change of threads is due: the second of the flags.
fn resched(flags: &[u8]) -> Resched {
    match flags.get(1) {
        None => Resched::Untold,
        Some(b'.') => Resched::No,
        Some(_) => Resched::Yes,
    }
}

/// What stands at the top: how much the kernel wrote over, and what our recorder says of itself.
fn remark(line: &[u8], reading: &mut TraceReading) {
    let text = String::from_utf8_lossy(line);
    if let Some(counts) = text.split("entries-in-buffer/entries-written:").nth(1) {
        let mut numbers =
            counts.split(['/', ' ']).filter(|p| !p.is_empty()).filter_map(|p| p.parse::<u64>().ok());
        if let (Some(kept), Some(written)) = (numbers.next(), numbers.next()) {
            reading.overwritten = reading.overwritten.saturating_add(written.saturating_sub(kept));
        }
    }
    if let Some(own) = text.strip_prefix("# swiftloop ")
        && let Some((key, value)) = own.split_once(": ")
        && reading.remarks.len() < 64
    {
        reading.remarks.push((key.trim().to_string(), value.trim().to_string()));
    }
}
