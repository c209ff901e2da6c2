//! Beside the take: samples of the computer come in as time passes, events and at the end a summary go out. An
//! event is a change, so a quiet take is a quiet log; and what changed shortly before a dropout is told with it.

use crate::survey::BusyProgram;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};

/// What changed so long before a dropout may have to do with it, in seconds.
const SHORTLY_S: f64 = 3.0;
/// Share of a core from which a program is told.
const BUSY: f64 = 0.15;
/// And until which it counts as at rest again.
const AT_REST: f64 = 0.08;
/// Hot, and no longer, in °C.
const HOT_C: f64 = 90.0;
const COOL_C: f64 = 82.0;
/// Share of time in which something waits for memory, in percent.
const WAITS: f64 = 1.0;

/// The computer at one moment; nothing where it is not told or was not looked at this time.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sample {
    /// Seconds since the watch began.
    pub at_s: f64,
    /// Xruns of the server since then.
    pub xruns: Option<u64>,
    /// Late blocks of our own thread since then.
    pub late: u64,
    pub server: Option<bool>,
    /// Load of the server in percent.
    pub load_percent: Option<f64>,
    /// What has a value that may change, by name: rate, buffer, clocks, power.
    pub values: BTreeMap<&'static str, String>,
    /// Sound devices; nothing when not looked at.
    pub devices: Option<BTreeSet<String>>,
    /// Programs that work; nothing when not looked at.
    pub busy: Option<Vec<BusyProgram>>,
    /// The hottest place in °C.
    pub hottest_c: Option<f64>,
    /// Times that heat has slowed the processor down.
    pub throttled: Option<u64>,
    /// Share of the last ten seconds in which something waited for memory, in percent.
    pub memory_waits_percent: Option<f64>,
    /// Who stole the time of late blocks, where the kernel was looked into.
    pub thief: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub enum Happened {
    /// The server told of xruns.
    Xrun {
        count: u64,
        /// What changed shortly before.
        after: Vec<String>,
    },
    /// Our own thread was late at the real period.
    Late {
        count: u64,
        /// What changed shortly before.
        after: Vec<String>,
    },
    /// Who stole the time of late blocks, so far.
    Thief {
        /// Who, and of how many.
        who: String,
    },
    Changed {
        what: &'static str,
        from: String,
        to: String,
    },
    DeviceCame {
        device: String,
    },
    DeviceGone {
        device: String,
    },
    /// A program began to work.
    Works {
        program: String,
        /// Share of a core.
        core_share: f64,
    },
    /// A program came to rest.
    Rests {
        program: String,
    },
    Hot {
        /// How hot, in °C.
        celsius: f64,
    },
    /// Heat slowed the processor down.
    SlowedByHeat {
        times: u64,
    },
    /// Something waits for memory.
    ShortOfMemory {
        /// Percent of the time.
        waits_percent: f64,
    },
    /// The server went away.
    ServerGone,
    /// The server came back.
    ServerBack,
}

/// Something that happened, and when.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct WatchEvent {
    /// Seconds since the watch began.
    pub at_s: f64,
    #[serde(flatten)]
    pub happened: Happened,
}

/// Looks from sample to sample.
#[derive(Debug, Clone, Default)]
pub struct Watcher {
    last: Option<Sample>,
    devices: BTreeSet<String>,
    working: BTreeSet<String>,
    hot: bool,
    short: bool,
    thief: Option<String>,
    /// Changes that were told lately, in words.
    lately: Vec<(f64, String)>,
    summary: Summary,
}

/// A watch as a whole.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Summary {
    pub seconds: f64,
    /// Dropouts: xruns of the server, or late blocks of our own thread where no server told.
    pub dropouts: u64,
    /// It was the server that told.
    pub told_by_server: bool,
    /// Late blocks of our own thread.
    pub late_blocks: u64,
    /// When the first dropouts were, in seconds since the beginning.
    pub first_s: Vec<f64>,
    /// What changed shortly before dropouts: how often.
    pub before: BTreeMap<String, u64>,
    /// Who stole the time, where the kernel was looked into.
    pub thief: Option<String>,
    /// The server's highest load in percent.
    pub load_percent: Option<f64>,
    /// Everything else that happened: how often.
    pub happened: BTreeMap<String, u64>,
}

impl Summary {
    /// How long, in minutes to the tenth; no note is of no time at all.
    #[must_use]
    pub fn minutes(&self) -> f64 {
        (self.seconds / 6.0).round().max(1.0) / 10.0
    }
}

/// Dropouts whose times are kept.
const FIRST: usize = 20;

impl Watcher {
    /// What happened since the sample before.
    pub fn look(&mut self, now: &Sample) -> Vec<WatchEvent> {
        let mut events = Vec::new();
        // Changes come first: a dropout in the same moment is told with them.
        self.changes(now, &mut events);
        for happened in &events {
            let name = name(happened);
            self.lately.push((now.at_s, name.clone()));
            *self.summary.happened.entry(name).or_default() += 1;
        }
        self.lately.retain(|(at, _)| now.at_s - at <= SHORTLY_S);
        self.dropouts(now, &mut events);
        self.summary.seconds = now.at_s;
        self.summary.load_percent =
            [self.summary.load_percent, now.load_percent].into_iter().flatten().reduce(f64::max);
        self.last = Some(now.clone());
        events.into_iter().map(|happened| WatchEvent { at_s: now.at_s, happened }).collect()
    }

