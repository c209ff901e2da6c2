//! What weighing found: what each processor costs and how late it is, or by which name it failed.

use super::WeighedProcessor;
use crate::shared::answer::Detail;
use crate::shared::page::{Columns, Head, answer, clean, counted, title, wrapped};
use crate::shared::words::figures::decimals;
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_host::weigh::Sandbox;
use swiftloop_measure::weigh::{AtRate, NanosRange};

/// All that weighing tells.
pub struct WeighAnswer<'a> {
    pub found: &'a [WeighedProcessor],
    /// What the session names, and nobody holds.
    pub missing: &'a [String],
    /// Where it is kept.
    pub kept: Option<&'a Path>,
    pub session: Option<&'a Path>,
}

impl WeighAnswer<'_> {
    /// All that was asked for was weighed.
    pub fn is_whole(&self) -> bool {
        self.missing.is_empty() && self.found.iter().all(WeighedProcessor::is_weighed)
    }
}

pub fn show(told: &WeighAnswer<'_>, detail: Detail) -> String {
    let found = told.found;
    let done = found.iter().filter(|w| w.is_weighed()).count();
    let all = found.len() + told.missing.len();
    let mut text = answer(&match all {
        0 => "The session names no processor with is = \"…\": there is nothing to weigh.".into(),
        n if n == done => format!("{} weighed.", counted(n, "processor", "processors")),
        n => format!("{done} of {} weighed.", counted(n, "processor", "processors")),
    });
    text.push('\n');
    if found.iter().any(|w| w.is_weighed()) {
        text.push_str(&costs(found));
        text.push_str(&wrapped(
            "  ",
            "A call and a frame: low, typical, high, for all channels, on a core of this machine, hot; bursts come \
             on top. Silent: a frame of silence. Late: measured, and what it reports where that differs.",
        ));
    }
    let notes: Vec<String> = found.iter().flat_map(notable).collect();
    if !notes.is_empty() {
        text.push_str(&title("Mind"));
        notes.iter().for_each(|n| text.push_str(&wrapped("  ", &clean(n))));
    }
    let failed: Vec<&WeighedProcessor> = found.iter().filter(|w| !w.is_weighed()).collect();
    if !failed.is_empty() || !told.missing.is_empty() {
        text.push_str(&title("Not weighed"));
    }
    for w in failed {
        let before = if w.before { " (when it was last tried; --again tries anew)" } else { "" };
        let why = w.why.as_deref().unwrap_or(&w.status);
        text.push_str(&wrapped("  ", &clean(&format!("{}: {why}{before}.", w.listed.id))));
    }
    for is in told.missing {
        let why = format!("{is}: nothing that holds it was found; name its library beside --session.");
        text.push_str(&wrapped("  ", &clean(&why)));
    }
    if detail.is_full() && found.iter().any(WeighedProcessor::is_weighed) {
        text.push_str(&more(found));
    }
    text.push_str(&shut_in(found, detail));
    text.push_str(&kept(told));
    text
}

/// What foreign code could not reach meanwhile; what it could, wherever that is so.
fn shut_in(found: &[WeighedProcessor], detail: Detail) -> String {
    let all: Vec<Sandbox> = found.iter().filter_map(|w| w.apart).collect();
    let Some(one) = all.iter().max_by_key(|a| a.missing().len()) else { return String::new() };
    match one.missing()[..] {
        [] if detail.is_full() => wrapped(
            "  ",
            "Meanwhile each was shut off from the network, from other programs, from files but the system's and its own, and from calls that sound never needs.",
        ),
        [] => String::new(),
        ref missing => wrapped(
            "  ",
            &format!(
                "This system did not let them be shut off from {}: weigh only what you would run in your software.",
                crate::shared::page::and_list(&missing.iter().map(ToString::to_string).collect::<Vec<_>>())
            ),
        ),
    }
}

/// The table of what each costs.
fn costs(found: &[WeighedProcessor]) -> String {
    let mut t = Columns::new(&[
        Head::words("processor"),
        Head::figures("Hz"),
        Head::figures("a call, µs"),
        Head::figures("a frame, ns"),
        Head::figures("silent, ns"),
        Head::words("bursts"),
        Head::words("late, frames"),
    ]);
    for (w, at) in
        found.iter().filter(|w| w.is_weighed()).flat_map(|w| w.by_rate.iter().map(move |at| (w, at)))
    {
        t.row([
            clean(&w.listed.id).into_owned(),
            at.rate_hz.to_string(),
            range(at.per_call_ns, 1e-3),
            range(at.per_frame_ns, 1.0),
            at.quiet_per_frame_ns.map_or("unknown".into(), |s| decimals(s.typical, 1)),
            at.burst.map_or("none".into(), |b| format!("{} of {} µs", b.frames, decimals(b.ns / 1e3, 0))),
            if w.listed.channels.0 == 0 { "no input".into() } else { late(at) },
        ]);
    }
    t.show()
}

/// So many times as dear is worth a word.
const DEARER: f64 = 2.0;

