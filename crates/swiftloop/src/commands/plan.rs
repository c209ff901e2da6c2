//! `plan`: all interfaces and phases.

use super::{print, print_json, unknown, yes_or_no};
use crate::cli::Plan;
use crate::failure::Failure;
use crate::views;
use std::process::ExitCode;
use swiftloop_core::choice;
use swiftloop_core::loops::Bench;
use swiftloop_files::{Overwrite, read_rig, read_session, save, tables};

pub fn run(options: &Plan) -> Result<ExitCode, Failure> {
    let tables = tables();
    let rig = read_rig(&options.rig, tables)?;
    let session = read_session(&options.session, &rig, tables)?;
    let bench = Bench { tables, rig: &rig, session: &session };
    let phases: Vec<&str> = session.phases.iter().map(|p| p.word()).collect();
    let interfaces: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
    for (kind, asked, known) in
        [("phase", &options.phase, &phases), ("interface", &options.interface, &interfaces)]
    {
        if let Some(id) = asked.iter().find(|id| !known.contains(&id.as_str())) {
            return Err(unknown(kind, id, known));
        }
    }
    // The whole session is always planned, so that what is shown does not depend on what is shown beside it.
    let mut plan = choice::plan(bench, &super::AllCores);
    let shown = |interface: usize, phase: usize| {
        let wanted = |asked: &[String], id: &str| asked.is_empty() || asked.iter().any(|a| a == id);
        wanted(&options.phase, phases[phase]) && wanted(&options.interface, interfaces[interface])
    };
    plan.choices.retain(|c| shown(c.interface, c.phase));
    plan.steps.retain(|s| shown(s.interface, s.phase));
    plan.silent.retain(|s| shown(s.0, s.1));
    if let Some(file) = &options.svg {
        let overwrite = if options.force { Overwrite::Allow } else { Overwrite::Refuse };
        save(file, views::svg::plan(&bench, &plan).as_bytes(), overwrite)?;
    }
    if options.json {
        print_json(&views::json::plan(&bench, &plan))?;
    } else {
        print(&views::plan::show(&bench, &plan, options.brief))?;
    }
    let possible = plan.silent.is_empty() && plan.choices.iter().all(|c| c.missed.is_none());
    Ok(yes_or_no(possible))
}
