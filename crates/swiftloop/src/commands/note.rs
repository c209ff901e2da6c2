//! `note`: what was seen goes into the log beside the session; what it changes is shown.

use crate::cli::NoteOptions;
use crate::failure::Failure;
use crate::opened::{Opened, Watched};
use crate::output::answer;
use crate::views::notes as view;
use crate::words::InContext;
use std::process::ExitCode;
use swiftloop_core::notes::{Feels, Note};
use swiftloop_core::plan;
use swiftloop_core::plan::{Plan, Request, Trial, attempt_trial};
use swiftloop_files::{NewNote, add_note, notes_beside};
use swiftloop_host::soak::today;
use swiftloop_units::ids::{InterfaceId, PhaseId};

pub fn run(options: &NoteOptions) -> Result<ExitCode, Failure> {
    let Added { opened, place, before, notes } = Added::of(options)?;
    let now = Opened::with_notes(opened.rig.clone(), opened.written().clone(), notes, opened.files.clone());
    let after = plan::plan(now.context(), &Watched::planning());
    let noted = view::JustNoted {
        file: notes_beside(&options.session),
        place,
        changed: view::Changed { noted: &now.noted, before: &before },
        after: &after,
    };
    answer(&options.shown, |_| noted.show(&now.context(), &now.files), || noted.json(&now.context()))?;
    Ok(ExitCode::SUCCESS)
}

/// Adds a note as asked and tells where, without showing what it changes.
#[cfg(target_os = "linux")]
pub fn keep(options: &NoteOptions) -> Result<std::path::PathBuf, Failure> {
    Added::of(options).map(|_| notes_beside(&options.session))
}

/// A note that was added: to what, and all notes that stand there now.
struct Added {
    opened: Opened,
    place: (InterfaceId, PhaseId),
    before: Plan,
    notes: Vec<Note>,
}

impl Added {
    fn of(options: &NoteOptions) -> Result<Self, Failure> {
        let opened = Opened::read(&options.rig, &options.session, &options.catalogue)?;
        let context = opened.context();
        let place = opened.place(options.interface.as_deref(), options.phase.as_deref())?;
        let before = plan::plan(context, &Watched::planning());
        let request =
            Request { driver: options.driver.clone(), buffer: options.buffer.clone(), ..Request::default() };
        let trial = attempt_trial(context, Some(&before), place, &request)
            .map_err(|why| Failure::explained(&InContext(&context, why)))?;
        let note = as_written(&opened, options, &trial)?;
        let notes = add_note(&options.session, &note, (&opened.rig, opened.written()), &today())?;
        Ok(Self { opened, place, before, notes })
    }
}

/// The note with all that was so when it was seen: as asked, and as planned for the rest.
fn as_written(opened: &Opened, options: &NoteOptions, trial: &Trial<'_>) -> Result<NewNote, Failure> {
    let context = opened.context();
    let setting = &trial.arrangement.setting;
    let (roll, workers) = trial.planned.map_or((None, trial.arrangement.workers), |c| {
        (c.arrangement.roll.filter(|r| *r > setting.buffer.block), c.arrangement.workers)
    });
    let in_effect = trial.planned.map_or(&[][..], |c| &c.report.remedies);
    let felt = options.felt.iter().map(|word| felt(word)).collect::<Result<Vec<_>, Failure>>()?;
    if options.minutes.is_none() && options.meter.is_none() && options.meter_peak.is_none() && felt.is_empty()
    {
        return Err(Failure::usage(
            "what was seen?",
            "add what was: --minutes 40 --dropouts 2, --meter 55, or --felt ada=late",
        ));
    }
    Ok(NewNote {
        date: options.date.clone().unwrap_or_else(today),
        phase: context.session.phase(trial.phase).id().into(),
        interface: context.rig.interface(trial.interface).id.clone(),
        driver: context.driver(setting).id().into(),
        rate: Some(setting.rate),
        buffer: setting.buffer.speed.clone().unwrap_or_else(|| setting.buffer.label().replace(" × ", "x")),
        roll,
        workers,
        remedies: in_effect.iter().map(|r| r.id.clone()).collect(),
        minutes: options.minutes,
        dropouts: options.dropouts,
        meter: options.meter,
        meter_peak: options.meter_peak,
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
