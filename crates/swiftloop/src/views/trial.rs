//! `try`: the answer first, then every leg, the block, the risk, the remedies, and why the plan chose otherwise.

use super::words::{self, calm, dropouts, faint, ms, ms_range, per_hour, percent};
use super::{STRONG, heading, legs, lines, picture, right, styled, table, wrapped};
use swiftloop_core::advice;
use swiftloop_core::choice::{Arrangement, Buys, Choice, Remedy, Report, TradePoint, why_not};
use swiftloop_core::load::{BlockLoad, BoundBy};
use swiftloop_core::loops::{Bench, Verdict};
use swiftloop_core::risk;

/// All that `try` found out.
pub struct Trial<'a> {
    pub bench: &'a Bench<'a>,
    pub phase: usize,
    pub arrangement: &'a Arrangement,
    pub report: &'a Report,
    pub buys: Vec<Buys>,
    pub trade: Vec<TradePoint>,
    /// Remedies that apply and were not asked for.
    pub available: Vec<&'a Remedy>,
    pub planned: Option<&'a Choice>,
    /// Which of the report's loops to show leg by leg.
    pub performer: usize,
}

impl Trial<'_> {
    /// Whether every limit and the target are met.
    pub fn is_yes(&self) -> bool {
        self.report.loops.iter().all(|l| l.verdict() != Verdict::Over)
            && self.report.verdict() != risk::Verdict::Breaking
    }

    /// The plan chose this very arrangement.
    pub fn is_planned(&self) -> bool {
        self.planned.is_some_and(|c| {
            let ids = |r: &Report| {
                let mut ids: Vec<String> = r.remedies.iter().map(|r| r.id.clone()).collect();
                ids.sort();
                ids
            };
            c.arrangement.setting == self.arrangement.setting
                && c.arrangement.roll == self.arrangement.roll
                && c.arrangement.workers == self.arrangement.workers
                && ids(&c.report) == ids(self.report)
        })
    }

    /// Why the plan chose otherwise, if it did.
    pub fn why_not(&self) -> Option<String> {
        let price = self.arrangement.price;
        self.planned.filter(|_| !self.is_planned()).map(|c| why_not(c, self.report, price))
    }
}

pub fn show(t: &Trial<'_>) -> String {
    let (bench, report) = (t.bench, t.report);
    let phase = &bench.session.phases[t.phase];
    let interface = bench.interface(&t.arrangement.setting);
    let mut text = heading(&format!(
        "{} on the {}: {}",
        phase.word(),
        interface.title(),
        words::setting(bench, t.arrangement)
    ));
    text.push_str(&answer(report));
    text.push('\n');
    if report.loops.len() > 1 {
        text.push_str(&legs::summary(&report.loops));
        text.push('\n');
    }
    if let Some(l) = report.loops.get(t.performer) {
        text.push_str(&legs::show(l));
        if report.loops.len() > 1 {
            text.push_str(&faint("  Others leg by leg: --performer ID\n"));
        }
    }
    let cursor = &report.cursor.total;
    text.push_str(&wrapped(
        "  ",
        &format!("The sound is {} behind the cursor on the screen.", ms_range(*cursor)),
    ));
    text.push('\n');
    text.push_str(&load(bench, report));
    text.push('\n');
    text.push_str(&picture::show(&t.trade, t.arrangement, report.target));
    text.push('\n');
    text.push_str(&remedies(report, &t.buys, t.arrangement.price));
    if !t.is_yes() && !t.available.is_empty() {
        let mut cheap = t.available.clone();
        cheap.sort_by_key(|r| r.price);
        let ids: Vec<&str> = cheap.iter().take(6).map(|r| r.id.as_str()).collect();
        text.push_str(&wrapped(
            "",
            &format!("Remedies to try (--remedy ID), cheapest first: {}", ids.join(", ")),
        ));
    }
    text.push_str(&slow(t));
    text.push_str(&planned(t));
    text.push_str(&warnings(&advice::warnings(bench, &t.arrangement.setting, phase)));
    text
}

