//! `note`: what was seen goes into the log beside the session; what it changes is shown.

use crate::note::options::NoteOptions;
use crate::shared::answer::notes as view;
use crate::shared::failure::Failure;
use crate::shared::noting::AddedNote;
use crate::shared::output::answer;
use crate::shared::project::{PlanningBar, Project};
use std::process::ExitCode;
use swiftloop_core::plan;
use swiftloop_files::notes_beside;

pub fn run(options: &NoteOptions) -> Result<ExitCode, Failure> {
    let AddedNote { opened, place, before, notes } = AddedNote::of(&options.seen)?;
    let now = Project::with_notes(opened.rig.clone(), opened.written().clone(), notes, opened.files.clone());
    let after = plan::plan(now.context(), &PlanningBar::planning());
    let noted = view::JustNoted {
        file: notes_beside(&options.seen.session),
        place,
        changed: view::ChangedByNotes { noted: &now.noted, before: &before },
        after: &after,
    };
    answer(&options.shown, |_| noted.show(&now.context(), &now.files), || noted.json(&now.context()))?;
    Ok(ExitCode::SUCCESS)
}
