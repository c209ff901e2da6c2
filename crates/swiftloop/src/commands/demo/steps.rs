//! The steps of the tour: each works out its answer as the command itself would.

use super::recordings;
use super::sample::{SOAKED, files, opened_soaked};
use crate::commands::probe;
use crate::failure::Failure;
use crate::opened::AllCores;
use crate::views::demo::Step;
use crate::views::listen::{Listened, lead as heard_lead};
use crate::views::{self, Detail};
use crate::words::InContext;
use std::path::Path;
use swiftloop_core::choice::{self, Plan, Request, attempt_trial};
use swiftloop_core::listen;
use swiftloop_core::loops::Context;
use swiftloop_files::{Overwrite, Recording, tables};

/// One setting of the plan, without any change.
pub fn late(context: &Context<'_>, plan: &Plan) -> Result<Vec<Step>, Failure> {
    let (rig, session) = (context.rig, context.session);
    let Some(place) = rig.interface_called("rack").zip(session.phase_called("tracking")) else {
        return Ok(Vec::new());
    };
    let trial = attempt_trial(*context, Some(plan), place, &Request::default())
        .map_err(|why| Failure::explained(&InContext(context, why)))?;
    Ok(vec![Step {
        question: "The singer hears herself late in the headphones. How late, and why?",
        command: "try rig.toml session.toml --interface rack --phase tracking".into(),
        lead: views::trial::lead(context, &trial),
        whole: views::trial::show(context, &trial, Detail::Screen, &files()),
    }])
}

/// The plan.
pub fn planned(context: &Context<'_>, plan: &Plan, detail: Detail) -> Step {
    Step {
        question: "Which setting for each interface and phase, and what has to change?",
        command: "plan rig.toml session.toml".into(),
        lead: views::plan::lead(context, plan),
        whole: views::plan::show(context, plan, None, detail, &files()),
    }
}

/// What was measured, on recordings in a folder that is gone afterwards. (An interface that is not there played and
/// recorded.)
pub fn measured(dir: &Path, detail: Detail) -> Result<Vec<Step>, Failure> {
    recordings::write(dir, Overwrite::Refuse)?;
    let takes = [128, 256, 512].map(|n| format!("{n}=loop-{n}.wav"));
    let (found, rate) = probe::collected(&takes, dir)?;
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
        let (recording, reading) = probe::read_recording(&dir.join(name), None)?;
        Ok(Step {
            question: "What did one recording of it say?",
            command: format!("probe read {name}"),
            lead: views::probe::lead(&reading, reading.recipe.rate),
            whole: views::probe::read(
                Path::new(name),
                &recording,
                &reading,
                (None, reading.trouble(false)),
                Detail::Screen,
            ),
        })
    };
    Ok(vec![fit, read("loop-128.wav")?, read("loop-two-clocks.wav")?])
}

/// A recording, listened to.
pub fn listened(dir: &Path, name: &str, detail: Detail) -> Result<Step, Failure> {
    let recording = Recording::open(&dir.join(name))?;
    let scan = listen::listen(&recording, &AllCores, |_| ())?;
    let heard = Listened { recording: &recording, scan: &scan, comparison: None, here: &[] };
    let lead = heard_lead(Path::new(name), &heard);
    Ok(Step {
        question: "The mix crackles. Where, and where does it come from?",
        command: format!("listen {name}"),
        lead: [lead.answer, lead.why, lead.todo].into_iter().chain(lead.commands).collect(),
        whole: views::listen::show(Path::new(name), &heard, detail),
    })
}

/// The plan by the class of machine beside the plan by measured wake-up delays.
pub fn soaked(context: &Context<'_>, by_class: &Plan) -> Result<Step, Failure> {
    let (rig, session) = opened_soaked()?;
    let measured = Context { tables: tables(), rig: &rig, session: &session, rigs: context.rigs };
    let plan = choice::plan(measured, &AllCores);
    Ok(Step {
        question: "Will it hold? They let the laptop soak, then planned again.",
        command: format!("plan {SOAKED} session.toml"),
        lead: views::plan::two_plans::lead(context, by_class, &plan),
        whole: views::plan::two_plans::beside_class(&measured, by_class, &plan),
    })
}
