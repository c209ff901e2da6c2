//! `demo`: a guided tour of the sample session in five steps, from files inside the program.

use super::{AllCores, print, recordings};
use crate::cli::DemoOptions;
use crate::failure::Failure;
use crate::views::demo::{Step, answered, asked, closing, opening, written};
use crate::views::listen::{Listened, lead as heard_lead};
use crate::views::{self, Detail, Files};
use crate::words::InContext;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::choice::{self, Plan, Request, attempt_trial};
use swiftloop_core::listen;
use swiftloop_core::loops::Context;
use swiftloop_core::rig::{PowerPlan, Rig};
use swiftloop_core::session::Session;
use swiftloop_core::soak::{Provenance, learn};
use swiftloop_files::{FileError, Overwrite, Recording, rig_from, session_from, tables, with_profile};
use swiftloop_host::simulated::tidy_laptop;

/// The sample files: name and content.
const FILES: [(&str, &str); 2] = [
    ("rig.toml", include_str!("../../demo/rig.toml")),
    ("session.toml", include_str!("../../demo/session.toml")),
];

/// The rig with a measured profile.
const SOAKED: &str = "rig-soaked.toml";

pub fn run(options: &DemoOptions) -> Result<ExitCode, Failure> {
    if let Some(dir) = &options.dir {
        return write(dir, options.force);
    }
    let detail = Detail::of(options.full);
    print(&opening())?;
    let (rig, session) = opened(FILES[0].1)?;
    let context = Context { tables: tables(), rig: &rig, session: &session };
    let plan = choice::plan(context, &AllCores);
    let dir = tempfile::tempdir()?;
    let steps: [&dyn Fn() -> Result<Vec<Step>, Failure>; 5] = [
        &|| late(&context, &plan),
        &|| Ok(vec![planned(&context, &plan, detail)]),
        &|| measured(dir.path(), detail),
        &|| Ok(vec![listened(dir.path(), "mix-crackling.wav", detail)?]),
        &|| Ok(vec![soaked(&context, &plan)?]),
    ];
    for (n, work) in steps.iter().enumerate() {
        for step in work()? {
            print(&asked(n + 1, step.question, &step.command))?;
            print(&answered(&step, detail))?;
        }
    }
    print(&closing(detail))
}

fn files() -> Files {
    Files { rig: FILES[0].0.into(), session: FILES[1].0.into() }
}

fn opened(rig: &str) -> Result<(Rig, Session), Failure> {
    let rig = rig_from(FILES[0].0, rig, tables())?;
    let session = session_from(FILES[1].0, FILES[1].1, &rig, tables())?;
    Ok((rig, session))
}

/// One setting of the plan, without any change.
fn late(context: &Context<'_>, plan: &Plan) -> Result<Vec<Step>, Failure> {
    let (rig, session) = (context.rig, context.session);
    let Some(place) = rig.interface_called("rack").zip(session.phase_called("tracking")) else {
        return Ok(Vec::new());
    };
    let trial = attempt_trial(*context, plan, place, &Request::default())
        .map_err(|why| Failure::explained(&InContext(context, why)))?;
    Ok(vec![Step {
        question: "The singer hears herself late in the headphones. How late, and why?",
        command: "try rig.toml session.toml --interface rack --phase tracking".into(),
        lead: views::trial::lead(context, &trial),
        whole: views::trial::show(context, &trial, Detail::Screen, &files()),
    }])
}

/// The plan.
fn planned(context: &Context<'_>, plan: &Plan, detail: Detail) -> Step {
    Step {
        question: "Which setting for each interface and phase, and what has to change?",
        command: "plan rig.toml session.toml".into(),
        lead: views::plan::lead(context, plan),
        whole: views::plan::show(context, plan, detail, &files()),
    }
}

