//! A soak as text.

use super::{ChangesSince, Soaked};
use crate::shared::answer::{Detail, quoted};
use crate::shared::page::columns::legend;
use crate::shared::page::{
    Columns, Head, Style, TIED, answer, command, counted, heading, styled, title, wrapped,
};
use crate::shared::words::figures::{an_hour, duration, per_hour, percent, plain, rate, us};
use crate::shared::words::survey::ALLOW_REALTIME;
use crate::shared::words::warnings::capital;
use swiftloop_core::soak::{ComparedFigure, Decision, Rung, ValueCounts, none_in, quiet};

pub fn show(s: &Soaked<'_>, detail: Detail) -> String {
    let mut text = heading(&format!("Soaked at {}{TIED}Hz: {}", s.rate, s.title));
    text.push_str(&lead(s));
    text.push_str(&remarks(s));
    if !s.rungs.is_empty() {
        text.push('\n');
        text.push_str(&beside(s));
        if detail.is_full() {
            text.push('\n');
            text.push_str(&happened(s.rungs));
        }
    }
    #[cfg(target_os = "linux")]
    text.push_str(&s.traced.map_or(String::new(), |t| super::traced::show(t, detail)));
    text.push_str(&s.chain.map_or(String::new(), |c| super::chain::show(c, s)));
    text.push_str(&machine(s, detail));
    if let Some(since) = s.since {
        text.push_str(&changed(since));
    }
    text.push_str(&next(s, detail));
    text
}

fn lead(s: &Soaked<'_>) -> String {
    let Some(last) = s.rungs.last() else { return answer("Stopped before the first block.") };
    let allowed = rate(s.question.allowed);
    let wrong = format!("wrong in {} such answers at the most", one_in(s.question.error));
    let block = last.block;
    let (line, why) = match (s.ladder, s.smallest, quiet(s.rungs)) {
        (true, Some(block), _) => (
            styled(Style::Good, format!("{block} frames is the smallest block that holds.")),
            format!("Fewer than {allowed}, {wrong}."),
        ),
        (true, None, Some(rung)) => (
            styled(
                Style::Unsure,
                format!(
                    "{} frames is the smallest block without a miss; whether it holds is open.",
                    rung.block
                ),
            ),
            still_open(s, rung),
        ),
        (true, None, None) => (
            styled(Style::Bad, format!("No block up to {block} frames went without a miss.")),
            "Quiet the machine (swiftloop survey says what disturbs it), or take less work into each block."
                .into(),
        ),
        (false, ..) => match last.decision {
            Decision::Holds => (
                styled(Style::Good, format!("{block} frames hold.")),
                format!("Fewer than {allowed}, {wrong}."),
            ),
            Decision::Breaks => (
                styled(Style::Bad, format!("{block} frames break.")),
                format!(
                    "More than {allowed}, {wrong}. Take the next larger buffer, or see who takes its time: swiftloop soak --trace (as root)"
                ),
            ),
            Decision::Open => {
                (styled(Style::Unsure, format!("Whether {block} frames hold is open.")), still_open(s, last))
            }
        },
    };
    format!("{}{}{}", answer(&line), wrapped("", &why), through_a_show(s, last))
}

/// What was seen, what the model says, and what would settle it.
fn still_open(s: &Soaked<'_>, r: &Rung) -> String {
    let (seen, lasted) = (r.observed.misses(), r.observed.lasted);
    let fewer = s.question.fewer_than(seen, lasted);
    let shows =
        if seen == 0 { "without a miss only show".into() } else { format!("with {} show", misses(seen)) };
    let mut text = format!(
        "{} {shows} fewer than {}; you allow {}. ",
        duration(lasted),
        an_hour(fewer),
        rate(s.question.allowed)
    );
    let model = if r.predicted.typical.raw() < f64::MAX {
        format!("The model says {} (at most {}). ", rate(r.predicted.typical), per_hour(r.predicted.high))
    } else {
        String::new()
    };
    text.push_str(&model);
    let settled = s.question.settled_after(seen);
    let seconds = settled.raw().ceil();
    if seconds <= 86_400.0 {
        text.push_str(&format!(
            "{} without {} would settle it: --seconds {seconds:.0}",
            capital(&duration(settled)),
            if seen == 0 { "a miss" } else { "more" }
        ));
    } else {
        text.push_str(&format!("It would take {} to settle it by counting alone.", duration(settled)));
    }
    text
}

