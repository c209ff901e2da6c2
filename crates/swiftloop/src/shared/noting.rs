//! What was seen goes into the log beside the session, with all that was set when it was seen.

use crate::shared::failure::Failure;
use crate::shared::options::Seen;
use crate::shared::project::{PlanningBar, Project};
use crate::shared::words::InContext;
use swiftloop_core::notes::{Feels, Note};
use swiftloop_core::plan;
use swiftloop_core::plan::{Plan, Request, Trial, attempt_trial};
#[cfg(target_os = "linux")]
use swiftloop_files::notes_beside;
use swiftloop_files::{NewNote, add_note};
use swiftloop_host::soak::today;
use swiftloop_units::ids::{InterfaceId, PhaseId};

/// Adds a note as asked and tells where, without showing what it changes.
#[cfg(target_os = "linux")]
pub fn keep(seen: &Seen) -> Result<std::path::PathBuf, Failure> {
    AddedNote::of(seen).map(|_| notes_beside(&seen.session))
}

/// A note that was added: to what, and all notes that stand there now.
pub struct AddedNote {
    pub opened: Project,
    pub place: (InterfaceId, PhaseId),
    pub before: Plan,
    pub notes: Vec<Note>,
}

impl AddedNote {
    pub fn of(seen: &Seen) -> Result<Self, Failure> {
        let opened = Project::read(&seen.rig, &seen.session, &seen.catalogue)?;
        let context = opened.context();
        let place = opened.place(seen.interface.as_deref(), seen.phase.as_deref())?;
        let before = plan::plan(context, &PlanningBar::planning());
        let request =
            Request { driver: seen.driver.clone(), buffer: seen.buffer.clone(), ..Request::default() };
        let trial = attempt_trial(context, Some(&before), place, &request)
            .map_err(|why| Failure::explained(&InContext(&context, why)))?;
        let note = as_written(&opened, seen, &trial)?;
        let notes = add_note(&seen.session, &note, (&opened.rig, opened.written()), &today())?;
        Ok(Self { opened, place, before, notes })
    }
}

/// The note with all that was so when it was seen: as asked, and as planned for the rest.
fn as_written(opened: &Project, seen: &Seen, trial: &Trial<'_>) -> Result<NewNote, Failure> {
    let context = opened.context();
    let setting = &trial.arrangement.setting;
    let (roll, workers) = trial.planned.map_or((None, trial.arrangement.workers), |c| {
        (c.arrangement.roll.filter(|r| *r > setting.buffer.block), c.arrangement.workers)
    });
    let in_effect = trial.planned.map_or(&[][..], |c| &c.report.remedies);
    let felt = seen.felt.iter().map(|word| felt(word)).collect::<Result<Vec<_>, Failure>>()?;
    if seen.minutes.is_none() && seen.meter.is_none() && seen.meter_peak.is_none() && felt.is_empty() {
        return Err(Failure::usage(
            "what was seen?",
            "add what was: --minutes 40 --dropouts 2, --meter 55, or --felt ada=late",
        ));
    }
    Ok(NewNote {
        date: seen.date.clone().unwrap_or_else(today),
        phase: context.session.phase(trial.phase).id().into(),
        interface: context.rig.interface(trial.interface).id.clone(),
        driver: context.driver(setting).id().into(),
        rate: Some(setting.rate),
        buffer: setting.buffer.speed.clone().unwrap_or_else(|| setting.buffer.label().replace(" × ", "x")),
        roll,
        workers,
        remedies: in_effect.iter().map(|r| r.id.clone()).collect(),
        minutes: seen.minutes,
        dropouts: seen.dropouts,
        meter: seen.meter,
        meter_peak: seen.meter_peak,
        felt,
    })
}

fn felt(word: &str) -> Result<(String, Feels), Failure> {
    let feels = match word.split_once('=') {
        Some((who, "late")) => Some((who.to_string(), Feels::Late)),
        Some((who, "fine")) => Some((who.to_string(), Feels::Fine)),
        Some(_) | None => None,
    };
    feels.ok_or_else(|| {
        Failure::usage(
            format!("`{word}` does not say what somebody felt"),
            "write --felt ada=late or --felt ada=fine",
        )
    })
}
