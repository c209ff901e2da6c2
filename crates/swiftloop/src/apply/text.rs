//! What was set, what was not and why, what is left to do; and what was put back.

use crate::apply::applying::{ApplyResult, Taken};
use crate::apply::back::Returned;
use crate::shared::answer::differences::differences;
use crate::shared::answer::{Detail, quoted};
use crate::shared::in_effect::Checked;
use crate::shared::page::{Style, answer, clean, command, counted, heading, styled, title, wrapped};
use crate::shared::words::differences::{place, say, setting};
use crate::shared::words::tunables::{name, value};
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_core::in_effect::{Demand, StepFate, Tunable, TunableKind};

/// Everything about one apply.
pub struct ApplyAnswer<'a> {
    pub demand: &'a Demand,
    pub applied: &'a ApplyResult,
    /// Kinds that nobody agreed to.
    pub declined: &'a [TunableKind],
    /// Kinds that only the superuser may set.
    pub for_root: &'a [TunableKind],
    /// The computer before, and as it is now.
    pub before: &'a Checked,
    pub now: &'a Checked,
    /// Files and place, as arguments of another command.
    pub place: &'a str,
    pub root: Option<&'a Path>,
    /// It was the superuser who was asked to set it, and goes back so.
    pub through_superuser: bool,
    /// Nobody confirmed it in time, so it went back.
    pub returned: Option<&'a [Returned]>,
}

impl ApplyAnswer<'_> {
    fn root(&self) -> String {
        self.root.map_or(String::new(), |r| format!(" --root {}", quoted(&r.display().to_string())))
    }
}

pub fn show(put: &ApplyAnswer<'_>, detail: Detail) -> String {
    let mut text = heading(&format!("{}: {}", place(put.demand), setting(put.demand)));
    text.push_str(&lead(put));
    if let Some(returned) = put.returned {
        text.push_str(&steps_back(returned));
        text.push_str(&title("Set it again, and press Enter when all is well"));
        text.push_str(&command(&format!("swiftloop apply {}{}", put.place, put.root())));
        return text;
    }
    text.push_str(&taken(&put.applied.taken));
    for refused in &put.applied.refused {
        let line = format!("{} was not set: {}.", name(&refused.put.lever), clean(&refused.why));
        text.push_str(&wrapped(&format!("{} ", styled(Style::Bad, "✗")), &line));
    }
    for kind in put.declined {
        text.push_str(&wrapped("– ", &format!("{} was left as it is, as you said.", kind.as_str())));
    }
    text.push_str(&left(put, detail));
    text.push_str(&next(put));
    text
}

fn lead(put: &ApplyAnswer<'_>) -> String {
    let (set, refused) = (put.applied.taken.len(), put.applied.refused.len());
    let left = put.now.comparison.differences.len();
    if put.returned.is_some() {
        let bad = styled(Style::Bad, "everything went back");
        return answer(&format!("Nobody pressed Enter in time: {bad}."));
    }
    let did = match (set, refused) {
        (0, 0) => "Nothing had to be set".to_string(),
        (set, 0) => format!("{} set", counted(set, "thing was", "things were")),
        (set, refused) => format!("{} set, {refused} refused", counted(set, "thing was", "things were")),
    };
    let phase = clean(&put.demand.phase);
    let rest = match left {
        0 => format!("the computer is {} for {phase}", styled(Style::Good, "ready")),
        n => format!("{} from the plan", counted(n, "thing still differs", "things still differ")),
    };
    answer(&format!("{did}; {rest}."))
}

/// What was set; the same of several processors in one line.
fn taken(all: &[Taken]) -> String {
    let mut lines: Vec<(String, String, usize)> = Vec::new();
    for t in all {
        let lever = &t.put.lever;
        let what = match lever {
            Tunable::Governor { .. } => "governor of the processors".into(),
            Tunable::MostClock { .. } => "highest clock of the processors".into(),
            Tunable::IdleOff { .. } => "deep idle states".into(),
            other @ Tunable::ForcedRate
            | other @ Tunable::ForcedBuffer
            | other @ Tunable::JackBuffer
            | other @ Tunable::WakeLimit
            | other @ Tunable::UsbPower { .. }
            | other @ Tunable::InterruptCores { .. }
            | other @ Tunable::RealtimeShare
            | other @ Tunable::Priority { .. } => name(other),
        };
        let change = format!("{} → {}", value(lever, &t.before), value(lever, &t.is));
        let told = if t.fits() { change } else { format!("{change}, not {}", value(lever, &t.put.to)) };
        match lines.iter_mut().find(|l| l.0 == what && l.1 == told) {
            Some(line) => line.2 += 1,
            None => lines.push((what, told, 1)),
        }
    }
    let show = |(what, told, n): &(String, String, usize)| {
        let times = if *n > 1 { format!(" ({n} of them)") } else { String::new() };
        wrapped(&format!("{} ", styled(Style::Good, "✓")), &format!("{what}: {told}{times}"))
    };
    lines.iter().map(show).collect()
}

fn left(put: &ApplyAnswer<'_>, detail: Detail) -> String {
    if put.now.comparison.is_ready() {
        return String::new();
    }
    let most = if detail.is_full() { usize::MAX } else { 3 };
    let mut text = title("What still differs");
    // What could be set and was not is told above.
    text.push_str(differences(put.demand, put.now, most).trim_start_matches('\n'));
    text
}

