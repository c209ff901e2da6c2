//! What notes changed: what they teach in a sentence each, and the places that have another setting or verdict because of them.

use super::{Files, doubt, plan_command, quoted};
use crate::shared::page::{and_list, answer, command, counted, para, title, wrapped};
use crate::shared::project::Noted;
use crate::shared::words::figures::{decimals, delay_verdict, dropout_verdict, of_hundred, plain, rigs_of};
use crate::shared::words::settings::{first_name, short, short_place};
use serde_json::{Value, json};
use std::path::PathBuf;
use swiftloop_core::doubt::{DelayVerdict, DropoutVerdict};
use swiftloop_core::loops::Context;
use swiftloop_core::notes::{Note, NoteLesson};
use swiftloop_core::plan::{Choice, Plan};
use swiftloop_units::ids::{InterfaceId, PhaseId};

/// A plan without what was noted, and what notes tell.
pub struct ChangedByNotes<'a> {
    pub noted: &'a Noted,
    pub before: &'a Plan,
}

/// A place whose setting or verdict notes changed.
struct Differs<'p> {
    old: &'p Choice,
    new: &'p Choice,
}

/// Costs that differ by less are said to be the same for calls and frames.
const ALIKE: f64 = 1.15;

impl ChangedByNotes<'_> {
    /// As a part of the plan.
    pub fn show(&self, context: &Context<'_>, plan: &Plan) -> String {
        let notes = counted(self.noted.notes.len(), "note", "notes");
        let mut text = title(&format!("What your {notes} changed"));
        let lines = self.lines(context, plan);
        if lines.is_empty() {
            text.push_str(&wrapped("  ", "Nothing: they are what was expected."));
        }
        lines.iter().for_each(|line| text.push_str(&wrapped("  ", line)));
        text
    }

    fn lines(&self, context: &Context<'_>, plan: &Plan) -> Vec<String> {
        let told = self.noted.told.iter().map(|t| self.told(context, t));
        let differs = self.differs(plan).into_iter().map(|d| d.line(context));
        told.chain(differs).collect()
    }

    fn differs<'p>(&'p self, plan: &'p Plan) -> Vec<Differs<'p>> {
        let both =
            plan.choices.iter().filter_map(|new| Some((self.before.choice(new.interface, new.phase)?, new)));
        both.filter(|(old, new)| old.arrangement != new.arrangement || verdict(old) != verdict(new))
            .map(|(old, new)| Differs { old, new })
            .collect()
    }

    fn told(&self, context: &Context<'_>, told: &NoteLesson) -> String {
        match told {
            NoteLesson::Costs { call, frame, .. } if call / frame < ALIKE && frame / call < ALIKE => format!(
                "Your meter says the session costs {} × what its classes say.",
                decimals((call * frame).sqrt(), 1)
            ),
            NoteLesson::Costs { call, frame, .. } => format!(
                "Your meter says each call costs {} × and each frame {} × what the classes say.",
                decimals(*call, 1),
                decimals(*frame, 1)
            ),
            NoteLesson::WakeUps(lean) => {
                let than = if *lean < 0.0 { "fewer late wake-ups" } else { "more late wake-ups" };
                format!("The dropouts you counted say that this machine has {than} than its class.")
            }
            NoteLesson::Notices(who, lean) => {
                let than = if *lean < 0.0 { "less" } else { "no less" };
                let name = first_name(context, Some(*who));
                format!("{name} notices {than} delay than others who play this.")
            }
            NoteLesson::Contradicts(i) => {
                let note = self.noted.notes.get(*i).map_or(String::new(), |n| in_words(context, n));
                format!(
                    "Note {} ({note}) does not go with the others and with what is known: was it at another setting?",
                    i + 1
                )
            }
        }
    }

    pub fn json(&self, context: &Context<'_>, plan: &Plan) -> Value {
        json!({
            "count": self.noted.notes.len(),
            "told": self.noted.told.iter().map(|t| self.told(context, t)).collect::<Vec<_>>(),
            "changed": self.differs(plan).iter().map(|d| json!({
                "interface": context.rig.interface(d.new.interface).id,
                "phase": context.session.phase(d.new.phase).id(),
                "setting_before": short(context, &d.old.arrangement),
                "setting": short(context, &d.new.arrangement),
                "holds_in_share_before": d.old.report.holds,
                "holds_in_share": d.new.report.holds,
                "sound_in_share_before": d.old.report.sound,
                "sound_in_share": d.new.report.sound,
            })).collect::<Vec<_>>(),
        })
    }
}

fn verdict(c: &Choice) -> (DelayVerdict, DropoutVerdict) {
    (c.report.worst_delay(), c.report.verdict())
}