/// The answer in two lines.
pub fn answer(report: &Report) -> String {
    let mut text = String::new();
    if let Some(l) = report.tightest() {
        let line = match (&l.limit, l.verdict()) {
            (None, _) => format!("Nobody performs. The sound comes {} after the cursor.", ms_range(l.total)),
            (Some(_), Verdict::Within) => format!(
                "{} hears themselves after {}, within the limit of {}.",
                l.who,
                ms_range(l.total),
                words::limit(l)
            ),
            (Some(_), Verdict::Doubtful) => {
                format!(
                    "{} hears themselves after {}, probably within the limit of {}.",
                    l.who,
                    ms_range(l.total),
                    words::limit(l)
                )
            }
            (Some(_), Verdict::Over) => {
                format!(
                    "{} hears themselves after {}: {} ms over the limit of {}.",
                    l.who,
                    ms_range(l.total),
                    ms(l.excess()),
                    words::limit(l)
                )
            }
        };
        text.push_str(&styled(STRONG, wrapped("", &line).trim_end()));
        text.push('\n');
    }
    let line = format!(
        "{}: {} dropouts an hour by {} wake-up delays, the phase bears {}.",
        calm(report.verdict()),
        dropouts(report.dropouts),
        report.profile.word(),
        report.target
    );
    text.push_str(&wrapped("", &line));
    text
}

/// The blocks, what binds, and the causes of dropouts.
pub fn load(bench: &Bench<'_>, report: &Report) -> String {
    let mut t = table(&[
        "block",
        "frames",
        "deadline",
        "worst",
        "mean",
        "longest chain",
        "all work",
        "workers",
        "binds",
    ]);
    let mut row = |name: &str, b: &BlockLoad| {
        t.add_row([
            name.to_string(),
            b.block_frames.to_string(),
            format!("{:.0} µs", b.deadline_us),
            percent(b.worst_ratio()),
            percent(b.mean_ratio()),
            percent(b.critical_path_us / b.deadline_us),
            percent(b.total_us / b.deadline_us),
            b.workers.to_string(),
            b.bound_by.word().into(),
        ]);
    };
    row(if report.roll.is_some() { "cue" } else { "device" }, &report.cue);
    if let Some((roll, _)) = &report.roll {
        row("roll", roll);
    }
    right(&mut t, &[1, 2, 3, 4, 5, 6, 7]);
    let mut text = lines(&t);
    if let Some((roll, response)) = &report.roll {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "The roll block is ready after {:.1} ms of {:.1} ms, cue blocks served first.",
                response / 1000.0,
                roll.deadline_us / 1000.0
            ),
        ));
    }
    let busiest = match &report.roll {
        Some((roll, _)) if roll.worst_ratio() > report.cue.worst_ratio() => roll,
        _ => &report.cue,
    };
    text.push_str(&wrapped("  ", &binding(bench, busiest)));
    if busiest.capped {
        text.push_str("  The cycle of internal blocks is too long to walk: all were taken to fall due together, always.\n");
    }
    if report.streams_mb_s > 0.0 {
        let disk = bench.rig.machine.disk_mb_per_s.0;
        text.push_str(&wrapped(
            "  ",
            &format!("Disk streams: {:.1} MB/s of {disk} MB/s.", report.streams_mb_s),
        ));
    }
    let (disk, memory) = (report.from_disk, report.from_memory);
    if disk.high > 0.001 || memory.high > 0.0 {
        text.push_str(&wrapped(
            "  ",
            &format!("Of the dropouts, from the disk {}, from memory {}.", dropouts(disk), dropouts(memory)),
        ));
    }
    text.push_str(&wrapped(
        "  ",
        &format!(
            "Costs are assumed by class unless the session gives figures; {}.",
            words::about_profile(report)
        ),
    ));
    text
}

