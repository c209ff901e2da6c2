//! A watch while it runs: one quiet line; at its end the summary, and the note that keeps it.

use crate::shared::metrics::{family, label};
use crate::shared::page::{
    Style, TIED, and_list, answer, clean, command, counted, heading, styled, title, wrapped,
};
use crate::shared::words::differences::place;
use crate::shared::words::figures::{clock, duration, percent};
use crate::watch::watching::{Moment, Watched};
use serde_json::{Value, json as object};
use std::fmt::Write;
use std::path::Path;
use swiftloop_core::in_effect::{Demand, Happened, WatchEvent};
use swiftloop_units::Seconds;

/// Everything about one watch.
pub struct WatchAnswer<'a> {
    pub demand: &'a Demand,
    pub watched: &'a Watched,
    /// The times of day of the first dropouts.
    pub times: &'a [String],
    /// The arguments of a command about the same place.
    pub place: &'a str,
    /// There is a session whose notes can keep it.
    pub has_session: bool,
    /// The recording's name for the kernel's trace; and the log.
    pub log: Option<&'a Path>,
    pub noted: Option<&'a Path>,
}

pub fn line(demand: &Demand, m: &Moment<'_>) -> String {
    let dropouts = match m.summary.dropouts {
        0 => "no dropout".into(),
        n => counted(n as usize, "dropout", "dropouts"),
    };
    let load = m.sample.load_percent.map_or(String::new(), |l| format!(" · load {l:.0} %"));
    let late = match (m.summary.told_by_server, m.summary.late_blocks) {
        (true, n) if n > 0 => format!(" · {n} late wake-ups"),
        _ => String::new(),
    };
    clean(&format!("{} · {} · {dropouts}{load}{late}", demand.phase, clock(m.at_s))).replace(TIED, " ")
}

/// An event as people read it; nothing for what only the log wants.
pub fn event(e: &WatchEvent, at: &str) -> String {
    let after = |list: &[String]| match list {
        [] => String::new(),
        list => format!(" (shortly before: {})", and_list(list)),
    };
    let what = match &e.happened {
        Happened::Xrun { count, after: list } => {
            format!("{}{}", counted(*count as usize, "xrun", "xruns"), after(list))
        }
        Happened::Late { count, after: list } => {
            format!(
                "{} at the real period{}",
                counted(*count as usize, "late wake-up", "late wake-ups"),
                after(list)
            )
        }
        Happened::Thief { who } => format!("who steals the time: {who}"),
        Happened::Changed { what, from, to } => format!("{what}: {from} → {to}"),
        Happened::DeviceCame { device } => format!("{device} came"),
        Happened::DeviceGone { device } => format!("{device} went"),
        Happened::Works { program, core_share } => {
            format!("{program} began to work: {} of a core", percent(*core_share))
        }
        Happened::Rests { program } => format!("{program} came to rest"),
        Happened::Hot { celsius } => format!("it got hot: {celsius:.0} °C"),
        Happened::SlowedByHeat { times } => format!("heat slowed the processor down {times} times"),
        Happened::ShortOfMemory { waits_percent } => {
            format!("memory ran short: waited for {waits_percent:.1} % of the time")
        }
        Happened::ServerGone => "the server went away".into(),
        Happened::ServerBack => "the server came back".into(),
    };
    clean(&format!("{at}  {what}")).replace(TIED, " ")
}

pub fn show(kept: &WatchAnswer<'_>) -> String {
    let s = &kept.watched.summary;
    let mut text = heading(&format!("{}: {} watched", place(kept.demand), duration(Seconds::new(s.seconds))));
    text.push_str(&answer(&lead(kept)));
    if !s.before.is_empty() {
        let list: Vec<String> = s.before.iter().map(|(what, n)| format!("{} ({n})", clean(what))).collect();
        text.push_str(&wrapped("Shortly before: ", &format!("{}.", and_list(&list))));
    }
    if let Some(who) = &s.thief {
        text.push_str(&wrapped("Who stole the time: ", &format!("{}.", clean(who))));
    }
    let others: Vec<String> = s
        .happened
        .iter()
        .map(
            |(what, n)| {
                if *n > 1 { format!("{} ({n} times)", clean(what)) } else { clean(what).into_owned() }
            },
        )
        .collect();
    if !others.is_empty() {
        text.push_str(&wrapped("Also happened: ", &format!("{}.", others.join("; "))));
    }
    let own = format!("{:.2}{TIED}%", kept.watched.own_share * 100.0);
    let load =
        s.load_percent.map_or(String::new(), |l| format!("Highest load of the server {l:.0}{TIED}%. "));
    text.push_str(&wrapped("", &format!("{load}Watching took {own} of one core.")));
    text.push_str(&next(kept));
    text
}