/// What an engineer would trip over.
fn notable(w: &WeighedProcessor) -> Vec<String> {
    let mut all = Vec::new();
    let Some(at) = w.by_rate.first().filter(|_| w.is_weighed()) else { return all };
    let id = &w.listed.id;
    if let Some(times) = at.unflushed.filter(|t| *t > DEARER) {
        let times = decimals(times, 0);
        all.push(format!(
            "{id}: {times} times as dear on sound that faded away, where small numbers are not flushed to zero."
        ));
    }
    if let Some(v) = at.voices.filter(|v| v.per_voice_per_frame_ns > 0.0) {
        let limit = v.limit.map_or(String::new(), |n| format!(", up to {n} voices"));
        let (base, each) = (decimals(v.base_per_frame_ns, 1), decimals(v.per_voice_per_frame_ns, 1));
        all.push(format!(
            "{id}: {base} ns a frame without a note, {each} more for each{limit}; the table is with {}.",
            v.held
        ));
    }
    if !at.delay.by_block.is_empty() {
        let each = at.delay.by_block.iter().map(|b| format!("{} at {}", decimals(b.frames, 0), b.block));
        all.push(format!(
            "{id}: how late it is depends on the block: {} frames.",
            crate::shared::page::and_list(&each.collect::<Vec<_>>())
        ));
    }
    all
}

/// What only some want to know.
fn more(found: &[WeighedProcessor]) -> String {
    let mut t = Columns::new(&[
        Head::words("processor"),
        Head::figures("Hz"),
        Head::figures("swept: a call, µs"),
        Head::figures("a frame, ns"),
        Head::figures("silent call, µs"),
        Head::figures("unflushed"),
        Head::figures("undisturbed"),
    ]);
    for (w, at) in
        found.iter().filter(|w| w.is_weighed()).flat_map(|w| w.by_rate.iter().map(move |at| (w, at)))
    {
        t.row([
            clean(&w.listed.id).into_owned(),
            at.rate_hz.to_string(),
            range(at.swept.map(|s| s.per_call_ns), 1e-3),
            range(at.swept.map(|s| s.per_frame_ns), 1.0),
            at.quiet_per_call_ns.map_or("unknown".into(), |s| decimals(s.typical / 1e3, 2)),
            at.unflushed.map_or("unknown".into(), |t| format!("{} ×", decimals(t, 1))),
            at.undisturbed.map_or("unknown".into(), |u| format!("{:.0} %", u * 100.0)),
        ]);
    }
    let about = "Swept: with other memory in the caches before each call. Unflushed: on sound that faded away, with small \
                 numbers kept, beside flushed ones. Undisturbed: calls beside which both yardsticks were near their best.";
    format!("{}{}{}", title("More"), t.show(), wrapped("  ", about))
}

/// Where it is kept, and what to do with it.
fn kept(told: &WeighAnswer<'_>) -> String {
    let before = told.found.iter().filter(|w| w.before).count();
    let mut text = String::new();
    let Some(path) = told.kept.filter(|_| !told.found.is_empty()) else { return text };
    text.push_str(&title("Kept"));
    let known = match before {
        0 => String::new(),
        n if n == told.found.len() => " All of it was known before; --again weighs anew.".into(),
        n => format!(" {n} of it was known before; --again weighs anew."),
    };
    text.push_str(&wrapped("  ", &format!("In {}.{known}", path.display())));
    if told.session.is_none() {
        let key = |w: &WeighedProcessor| {
            let settings = w.settings.as_ref().map_or(String::new(), |s| format!(", settings = \"{s}\""));
            format!("is = \"{}:{}\"{settings}", w.standard, w.listed.id)
        };
        if let Some(is) = told.found.iter().find(|w| w.is_weighed()).map(key) {
            text.push_str(&wrapped(
                "  ",
                &clean(&format!("A session uses it where a processor says what it is: {is}.")),
            ));
        }
    }
    text
}

fn range(span: Option<NanosRange>, times: f64) -> String {
    span.map_or("unknown".into(), |s| {
        let figure = |x: f64| decimals(x * times, if x * times < 10.0 { 2 } else { 0 });
        format!("{} {} {}", figure(s.low), figure(s.typical), figure(s.high))
    })
}

fn late(at: &AtRate) -> String {
    let reported =
        at.delay.reported_frames.filter(|r| at.delay.measured_frames.is_none_or(|m| (m - r).abs() > 0.5));
    let measured = at.delay.measured_frames.map_or("not readable".into(), |m| {
        let near = (m - m.round()).abs() < 0.005;
        // Never "-0".
        decimals(m + 0.0, if near { 0 } else { 2 }).replace("-0", "0")
    });
    match reported {
        Some(r) => format!("{measured} (reports {})", decimals(r, 0)),
        None => measured,
    }
}

pub fn json(told: &WeighAnswer<'_>) -> Value {
    let one = |w: &WeighedProcessor| {
        let first = w.by_rate.first();
        object!({
            "standard": w.standard,
            "library": w.library.display().to_string(),
            "id": w.listed.id,
            "name": w.listed.name,
            "version": w.listed.version,
            "status": w.status,
            "why": w.why,
            "known_before": w.before,
            "settings": w.settings,
            "channels": { "inputs": w.listed.channels.0, "outputs": w.listed.channels.1 },
            "per_call_ns": first.and_then(|a| a.per_call_ns),
            "per_frame_ns": first.and_then(|a| a.per_frame_ns),
            "quiet_per_frame_ns": first.and_then(|a| a.quiet_per_frame_ns),
            "burst": first.and_then(|a| a.burst),
            "delay": first.map(|a| a.delay.clone()),
            "by_rate": w.by_rate,
            "shut_off_from": w.apart,
        })
    };
    object!({
        "format": "swiftloop.weigh/1",
        "processors": told.found.iter().map(one).collect::<Vec<_>>(),
        "missing": told.missing,
        "catalogue": told.kept.map(|p| p.display().to_string()),
    })
}