/// The chance of no dropout in a whole show.
fn through_a_show(s: &Soaked<'_>, r: &Rung) -> String {
    let Some(show) = s.show else { return String::new() };
    let in_100 = |rate| {
        let share = none_in(show, rate) * 100.0;
        if share > 99.0 && share < 100.0 { "more than 99".to_string() } else { format!("{share:.0}") }
    };
    let counted = s.question.fewer_than(r.observed.misses(), r.observed.lasted);
    wrapped(
        "",
        &format!(
            "No dropout in a show of {}: the model says in {} of 100 shows ({} to {}); what was counted promises {}.",
            duration(show),
            in_100(r.predicted.typical),
            in_100(r.predicted.high),
            in_100(r.predicted.low),
            in_100(counted)
        ),
    )
}

/// A rate of errors, as it was given.
fn one_in(error: f64) -> String {
    let times = 1.0 / error;
    if (times - times.round()).abs() < 1e-6 * times {
        format!("1 of {times:.0}")
    } else {
        format!("{} of 100", plain(error * 100.0))
    }
}

/// How it is allowed here.
fn allow() -> &'static str {
    match std::env::consts::OS {
        "windows" => "Start the service Multimedia Class Scheduler (services.msc), then soak again.",
        "macos" => {
            "Nothing has to be allowed here; other work that is under a time constraint may stand in its way."
        }
        _ => "Allow it, then log in again:",
    }
}

/// What the reader should know about how it was measured.
fn remarks(s: &Soaked<'_>) -> String {
    let mut text = String::new();
    for refused in &s.permission.refused {
        text.push_str(&wrapped(
            "  ! ",
            &format!(
                "This machine gave {refused}: the figures are those of an ordinary thread, worse than audio software would get. \
                 {}",
                allow()
            ),
        ));
        if cfg!(target_os = "linux") {
            text.push_str(&command(ALLOW_REALTIME));
        }
    }
    if s.workers > s.hardware_threads {
        text.push_str(&wrapped(
            "  ! ",
            &format!(
                "{} workers share {} here: they wait for each other.",
                s.workers,
                counted(s.hardware_threads, "hardware thread", "hardware threads")
            ),
        ));
    } else if s.hardware_threads == 1 {
        text.push_str(&wrapped(
            "  ! ",
            "This machine has one hardware thread: all other programs wait for the audio, and it never for them.",
        ));
    }
    if s.stopped {
        text.push_str(&wrapped("  ! ", "Stopped before its time; what was seen until then counts."));
    }
    if let Some(server) = s.server {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Through {}: {} frames at {}{TIED}Hz again, as it was; its own load now {:.1}{TIED}%. Misses are the server's xruns.",
                server.kind, server.buffer_frames, server.rate_hz, server.load_percent
            ),
        ));
    }
    if s.gone {
        text.push_str(&wrapped(
            "  ! ",
            "The server went away in the middle; what was seen until then counts. Start it again and repeat.",
        ));
    }
    if s.clock_step_s != 0.0 {
        text.push_str(&wrapped(
            "  ! ",
            &format!(
                "The wall clock was set by {:+.1}{TIED}s meanwhile (or the machine slept); the soak does not measure by it.",
                s.clock_step_s
            ),
        ));
    }
    text
}