fn lead(kept: &WatchAnswer<'_>) -> String {
    let s = &kept.watched.summary;
    let server = kept.watched.server.is_some();
    if s.dropouts == 0 {
        let none = styled(Style::Good, "No dropout");
        return match (server, s.late_blocks) {
            (false, _) => format!("{none}: a thread of ours that wakes at the real period was never late."),
            (true, 0) => format!("{none}, as the server tells."),
            (true, late) => format!(
                "{none}, as the server tells. A thread of ours at the real period was late {} all the same: there is little to spare.",
                counted(late as usize, "time", "times")
            ),
        };
    }
    let n = styled(Style::Bad, counted(s.dropouts as usize, "dropout", "dropouts"));
    let at = match kept.times {
        [] => String::new(),
        times if times.len() <= 3 => format!(" at {}", and_list(times)),
        times => format!(", the first at {}", times[0]),
    };
    if server {
        return format!("{n}{at}, as the server tells.");
    }
    format!("{n}{at}: so often was a thread of ours late that wakes at the real period.")
}

fn next(kept: &WatchAnswer<'_>) -> String {
    let s = &kept.watched.summary;
    if let Some(file) = kept.noted {
        let file = clean(&file.display().to_string()).into_owned();
        let mut text = wrapped("", &format!("Noted in {file}; the plan learns from it."));
        text.push_str(&title("What it changes"));
        text.push_str(&command(&format!("swiftloop plan {}", kept.place)));
        return text;
    }
    let mut text = String::new();
    if s.dropouts > 0 && s.thief.is_none() {
        text.push_str(&title("Who steals the time, as root, while it plays"));
        text.push_str(&command(&format!("sudo swiftloop watch {} --trace", kept.place)));
    }
    if kept.has_session {
        let minutes = s.minutes();
        text.push_str(&title("Keep it as a note: the plan learns from it"));
        text.push_str(&command(&format!(
            "swiftloop note {} --minutes {minutes} --dropouts {}",
            kept.place, s.dropouts
        )));
    } else {
        text.push_str(&title("When the session is over, put everything back"));
        text.push_str(&command("swiftloop apply --back"));
    }
    text
}

pub fn json(kept: &WatchAnswer<'_>) -> Value {
    let s = &kept.watched.summary;
    object!({
        "format": "swiftloop.watch/1",
        "phase": kept.demand.phase,
        "interface": kept.demand.interface,
        "summary": s,
        "first_at": kept.times,
        "server": kept.watched.server,
        "own_share_of_core": kept.watched.own_share,
        "log": kept.log,
        "noted_in": kept.noted,
    })
}

/// Figures for a monitoring system, as OpenMetrics text.
pub fn metrics(demand: &Demand, m: &Moment<'_>) -> String {
    let mut text = String::new();
    let place = format!("phase=\"{}\",interface=\"{}\"", label(&demand.phase), label(&demand.interface));
    let mut add = |name: &str, help: &str, value: f64| {
        family(&mut text, name, help);
        let _ = writeln!(text, "{name}{{{place}}} {value}");
    };
    add("swiftloop_watch_seconds", "how long the take is watched", m.at_s);
    add("swiftloop_watch_dropouts", "dropouts since then", m.summary.dropouts as f64);
    add(
        "swiftloop_watch_late_blocks",
        "late wake-ups at the real period since then",
        m.summary.late_blocks as f64,
    );
    if let Some(load) = m.sample.load_percent {
        add("swiftloop_watch_load_percent", "load of the server", load);
    }
    text.push_str("# EOF\n");
    text
}