    #[must_use]
    pub fn summary(&self) -> &Summary {
        &self.summary
    }

    fn dropouts(&mut self, now: &Sample, events: &mut Vec<Happened>) {
        let before = self.last.as_ref();
        let late = now.late.saturating_sub(before.map_or(0, |b| b.late));
        let xruns = now.xruns.map(|x| x.saturating_sub(before.and_then(|b| b.xruns).unwrap_or(0)));
        let mut after: Vec<String> = self.lately.iter().map(|l| l.1.clone()).collect();
        after.dedup();
        self.summary.late_blocks += late;
        self.summary.told_by_server |= now.xruns.is_some();
        // What the server tells is what is heard; our own thread only stands in for it.
        let heard = if self.summary.told_by_server { xruns.unwrap_or(0) } else { late };
        self.summary.dropouts += heard;
        if heard > 0 {
            if self.summary.first_s.len() < FIRST {
                self.summary.first_s.push(now.at_s);
            }
            for cause in &after {
                *self.summary.before.entry(cause.clone()).or_default() += heard;
            }
        }
        if let Some(count) = xruns.filter(|x| *x > 0) {
            events.push(Happened::Xrun { count, after: after.clone() });
        }
        if late > 0 {
            events.push(Happened::Late { count: late, after });
        }
        if now.thief.is_some() && now.thief != self.thief {
            self.thief.clone_from(&now.thief);
            self.summary.thief.clone_from(&now.thief);
            events.extend(now.thief.clone().map(|who| Happened::Thief { who }));
        }
    }

    fn changes(&mut self, now: &Sample, events: &mut Vec<Happened>) {
        let first = self.last.is_none();
        if let Some(before) = &self.last {
            match (before.server, now.server) {
                (Some(true), Some(false)) => events.push(Happened::ServerGone),
                (Some(false), Some(true)) => events.push(Happened::ServerBack),
                _ => {}
            }
            for (what, to) in &now.values {
                if let Some(from) = before.values.get(what).filter(|from| *from != to) {
                    events.push(Happened::Changed { what, from: from.clone(), to: to.clone() });
                }
            }
            let slowed = before.throttled.zip(now.throttled).map_or(0, |(b, n)| n.saturating_sub(b));
            if slowed > 0 {
                events.push(Happened::SlowedByHeat { times: slowed });
            }
        }
        if let Some(devices) = &now.devices {
            if !first {
                let came = devices.difference(&self.devices).cloned();
                events.extend(came.map(|device| Happened::DeviceCame { device }));
                let gone = self.devices.difference(devices).cloned();
                events.extend(gone.map(|device| Happened::DeviceGone { device }));
            }
            self.devices.clone_from(devices);
        }
        if let Some(busy) = &now.busy {
            self.programs(busy, events);
        }
        let hot = now.hottest_c.is_some_and(|c| c >= if self.hot { COOL_C } else { HOT_C });
        if hot && !self.hot {
            events.extend(now.hottest_c.map(|celsius| Happened::Hot { celsius }));
        }
        self.hot = if now.hottest_c.is_some() { hot } else { self.hot };
        let short = now.memory_waits_percent.map(|w| w > WAITS);
        if short == Some(true) && !self.short {
            let waits_percent = now.memory_waits_percent.unwrap_or(0.0);
            events.push(Happened::ShortOfMemory { waits_percent });
        }
        self.short = short.unwrap_or(self.short);
    }

    fn programs(&mut self, busy: &[BusyProgram], events: &mut Vec<Happened>) {
        for b in busy.iter().filter(|b| b.core_share >= BUSY) {
            if self.working.insert(b.name.clone()) {
                events.push(Happened::Works { program: b.name.clone(), core_share: b.core_share });
            }
        }
        let rests = |name: &String| !busy.iter().any(|b| &b.name == name && b.core_share >= AT_REST);
        let resting: Vec<String> = self.working.iter().filter(|n| rests(n)).cloned().collect();
        for program in resting {
            self.working.remove(&program);
            events.push(Happened::Rests { program });
        }
    }
}

/// A change in a few words, for what is told with a dropout.
fn name(happened: &Happened) -> String {
    match happened {
        Happened::Changed { what, from, to } => format!("{what} from {from} to {to}"),
        Happened::DeviceCame { device } => format!("{device} came"),
        Happened::DeviceGone { device } => format!("{device} went"),
        Happened::Works { program, .. } => format!("{program} began to work"),
        Happened::Rests { program } => format!("{program} came to rest"),
        Happened::Hot { .. } => "it got hot".into(),
        Happened::SlowedByHeat { .. } => "heat slowed the processor down".into(),
        Happened::ShortOfMemory { .. } => "memory ran short".into(),
        Happened::ServerGone => "the server went away".into(),
        Happened::ServerBack => "the server came back".into(),
        Happened::Xrun { .. } => "xrun".into(),
        Happened::Late { .. } => "late block".into(),
        Happened::Thief { who } => format!("thief: {who}"),
    }
}