/// What keeps the block from being shorter, and what that means.
pub fn binding(bench: &Bench<'_>, b: &BlockLoad) -> String {
    let chain = words::chain(bench, &b.critical_chain);
    match b.bound_by {
        BoundBy::Chain => {
            format!("A chain binds: {chain}. More cores would not help; less work on this chain would.")
        }
        BoundBy::Burst => format!(
            "Bursts bind: processors with large blocks of their own fall due together, {} in the worst block against {} in the mean one. Longest chain: {chain}.",
            percent(b.worst_ratio()),
            percent(b.mean_ratio())
        ),
        BoundBy::Cores => format!("The sum of all work binds, no single chain. Longest chain: {chain}."),
    }
}

/// Remedies applied, with prices and what each buys.
pub fn remedies(report: &Report, buys: &[Buys], price: u32) -> String {
    if report.remedies.is_empty() && report.arranged.is_empty() {
        return String::new();
    }
    let mut t = table(&["remedy", "price", "what to do", "buys", "costs elsewhere"]);
    for r in &report.arranged {
        t.add_row([
            r.id.clone(),
            r.price.to_string(),
            r.does.clone(),
            "part of the setting".into(),
            r.elsewhere.clone(),
        ]);
    }
    for (r, b) in report.remedies.iter().zip(buys) {
        t.add_row([
            r.id.clone(),
            r.price.to_string(),
            r.does.clone(),
            bought(*b, report.dropouts.typical),
            r.elsewhere.clone(),
        ]);
    }
    right(&mut t, &[1]);
    format!("{}{}", lines(&t), wrapped("  ", &format!("Price together: {price}.")))
}

fn bought(b: Buys, now: f64) -> String {
    let mut parts = Vec::new();
    if b.delay_ms > 0.005 {
        parts.push(format!("{:.1} ms", b.delay_ms));
    }
    if b.dropouts_without > now * 1.2 && b.dropouts_without > 0.001 {
        parts.push(format!("{} → {} dropouts/h", per_hour(b.dropouts_without), per_hour(now)));
    }
    if parts.is_empty() { "needed together with the others".into() } else { parts.join(", ") }
}

fn slow(t: &Trial<'_>) -> String {
    let phase = &t.bench.session.phases[t.phase];
    let all = advice::slow_on_live_path(t.bench, phase, t.arrangement.setting.rate);
    if all.is_empty() {
        return String::new();
    }
    let mut rows = table(&["delays the live path", "frames", "ms", "low-delay mode", "over the threshold"]);
    for p in &all {
        rows.add_row([
            p.title.clone(),
            format!("{:.0}", p.latency.0),
            ms(p.latency_ms),
            p.low_delay.map_or("none".into(), |l| format!("{:.0} frames", l.0)),
            if p.over_threshold { "yes" } else { "no" }.into(),
        ]);
    }
    right(&mut rows, &[1, 2]);
    format!("\n{}\n", lines(&rows))
}

fn planned(t: &Trial<'_>) -> String {
    match (t.planned, t.why_not()) {
        (None, _) => wrapped(
            "",
            "The session does not mean this phase for this interface, so the plan has no choice here.",
        ),
        (Some(_), None) => wrapped("", "This is what the plan chose."),
        (Some(c), Some(why)) => {
            let ids: Vec<&str> = c.report.remedies.iter().map(|r| r.id.as_str()).collect();
            let with = if ids.is_empty() { "no remedy".to_string() } else { ids.join(", ") };
            wrapped(
                "",
                &format!(
                    "The plan takes {} with {with}, price {}: {why}.",
                    words::setting(t.bench, &c.arrangement),
                    c.price
                ),
            )
        }
    }
}

/// Warnings with their cures.
pub fn warnings(all: &[advice::Warning]) -> String {
    if all.is_empty() {
        return String::new();
    }
    let mut text = format!("\n{}\n", styled(STRONG, "Not the buffer's fault"));
    for w in all {
        text.push_str(&wrapped("  ! ", &format!("{}.", w.message)));
        text.push_str(&wrapped("    → ", &format!("{}.  [{}]", w.fix, w.code)));
    }
    text
}
