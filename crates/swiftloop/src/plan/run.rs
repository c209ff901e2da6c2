//! `plan`: all interfaces and phases, or some of them.

use crate::plan as view;
use crate::plan::options::PlanOptions;
use crate::shared::answer::json::with;
use crate::shared::answer::{notes, weighed};
use crate::shared::failure::Failure;
use crate::shared::in_effect::settings_of;
use crate::shared::lookup::unknown;
use crate::shared::output::{answer, draw, yes_or_no};
use crate::shared::project::{PlanningBar, Project};
use std::process::ExitCode;
use swiftloop_core::plan;
use swiftloop_files::{Overwrite, save, settings_text};

pub fn run(options: &PlanOptions) -> Result<ExitCode, Failure> {
    let opened = Project::read(&options.rig, &options.session, &options.catalogue)?;
    let context = opened.context();
    let (interfaces, phases) = (opened.interfaces(), opened.phases());
    let asked = [("phase", &options.phase, &phases), ("interface", &options.interface, &interfaces)];
    for (kind, asked, known) in asked {
        if let Some(id) = asked.iter().find(|id| !known.contains(&id.as_str())) {
            return Err(unknown(kind, id, known));
        }
    }
    // The whole session is always planned, so that what is shown does not depend on what is shown beside it.
    let mut plan = plan::plan(context, &PlanningBar::planning());
    let before = opened.before_notes().map(|context| plan::plan(context, &PlanningBar::planning()));
    let wanted = |asked: &[String], id: &str| asked.is_empty() || asked.iter().any(|a| a == id);
    plan.retain(|interface, phase| {
        wanted(&options.interface, &context.rig.interface(interface).id)
            && wanted(&options.phase, context.session.phase(phase).id())
    });
    draw(&options.drawing, || Ok(view::svg(&context, &plan)))?;
    if let Some(file) = &options.hand_out {
        let text = settings_text(file, &settings_of(context, &plan))?;
        save(file, text.as_bytes(), Overwrite::forced(options.drawing.force))?;
    }
    let noted = before.as_ref().map(|before| notes::ChangedByNotes { noted: &opened.noted, before });
    answer(
        &options.shown,
        |detail| {
            let plan = view::show(&context, &plan, noted.as_ref(), detail, &opened.files);
            plan + &weighed::show(&opened.weighed, &opened.files)
        },
        || with(view::json(&context, &plan, noted.as_ref()), "processors", weighed::json(&opened.weighed)),
    )?;
    Ok(yes_or_no(plan.is_possible()))
}