/// Delays and work as they were.
fn happened(rungs: &[Rung]) -> String {
    let mut t = Columns::new(&[
        Head::figures("buffer"),
        Head::figures("period"),
        Head::figures("blocks"),
        Head::figures("late, median"),
        Head::figures("late, 99.9 %"),
        Head::figures("latest"),
        Head::figures("work, median"),
        Head::figures("work, 99.9 %"),
        Head::figures("longest"),
    ]);
    for r in rungs {
        let of = |c: &ValueCounts, q: f64| us(c.quantile(q));
        let mut row =
            vec![r.block.to_string(), us(r.block.period(r.rate).raw()), r.observed.blocks.to_string()];
        for counts in [&r.wake_us, &r.exec_us] {
            row.extend([0.5, 0.999, 1.0].map(|q| of(counts, q)));
        }
        t.push(row);
    }
    format!("{}{}", t.show(), legend("late: from due to awake. work: from awake to done."))
}

/// Predicted beside seen: the calibration.
fn beside(s: &Soaked<'_>) -> String {
    let mut heads = vec![
        Head::figures("buffer"),
        Head::figures("misses"),
        Head::figures("seen/h"),
        Head::figures("at most"),
        Head::figures("predicted/h"),
        Head::figures("at most"),
        Head::words("answer"),
    ];
    let thieves = thieves(s);
    if thieves.is_some() {
        heads.push(Head::words("most by"));
    }
    let mut t = Columns::new(&heads);
    for r in s.rungs {
        let style = match r.decision {
            Decision::Holds => Style::Good,
            Decision::Breaks => Style::Bad,
            Decision::Open => Style::Unsure,
        };
        let seen = r.observed.per_hour();
        let mut row = vec![
            r.block.to_string(),
            r.observed.misses().to_string(),
            if seen.typical.raw() > 0.0 { per_hour(seen.typical) } else { "0".into() },
            per_hour(s.question.fewer_than(r.observed.misses(), r.observed.lasted)),
            per_hour(r.predicted.typical),
            per_hour(r.predicted.high),
            styled(style, r.decision.as_str()),
        ];
        if let Some(thieves) = &thieves {
            row.push(thieves.iter().find(|t| t.0 == r.block).map_or("–".into(), |t| t.1.clone()));
        }
        t.push(row);
    }
    let text = "/h: an hour. seen: what was counted; at most: what the count cannot rule out. predicted: from stretches in \
                between that were not counted.";
    format!("{}{}", t.show(), legend(text))
}

/// Who took most of each rung's late blocks, where the kernel was looked into.
#[cfg(target_os = "linux")]
fn thieves(s: &Soaked<'_>) -> Option<Vec<(swiftloop_units::Block, String)>> {
    s.traced.map(super::traced::by_rung)
}

#[cfg(not(target_os = "linux"))]
fn thieves(_: &Soaked<'_>) -> Option<Vec<(swiftloop_units::Block, String)>> {
    None
}

/// What was learned about the machine.
fn machine(s: &Soaked<'_>, detail: Detail) -> String {
    let mut text = title("This machine");
    let granted =
        if s.permission.whole() { "real-time priority and locked memory" } else { "an ordinary thread" };
    text.push_str(&wrapped(
        "  ",
        &format!(
            "A core is {:.2} times as fast as the reference core (2020, 4{TIED}GHz): {:.2} where each step waits for \
             the one before, {:.2} where it only has to get through; measured with {granted}.",
            s.speed, s.speed_of_halves[0], s.speed_of_halves[1]
        ),
    ));
    let Some(p) = s.profile else {
        if s.chain.is_some() {
            return text;
        }
        text.push_str(&wrapped("  ", "Too few wake-ups were seen for a profile: soak longer."));
        return text;
    };
    let late = p.tail_share.typical().raw();
    let one_in = if late > 0.0 {
        format!("one wake-up in {:.0} comes more than {} late", 1.0 / late, us(p.threshold_us.raw()))
    } else {
        format!("no wake-up came more than {} late", us(p.threshold_us.raw()))
    };
    let together = match p.cluster {
        Some(c) if c.raw() > 1.05 => format!("; late ones come {:.1} at a time", c.raw()),
        _ => String::new(),
    };
    text.push_str(&wrapped("  ", &format!("Of {} wake-ups, {one_in}{together}.", p.wakes)));
    if let (Some(top), Some(drift)) = (p.pace.last(), p.pace_drift) {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Work took up to {:.1} times as long as undisturbed, and drifts by {} from second to second.",
                top.up_to.raw(),
                percent(drift.raw())
            ),
        ));
    }
    if detail.is_full() {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Beyond that the tail has shape {:.2} ({:.2} to {:.2}) and scale {} ({} to {}).",
                p.shape.typical().raw(),
                p.shape.low().raw(),
                p.shape.high().raw(),
                us(p.scale_us.typical().raw()),
                us(p.scale_us.low().raw()),
                us(p.scale_us.high().raw())
            ),
        ));
    }
    text
}

