//! What a soak came to: the answer first, what the machine did, what was predicted beside what was seen.

use super::soak_meter::misses;
use super::words::{dropouts, per_hour};
use super::{BAD, FAINT, GOOD, STRONG, UNSURE, heading, lines, right, styled, table, wrapped};
use serde_json::{Value, json};
use std::path::Path;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::risk::Dropouts;
use swiftloop_core::soak::{Change, Counts, Decision, Figure, Question, Rung};
use swiftloop_core::survey::ALLOW_REALTIME;
use swiftloop_core::units::{Block, Hz};
use swiftloop_host::jack::About;
use swiftloop_host::soak::Permission;

/// Everything about one soak.
pub struct Soaked<'a> {
    pub title: &'a str,
    pub permission: &'a Permission,
    pub speed: f64,
    pub rate: Hz,
    pub reserve: f64,
    pub question: Question,
    pub ladder: bool,
    pub smallest: Option<Block>,
    pub rungs: &'a [Rung],
    pub profile: Option<&'a WakeProfile>,
    /// The date of the older profile, and what changed since.
    pub changes: Option<&'a (&'a str, Vec<Change>)>,
    pub saved: Option<&'a Path>,
    pub stopped: bool,
    pub clock_step_s: f64,
    /// Workers, and the hardware threads there are for them.
    pub crowd: (usize, usize),
    /// The server that was soaked through, and whether it went away.
    pub server: Option<&'a About>,
    pub gone: bool,
}

/// A rate that was counted, unlike one that is foretold, can be nothing at all.
fn seen(rate: Dropouts) -> String {
    if rate.typical > 0.0 { dropouts(rate) } else { format!("0 (0–{})", per_hour(rate.high)) }
}

/// The text.
pub fn show(s: &Soaked<'_>) -> String {
    let mut text = heading(&format!("Soaked at {} Hz: {}", s.rate, s.title));
    text.push_str(&answer(s));
    for refused in &s.permission.refused {
        text.push_str(&wrapped(
            "  ! ",
            &format!(
                "This machine gave {refused}: the figures are those of an ordinary thread, worse than audio software would \
                 get. Allow it: {ALLOW_REALTIME}"
            ),
        ));
    }
    if s.crowd.0 > s.crowd.1 {
        text.push_str(&wrapped(
            "  ! ",
            &format!(
                "{} workers share {} hardware thread{} here: they wait for each other.",
                s.crowd.0,
                s.crowd.1,
                if s.crowd.1 == 1 { "" } else { "s" }
            ),
        ));
    } else if s.crowd.1 == 1 {
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
                "Through {}: {} frames at {} Hz again, as it was; its own load now {:.1} %. Misses are the server's xruns.",
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
                "The wall clock was set by {:+.1} s meanwhile (or the machine slept); the soak does not measure by it.",
                s.clock_step_s
            ),
        ));
    }
    if !s.rungs.is_empty() {
        text.push_str(&happened(s.rungs));
        text.push_str(&beside(s.rungs));
    }
    text.push_str(&machine(s));
    if let Some((date, changes)) = s.changes {
        text.push_str(&changed(date, changes));
    }
    text.push_str(&next(s));
    text
}

fn answer(s: &Soaked<'_>) -> String {
    let question = |fewer: &str| {
        format!(
            "{fewer} than {} misses an hour, wrong in {:.0} of 100 such answers at the most",
            per_hour(s.question.too_many_per_hour),
            s.question.error * 100.0
        )
    };
    if s.ladder {
        return match (s.smallest, s.rungs.last()) {
            (Some(block), _) => {
                format!(
                    "{}\n{}",
                    styled(STRONG, format!("{block} frames is the smallest block that holds")),
                    wrapped("  ", &question("fewer"))
                )
            }
            (None, Some(last)) => format!(
                "{}\n",
                styled(STRONG, format!("No block up to {} frames was found to hold", last.block))
            ),
            (None, None) => format!("{}\n", styled(STRONG, "Stopped before the first block")),
        };
    }
    let Some(rung) = s.rungs.last() else {
        return format!("{}\n", styled(STRONG, "Stopped before the first block"));
    };
    let said = match rung.decision {
        Decision::Holds => format!("{} frames hold", rung.block),
        Decision::Breaks => format!("{} frames break", rung.block),
        Decision::Undecided => format!("Whether {} frames hold is not decided", rung.block),
    };
    let why = match rung.decision {
        Decision::Holds => question("fewer"),
        Decision::Breaks => format!(
            "more than {} misses an hour, wrong in {:.0} of 100 such answers at the most",
            per_hour(s.question.bearable_per_hour),
            s.question.error * 100.0
        ),
        Decision::Undecided => format!(
            "{} in {:.0} s: neither {} an hour nor {} can be ruled out; soak longer (--seconds)",
            misses(rung.observed.misses()),
            rung.observed.seconds,
            per_hour(s.question.bearable_per_hour),
            per_hour(s.question.too_many_per_hour)
        ),
    };
    format!("{}\n{}", styled(STRONG, said), wrapped("  ", &why))
}