fn next(put: &ApplyAnswer<'_>) -> String {
    let mut text = String::new();
    if !put.for_root.is_empty() {
        let only: Vec<String> = put.for_root.iter().map(|k| format!(" --only {}", k.as_str())).collect();
        text.push_str(&title("Only the superuser may set the rest, all of it at once"));
        text.push_str(&command(&format!(
            "sudo swiftloop apply {}{}{}",
            put.place,
            put.root(),
            only.concat()
        )));
    }
    if !put.applied.taken.is_empty() {
        text.push_str(&title("When the session is over, put everything back"));
        let sudo = if put.through_superuser { "sudo " } else { "" };
        text.push_str(&command(&format!("{sudo}swiftloop apply --back{}", put.root())));
    } else if put.for_root.is_empty() {
        text.push_str(&title("Keep an eye on the take"));
        text.push_str(&command(&format!("swiftloop watch {}", put.place)));
    }
    text
}

/// What was put back.
pub fn show_back(all: &[Returned]) -> String {
    let open = all.iter().filter(|r| r.is_open()).count();
    let theirs = all.iter().filter(|r| matches!(r.fate, StepFate::Theirs { .. })).count();
    let lead = match (all.len(), open, theirs) {
        (0, ..) => "Nothing was in effect: there is nothing to put back.".to_string(),
        (_, 0, 0) => "Everything is as it was before.".into(),
        (_, 0, n) => format!(
            "Everything of ours is as it was before; {} changed by somebody else meanwhile and left alone.",
            counted(n, "thing was", "things were")
        ),
        (_, open, _) => format!("{} not be put back.", counted(open, "thing could", "things could")),
    };
    let mut text = answer(&lead);
    text.push_str(&steps_back(all));
    if open > 0 {
        text.push_str(&title("When what is in the way is gone, again"));
        text.push_str(&command("swiftloop apply --back"));
    }
    text
}

fn steps_back(all: &[Returned]) -> String {
    let mut lines: Vec<(String, usize)> = Vec::new();
    for r in all {
        let lever = &r.stage.lever;
        let before = value(lever, &r.stage.before);
        let line = match (&r.why, &r.fate) {
            (Some(why), _) => format!("✗ {}: {}", name(lever), clean(why)),
            (None, StepFate::PutBack) => format!("✓ {}: {before} again", name(lever)),
            (None, StepFate::Back) => format!("✓ {}: {before} already", name(lever)),
            (None, StepFate::Theirs { is }) => {
                format!(
                    "– {}: somebody set it to {}; left alone (it was {before})",
                    name(lever),
                    value(lever, is)
                )
            }
            (None, StepFate::Gone) => format!("– {}: it is not there any more", name(lever)),
        };
        match lines.iter_mut().find(|l| l.0 == line) {
            Some(known) => known.1 += 1,
            None => lines.push((line, 1)),
        }
    }
    lines.iter().map(|(line, _)| wrapped("", line)).collect()
}

pub fn json(put: &ApplyAnswer<'_>) -> Value {
    object!({
        "format": "swiftloop.apply/1",
        "phase": put.demand.phase,
        "interface": put.demand.interface,
        "ready": put.returned.is_none() && put.now.comparison.is_ready(),
        "set": put.applied.taken.iter().map(|t| object!({
            "what": t.put.lever, "kind": t.put.lever.kind().as_str(), "before": t.before.trim(), "is": t.is.trim(), "as_asked": t.fits(),
        })).collect::<Vec<_>>(),
        "refused": put.applied.refused.iter().map(|r| object!({
            "what": r.put.lever, "kind": r.put.lever.kind().as_str(), "to": r.put.to, "why": r.why,
        })).collect::<Vec<_>>(),
        "declined": put.declined.iter().map(|k| k.as_str()).collect::<Vec<_>>(),
        "for_superuser": put.for_root.iter().map(|k| k.as_str()).collect::<Vec<_>>(),
        "went_back": put.returned.map(returned),
        "before": put.before.comparison.differences.iter().map(|d| d.wrong.id()).collect::<Vec<_>>(),
        "still_differs": put.now.comparison.differences.iter().map(|d| object!({
            "id": d.wrong.id(), "what": say(put.demand, put.now.inventory.system, d).what.replace(crate::shared::page::TIED, " "),
        })).collect::<Vec<_>>(),
    })
}

/// What was put back, for programs.
pub fn json_back(all: &[Returned]) -> Value {
    object!({ "format": "swiftloop.apply-back/1", "steps": returned(all) })
}

fn returned(all: &[Returned]) -> Value {
    let word = |fate: &StepFate| match fate {
        StepFate::PutBack => "put-back",
        StepFate::Back => "as-before-already",
        StepFate::Theirs { .. } => "changed-by-others",
        StepFate::Gone => "gone",
    };
    let is = |fate: &StepFate| match fate {
        StepFate::Theirs { is } => Some(is.trim().to_string()),
        StepFate::PutBack | StepFate::Back | StepFate::Gone => None,
    };
    let steps = all.iter().map(|r| {
        object!({
            "what": r.stage.lever,
            "before": r.stage.before.trim(),
            "fate": if r.is_open() { "not-back" } else { word(&r.fate) },
            "is": is(&r.fate),
            "why": r.why,
        })
    });
    steps.collect()
}