fn changed(since: &ChangesSince) -> String {
    let real = since.changes.iter().filter(|c| c.real).count();
    let said = match (real, since.changes.iter().any(|c| c.real && c.worse)) {
        (0, _) => "Nothing changed by more than chance.",
        (_, true) => "The machine has become worse by more than chance.",
        (_, false) => "The machine has become better by more than chance.",
    };
    let mut text = format!("{}{}", title(&format!("Since {}", since.date)), wrapped("  ", said));
    let mut t = Columns::new(&[
        Head::words("what"),
        Head::figures("then"),
        Head::figures("now"),
        Head::figures("by chance"),
        Head::words("verdict"),
    ]);
    for c in &since.changes {
        let (what, shown): (String, fn(f64) -> String) = match c.figure {
            ComparedFigure::LaterThan(limit) => {
                (format!("wake-ups later than {}", us(limit.raw())), |x| format!("{:.3} %", x * 100.0))
            }
            ComparedFigure::Speed => ("speed of a core beside the reference".into(), |x| format!("{x:.2}")),
        };
        t.row([
            what,
            shown(c.before),
            shown(c.now),
            match c.by_chance {
                Some(p) if p < 0.0001 => "< 0.01 %".into(),
                Some(p) => format!("{:.2} %", p * 100.0),
                None => "–".into(),
            },
            match (c.real, c.worse) {
                (false, _) => styled(Style::Faint, "chance"),
                (true, true) => styled(Style::Bad, "worse"),
                (true, false) => styled(Style::Good, "better"),
            },
        ]);
    }
    text.push_str(&t.show());
    text
}

fn next(s: &Soaked<'_>, detail: Detail) -> String {
    let mut text = String::new();
    match (s.saved, s.profile) {
        (Some(path), _) => {
            let file = path.display().to_string();
            let key = if s.chain.is_some() { "paced_cost" } else { "wake" };
            text.push_str(&format!("\n{}", wrapped("", &format!("Written into {file} as machine.{key}."))));
            text.push_str(&title("Next"));
            text.push_str(&command(&format!("swiftloop plan {} SESSION.toml", quoted(&file))));
        }
        (None, Some(_)) => {
            text.push_str(&title("Next: keep this, and plan uses this machine instead of its class"));
            let buffer = s.rungs.last().map_or(128, |r| r.block.get());
            text.push_str(&command(&format!("swiftloop soak --buffer {buffer} --save rig.toml")));
        }
        (None, None) if s.chain.is_some() => {
            text.push_str(&title(
                "Next: keep how much dearer they were than weighed alone, and plan uses that",
            ));
            text.push_str(&wrapped("  ", "The same with --save and the rig file."));
        }
        (None, None) => {}
    }
    if !detail.is_full() {
        text.push_str(&wrapped("", &styled(Style::Faint, "Every delay and the shape of the tail: --full")));
    }
    text
}

/// So many misses, in words.
pub fn misses(n: u64) -> String {
    match n {
        0 => "no miss".into(),
        1 => format!("1{TIED}miss"),
        n => format!("{n}{TIED}misses"),
    }
}