fn verdict_in_words(c: &Choice) -> String {
    let (delay, dropouts) = verdict(c);
    format!("{}, {}", delay_verdict(delay), dropout_verdict(dropouts))
}

impl Differs<'_> {
    fn line(&self, context: &Context<'_>) -> String {
        let place = short_place(context, self.new.interface, self.new.phase);
        let (old, new) = (short(context, &self.old.arrangement), short(context, &self.new.arrangement));
        let said = format!("{} ({})", verdict_in_words(self.new), rigs_of(self.new.report.sound));
        if old == new {
            format!("{place}: {said}; without them {}.", verdict_in_words(self.old))
        } else {
            format!("{place}: {new}, {said}; without them {old}, {}.", verdict_in_words(self.old))
        }
    }
}

/// `2026-11-20, tracking on rack at asio 64, 40 minutes with 2 dropouts`
fn in_words(context: &Context<'_>, n: &Note) -> String {
    let mut parts = vec![
        n.date.clone(),
        format!(
            "{} at {}",
            short_place(context, n.arrangement.setting.interface, n.phase),
            short(context, &n.arrangement)
        ),
    ];
    if let Some((hours, dropouts)) = n.counted {
        let dropouts = counted(dropouts as usize, "dropout", "dropouts");
        parts.push(format!("{} minutes with {dropouts}", plain(hours * 60.0)));
    }
    parts.extend(n.meter.map(|m| format!("meter {} %", plain(m.raw() * 100.0))));
    parts.extend(n.meter_peak.map(|m| format!("meter at the worst {} %", plain(m.raw() * 100.0))));
    let felt = n.felt.iter().map(|(who, feels)| {
        let feels = match feels {
            swiftloop_core::notes::Feels::Late => "late",
            swiftloop_core::notes::Feels::Fine => "fine",
        };
        let with = who.1.map_or(String::new(), |far| format!(" with {}", context.rig.far(far).title()));
        format!("{} felt {feels}{with}", first_name(context, Some(who.0)))
    });
    parts.extend(felt);
    parts.join(", ")
}

/// After something was noted.
pub struct JustNoted<'a> {
    pub file: PathBuf,
    pub place: (InterfaceId, PhaseId),
    pub changed: ChangedByNotes<'a>,
    pub after: &'a Plan,
}

impl JustNoted<'_> {
    /// What became of the place, and what else the notes tell.
    pub fn lead(&self, context: &Context<'_>) -> Vec<String> {
        let (interface, phase) = self.place;
        let place = short_place(context, interface, phase);
        let (now, before) =
            (self.after.choice(interface, phase), self.changed.before.choice(interface, phase));
        let first = match (now, before) {
            (Some(now), Some(before)) => {
                let was = if verdict(now) == verdict(before) { "still" } else { "now" };
                format!(
                    "Noted. {place} is {was} {}, both {} (before: {}).",
                    verdict_in_words(now),
                    rigs_of(now.report.sound),
                    of_hundred(before.report.sound)
                )
            }
            (None, _) | (_, None) => "Noted.".into(),
        };
        let told = self.changed.noted.told.iter().map(|t| self.changed.told(context, t));
        std::iter::once(first).chain(told).collect()
    }

    pub fn show(&self, context: &Context<'_>, files: &Files) -> String {
        let (interface, phase) = self.place;
        let file = quoted(&self.file.display().to_string());
        let now = self.after.choice(interface, phase);
        let mut lines = self.lead(context).into_iter();
        let mut text = lines.next().map_or(String::new(), |line| answer(&line));
        lines.for_each(|line| text.push_str(&para(&line)));
        let others: Vec<String> = self
            .changed
            .differs(self.after)
            .iter()
            .filter(|d| (d.new.interface, d.new.phase) != self.place)
            .map(|d| short_place(context, d.new.interface, d.new.phase))
            .collect();
        if !others.is_empty() {
            text.push_str(&para(&format!("It changes more: {}.", and_list(&others))));
        }
        let notes = counted(self.changed.noted.notes.len(), "note", "notes");
        text.push_str(&para(&format!("It stands in {file}, with {notes} now.")));
        let next = now.map_or(String::new(), |c| doubt::next(context, &c.measure, files, 1));
        text.push_str(&format!("{}{next}", title("Measure next")));
        text.push_str(&title("The plan with it"));
        text.push_str(&command(&plan_command(context, files, interface, phase)));
        text
    }

    pub fn json(&self, context: &Context<'_>) -> Value {
        json!({
            "format": "swiftloop.note/1",
            "file": self.file.display().to_string(),
            "notes": self.changed.json(context, self.after),
        })
    }
}