/// Delays and work as they were.
fn happened(rungs: &[Rung]) -> String {
    let mut t = table(&[
        " buffer",
        "period",
        "blocks",
        "late ½",
        "late 1 ‰",
        "latest",
        "work ½",
        "work 1 ‰",
        "longest",
    ]);
    for r in rungs {
        let us = |c: &Counts, q: f64| time(c.quantile(q));
        let mut row = vec![
            r.block.to_string(),
            format!("{:.0} µs", r.block.period(r.rate).0),
            r.observed.blocks.to_string(),
        ];
        for counts in [&r.wake_us, &r.exec_us] {
            row.extend([0.5, 0.999, 1.0].map(|q| us(counts, q)));
        }
        t.add_row(row);
    }
    right(&mut t, &[0, 1, 2, 3, 4, 5, 6, 7, 8]);
    let legend = "Late: from due to awake. Work: from awake to done. Half of the blocks stay below ½, one in a thousand \
                  exceeds 1 ‰.";
    format!("\n{}{}", lines(&t), wrapped("  ", legend))
}

/// Microseconds as they are read best.
fn time(us: f64) -> String {
    if us < 9999.5 { format!("{us:.0} µs") } else { format!("{:.1} ms", us / 1000.0) }
}

/// Predicted beside seen: the calibration.
fn beside(rungs: &[Rung]) -> String {
    let mut t =
        table(&[" buffer", "misses", "seen an hour", "predicted an hour", "seen / predicted", "answer"]);
    for r in rungs {
        let style = match r.decision {
            Decision::Holds => GOOD,
            Decision::Breaks => BAD,
            Decision::Undecided => UNSURE,
        };
        t.add_row(vec![
            r.block.to_string(),
            r.observed.misses().to_string(),
            seen(r.observed.per_hour()),
            dropouts(r.predicted),
            match r.off_by() {
                Some(off) => format!("{off:.2}"),
                None => "too few".into(),
            },
            styled(style, r.decision.word()),
        ]);
    }
    right(&mut t, &[0, 1, 2, 3, 4]);
    format!(
        "\n{}{}",
        lines(&t),
        wrapped(
            "  ",
            "Seen: 95 % interval of the count. Predicted: low, typical, high of the risk model, learned from the stretches in \
             between that were not counted. Fewer than 20 misses do not tell a ratio."
        )
    )
}

/// What was learned about the machine.
fn machine(s: &Soaked<'_>) -> String {
    let mut text = format!("\n{}", heading("This machine"));
    let granted =
        if s.permission.whole() { "real-time priority and locked memory" } else { "an ordinary thread" };
    text.push_str(&wrapped(
        "  ",
        &format!(
            "A core is {:.2} times as fast as the reference core (2020, 4 GHz); measured with {granted}.",
            s.speed
        ),
    ));
    let Some(p) = s.profile else {
        text.push_str(&wrapped("  ", "Too few wake-ups were seen for a profile: soak longer."));
        return text;
    };
    text.push_str(&wrapped(
        "  ",
        &format!(
            "{} wake-ups; 1 in {:.0} later than {}, from there a tail of shape {:.2} ({:.2} – {:.2}) and scale {} ({} – {}){}.",
            p.wakes,
            1.0 / p.tail_share.typical().0.max(1e-12),
            time(p.threshold_us.0),
            p.shape.typical().0,
            p.shape.low().0,
            p.shape.high().0,
            time(p.scale_us.typical().0),
            time(p.scale_us.low().0),
            time(p.scale_us.high().0),
            match p.cluster {
                Some(c) if c.0 > 1.05 => format!("; late ones come {:.1} at a time", c.0),
                _ => String::new(),
            }
        ),
    ));
    if let (Some(top), Some(drift)) = (p.pace.last(), p.pace_drift) {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "Work took up to {:.1} times as long as undisturbed, and drifts by {:.0} % from second to second.",
                top.up_to.0,
                drift.0 * 100.0
            ),
        ));
    }
    text
}