/// What was measured, on recordings in a folder that is gone afterwards. (An interface that is not there played and
/// recorded.)
fn measured(dir: &Path, detail: Detail) -> Result<Vec<Step>, Failure> {
    recordings::write(dir, Overwrite::Refuse)?;
    let takes = [128, 256, 512].map(|n| format!("{n}=loop-{n}.wav"));
    let (found, rate) = super::probe_fit::collected(&takes, dir)?;
    let fit = Step {
        question: "How long is the loop really? They recorded a test signal through a cable.",
        command: format!("probe fit {}", takes.join(" ")),
        lead: views::probe_fit::lead(&found),
        whole: views::probe_fit::show(&found, rate, None, &takes),
    };
    if !detail.is_full() {
        return Ok(vec![fit]);
    }
    let read = |name: &str| -> Result<Step, Failure> {
        let (recording, reading) = super::probe::read_recording(&dir.join(name), None)?;
        Ok(Step {
            question: "What did one recording of it say?",
            command: format!("probe read {name}"),
            lead: views::probe::lead(&reading, reading.recipe.rate),
            whole: views::probe::read(Path::new(name), &recording, &reading, None, Detail::Screen),
        })
    };
    Ok(vec![fit, read("loop-128.wav")?, read("loop-two-clocks.wav")?])
}

/// A recording, listened to.
fn listened(dir: &Path, name: &str, detail: Detail) -> Result<Step, Failure> {
    let recording = Recording::open(&dir.join(name))?;
    let scan = listen::listen(&recording, &AllCores, |_| ())?;
    let heard = Listened { recording: &recording, scan: &scan, comparison: None };
    let lead = heard_lead(Path::new(name), &heard);
    Ok(Step {
        question: "The mix crackles. Where, and where does it come from?",
        command: format!("listen {name}"),
        lead: [lead.answer, lead.why, lead.todo].into_iter().chain(lead.command).collect(),
        whole: views::listen::show(Path::new(name), &heard, detail),
    })
}

/// The plan by the class of machine beside the plan by measured wake-up delays.
fn soaked(context: &Context<'_>, by_class: &Plan) -> Result<Step, Failure> {
    let (rig, session) = opened(&soaked_rig()?)?;
    let measured = Context { tables: tables(), rig: &rig, session: &session };
    let plan = choice::plan(measured, &AllCores);
    Ok(Step {
        question: "Will it hold? They let the laptop soak, then planned again.",
        command: format!("plan {SOAKED} session.toml"),
        lead: views::plan::two_plans::lead(context, by_class, &plan),
        whole: views::plan::two_plans::beside_class(&measured, by_class, &plan),
    })
}

/// The rig after the machine was soaked. (A machine that is not there lived through it; its delays come from a seed.)
fn soaked_rig() -> Result<String, Failure> {
    let about = Provenance {
        date: "2026-11-21".into(),
        power: Some(PowerPlan::Performance),
        clocks: Some("performance".into()),
        kernel: Some("made up".into()),
        realtime: true,
        ..Provenance::default()
    };
    let profile = learn(&tidy_laptop(200_000, 1911), &about)
        .ok_or_else(|| Failure::usage("the demo's soak heard too little", "please report this"))?;
    Ok(with_profile(Path::new(FILES[0].0), FILES[0].1, tables(), &profile)?)
}

fn write(dir: &Path, force: bool) -> Result<ExitCode, Failure> {
    let overwrite = Overwrite::forced(force);
    let taken = recordings::NAMES.iter().map(|name| dir.join(name)).find(|p| p.symlink_metadata().is_ok());
    if let (Overwrite::Refuse, Some(path)) = (overwrite, taken) {
        return Err(FileError::Exists { path }.into());
    }
    let [rig, session] = FILES.map(|(name, content)| (name, content.to_string()));
    super::write_all(dir, &[rig, session, (SOAKED, soaked_rig()?)], overwrite)?;
    recordings::write(dir, overwrite)?;
    print(&written(dir, SOAKED, &recordings::NAMES))
}
