//! `try RIG SESSION`: one setting, with everything assumed open to change.

use crate::shared::answer::json::with;
use crate::shared::answer::weighed;
use crate::shared::failure::Failure;
use crate::shared::lookup::unknown;
use crate::shared::output::{answer, draw, yes_or_no};
use crate::shared::project::{PlanningBar, Project};
use crate::shared::words::InContext;
use crate::trial as view;
use crate::trial::options::TryOptions;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::plan;
use swiftloop_core::plan::{Request, attempt_trial};

pub fn run(options: &TryOptions, rig: &Path, session: &Path) -> Result<ExitCode, Failure> {
    let opened = Project::read(rig, session, &options.catalogue)?;
    let context = opened.context();
    let place = opened.place(options.interface.as_deref(), options.phase.as_deref())?;
    let performer = options.performer.as_ref().map(|id| {
        let known: Vec<&str> = context.session.performers.iter().map(|p| p.id.as_str()).collect();
        let (id, far) = id.split_once('@').map_or((id.as_str(), None), |(id, far)| (id, Some(far)));
        let who = context.session.performer_called(id).ok_or_else(|| unknown("performer", id, &known))?;
        let fars: Vec<&str> = context.rig.fars.iter().map(|f| f.id.as_str()).collect();
        let far = far.map(|far| {
            let found = context.rig.far_ids().find(|(_, f)| f.id == far).map(|(at, _)| at);
            found.ok_or_else(|| unknown("far side", far, &fars))
        });
        Ok::<_, Failure>((who, far.transpose()?))
    });
    let request = Request {
        driver: options.driver.clone(),
        rate: options.rate,
        buffer: options.buffer.clone(),
        roll: options.roll,
        workers: options.workers,
        remedies: options.remedies.clone(),
        performer: performer.transpose()?,
    };
    // Who names everything is answered at once: nothing is searched.
    let plan = (!request.is_complete()).then(|| plan::plan(context, &PlanningBar::planning()));
    let trial = attempt_trial(context, plan.as_ref(), place, &request)
        .map_err(|why| Failure::explained(&InContext(&context, why)))?;
    draw(&options.drawing, || Ok(view::svg(&context, &trial)))?;
    answer(
        &options.shown,
        |detail| {
            view::show(&context, &trial, detail, &opened.files)
                + &weighed::show(&opened.weighed, &opened.files)
        },
        || with(view::json(&context, &trial), "processors", weighed::json(&opened.weighed)),
    )?;
    Ok(yes_or_no(trial.is_yes()))
}