fn changed(date: &str, changes: &[Change]) -> String {
    let real = changes.iter().filter(|c| c.real).count();
    let mut text = format!("\n{}", heading(&format!("Since {date}")));
    let said = match (real, changes.iter().any(|c| c.real && c.worse)) {
        (0, _) => "Nothing changed by more than chance.",
        (_, true) => "The machine has become worse by more than chance.",
        (_, false) => "The machine has become better by more than chance.",
    };
    text.push_str(&format!("{}\n", styled(STRONG, said)));
    let mut t = table(&[" what", "then", "now", "by chance", "verdict"]);
    for c in changes {
        let (what, shown): (String, fn(f64) -> String) = match c.figure {
            Figure::LaterThan(us) => {
                (format!("wake-ups later than {}", time(us.0)), |x| format!("{:.3} %", x * 100.0))
            }
            Figure::Speed => ("speed of a core beside the reference".into(), |x| format!("{x:.2}")),
        };
        t.add_row(vec![
            format!(" {what}"),
            shown(c.before),
            shown(c.now),
            match c.by_chance {
                Some(p) if p < 0.0001 => "< 0.01 %".into(),
                Some(p) => format!("{:.2} %", p * 100.0),
                None => "—".into(),
            },
            match (c.real, c.worse) {
                (false, _) => styled(FAINT, "chance"),
                (true, true) => styled(BAD, "worse"),
                (true, false) => styled(GOOD, "better"),
            },
        ]);
    }
    right(&mut t, &[1, 2, 3]);
    text.push_str(&lines(&t));
    text
}

fn next(s: &Soaked<'_>) -> String {
    match (s.saved, s.profile) {
        (Some(path), _) => format!(
            "\nWritten into {0} as [machine.wake].\nNext:  swiftloop plan {0} SESSION.toml\n",
            path.display()
        ),
        (None, Some(_)) => {
            "\nNext: add --save rig.toml, and plan reckons with this machine instead of its class.\n".into()
        }
        (None, None) => String::new(),
    }
}

/// `soak --json`
pub fn json(s: &Soaked<'_>) -> Value {
    let dropouts = |d: Dropouts| json!({ "low": d.low, "typical": d.typical, "high": d.high });
    let times = |c: &Counts| json!({ "p50": c.quantile(0.5), "p99": c.quantile(0.99), "p999": c.quantile(0.999), "max": c.max() });
    json!({
        "format": "swiftloop.soak/1",
        "permission": {
            "realtime": s.permission.realtime,
            "locked": s.permission.locked,
            "refused": s.permission.refused,
        },
        "work": s.title,
        "workers": s.crowd.0,
        "hardware_threads": s.crowd.1,
        "core_speed": s.speed,
        "deadline_periods": s.reserve,
        "bearable_per_hour": s.question.bearable_per_hour,
        "too_many_per_hour": s.question.too_many_per_hour,
        "error": s.question.error,
        "stopped": s.stopped,
        "server": s.server.map(|a| json!({
            "kind": a.kind, "sample_rate_hz": a.rate_hz, "buffer_frames": a.buffer_frames, "load_percent": a.load_percent,
        })),
        "server_gone": s.gone,
        "clock_step_s": s.clock_step_s,
        "rungs": s.rungs.iter().map(|r| json!({
            "buffer_frames": r.block.0,
            "sample_rate_hz": r.rate,
            "blocks": r.observed.blocks,
            "late_blocks": r.observed.late,
            "misses": r.observed.misses(),
            "seconds": r.observed.seconds,
            "wake_us": times(&r.wake_us),
            "exec_us": times(&r.exec_us),
            "misses_per_hour": dropouts(r.observed.per_hour()),
            "predicted_per_hour": dropouts(r.predicted),
            "seen_over_predicted": r.off_by(),
            "decision": r.decision.word(),
        })).collect::<Vec<_>>(),
        "smallest_frames": s.smallest.map(|b| b.0),
        "tail": s.profile.map(|p| json!({
            "threshold_us": p.threshold_us.0,
            "share": p.tail_share.typical().0,
            "shape": p.shape.typical().0,
            "scale_us": p.scale_us.typical().0,
        })),
        "changes": s.changes.map(|(date, all)| json!({
            "since": date,
            "figures": all.iter().map(|c| json!({
                "what": match c.figure { Figure::LaterThan(_) => "share-of-wakes-later", Figure::Speed => "core-speed" },
                "later_than_us": match c.figure { Figure::LaterThan(us) => Some(us.0), Figure::Speed => None },
                "before": c.before, "now": c.now, "by_chance": c.by_chance, "real": c.real, "worse": c.worse,
            })).collect::<Vec<_>>(),
        })),
        "saved": s.saved.map(|p| p.display().to_string()),
    })
}
