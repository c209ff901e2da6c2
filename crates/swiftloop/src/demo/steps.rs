//! The steps of the tour: each works out its answer as the command itself would.

use super::sample::{
    ARCHIVE, LAPTOP, PROBED, SOAKED, TRACE, boathouse, files, opened_probed, opened_soaked, write_laptop,
};
use crate::demo::text::TourStep;
use crate::listen::{Listened, lead as heard_lead};
use crate::probe;
use crate::shared::answer::Detail;
use crate::shared::answer::notes::{ChangedByNotes, JustNoted};
use crate::shared::answer::report::sentences;
use crate::shared::failure::Failure;
use crate::shared::in_effect::{SurveyedComputer, settings_of};
use crate::shared::project::{AllCores, Project};
use crate::shared::words::InContext;
use crate::why::options::WhyOptions;
use std::path::{Path, PathBuf};
use swiftloop_core::catalogue::Used;
use swiftloop_core::loops::Context;
use swiftloop_core::notes::Note;
use swiftloop_core::plan;
use swiftloop_core::plan::{Choice, Plan, Request, attempt_trial};
use swiftloop_core::session::Session;
use swiftloop_files::import::{merged, read_source};
use swiftloop_files::{Overwrite, Recording, save, tables};
use swiftloop_measure::listen;
use swiftloop_units::ids::{InterfaceId, PhaseId};

/// The session as its software saved it, read.
pub fn imported(dir: &Path, detail: Detail) -> Result<TourStep, Failure> {
    const INTO: &str = "imported.toml";
    let archive = dir.join(ARCHIVE);
    save(&archive, &boathouse(), Overwrite::Refuse)?;
    let found = read_source(&archive)?;
    let merged = merged(&found, None, None)?;
    let imported = crate::import::text::Imported {
        found: &found,
        merged: &merged,
        into: Path::new(INTO),
        rig: Some(Path::new("rig.toml")),
        is_new: true,
    };
    Ok(TourStep {
        question: "The session stands in their software. Nobody types it: what is in it?",
        command: format!("import {ARCHIVE} --into {INTO} --rig rig.toml"),
        lead: imported.lead().into_iter().take(1).collect(),
        whole: imported.show(detail),
    })
}

/// What is said of processors where none was weighed yet.
fn never_weighed(session: &Session) -> String {
    let used: Vec<Used> = session.processors().filter_map(|p| p.is.clone()).map(Used::Missing).collect();
    crate::shared::answer::weighed::show(&used, &files())
}

/// One setting of the plan, without any change.
pub fn late(context: &Context<'_>, plan: &Plan) -> Result<Vec<TourStep>, Failure> {
    let (rig, session) = (context.rig, context.session);
    let Some(place) = rig.interface_called("rack").zip(session.phase_called("tracking")) else {
        return Ok(Vec::new());
    };
    let trial = attempt_trial(*context, Some(plan), place, &Request::default())
        .map_err(|why| Failure::explained(&InContext(context, why)))?;
    Ok(vec![TourStep {
        question: "The singer hears herself late in the headphones. How late, and why?",
        command: "try rig.toml session.toml --interface rack --phase tracking".into(),
        // How late she is, and what the plan does about it; the dropouts are the next question.
        lead: crate::trial::lead(context, &trial).into_iter().step_by(2).collect(),
        whole: crate::trial::show(context, &trial, Detail::Screen, &files()) + &never_weighed(session),
    }])
}

pub fn planned(context: &Context<'_>, plan: &Plan, detail: Detail) -> TourStep {
    TourStep {
        question: "Which setting for each interface and phase, and what has to change?",
        command: "plan rig.toml session.toml".into(),
        lead: crate::plan::lead(context, plan),
        whole: crate::plan::show(context, plan, None, detail, &files()) + &never_weighed(context.session),
    }
}

/// Two answers that are open, and what closes them: a measurement, and a note; and one that never was.
pub fn open(dir: &Path, context: &Context<'_>, plan: &Plan) -> Result<Vec<TourStep>, Failure> {
    let (rig, session) = (context.rig, context.session);
    let place = |interface, phase| rig.interface_called(interface).zip(session.phase_called(phase));
    let (Some(desk), Some(show), Some(mixing)) =
        (place("desk", "overdub"), place("rack", "show"), place("rack", "mixing"))
    else {
        return Ok(Vec::new());
    };
    let (probed_rig, probed_session) = opened_probed(dir)?;
    let probed = Context { rig: &probed_rig, session: &probed_session, ..*context };
    let after_cable = plan::plan(probed, &AllCores);
    let of = |plan: &Plan, at: (InterfaceId, PhaseId)| plan.choice(at.0, at.1).cloned();
    let (Some(guess), Some(measured), Some(open), Some(sure)) =
        (of(plan, desk), of(&after_cable, desk), of(plan, show), of(plan, mixing))
    else {
        return Ok(Vec::new());
    };
    let note = Note {
        date: "2026-11-20".into(),
        phase: open.phase,
        arrangement: open.arrangement.clone(),
        remedies: open.report.remedies.iter().map(|r| r.id.clone()).collect(),
        counted: Some((10.0, 0)),
        meter: None,
        meter_peak: None,
        felt: Vec::new(),
    };
    let noted = Project::with_notes(rig.clone(), session.clone(), vec![note], files());
    let after_note = plan::plan(noted.context(), &AllCores);
    let changed = JustNoted {
        file: "notes.toml".into(),
        place: show,
        changed: ChangedByNotes { noted: &noted.noted, before: plan },
        after: &after_note,
    };
    let step =
        |question, command: String, lead: Vec<String>, whole| TourStep { question, command, lead, whole };
    let planned = |rig: &str, at: &str| format!("plan {rig} session.toml {at}");
    let (at_desk, at_rack) = ("--interface desk --phase overdub", "--interface rack --phase mixing");
    let alone =
        |context: &Context<'_>, c: &Choice| crate::plan::alone(context, c, "", &files(), Detail::Screen);
    Ok(vec![
        step(
            "Ada could sing at the writing desk, whose panel names speeds.",
            planned("rig.toml", at_desk),
            sentences(context, &guess.report)
                .into_iter()
                .take(1)
                .chain(crate::shared::answer::doubt::in_short(context, &guess.measure))
                .collect(),
            alone(context, &guess),
        ),
        step(
            "Open, then. They take a cable, and five minutes.",
            planned(PROBED, at_desk),
            sentences(&probed, &measured.report).into_iter().take(1).collect(),
            alone(&probed, &measured),
        ),
        step(
            "The show is open too. Ten hours of rehearsal, nothing breaks: they note it.",
            "note rig.toml session.toml --phase show --minutes 600 --dropouts 0".into(),
            changed.lead(&noted.context()).into_iter().take(1).collect(),
            changed.show(&noted.context(), &files()),
        ),
        step(
            "And the mix?",
            planned("rig.toml", at_rack),
            sentences(context, &sure.report),
            alone(context, &sure),
        ),
    ])
}

/// Playing together with the harp, far away, and with somebody too far away.
pub fn far(context: &Context<'_>, plan: &Plan) -> Vec<TourStep> {
    let place = context.rig.interface_called("rack").zip(context.session.phase_called("remote"));
    let choice = place.and_then(|(interface, phase)| plan.choice(interface, phase));
    let step = |choice: &Choice| TourStep {
        question: "The harp is 410 km away, a friend 9600. Can they play together?",
        command: "plan rig.toml session.toml --interface rack --phase remote".into(),
        lead: crate::shared::answer::report::together(context, &choice.report),
        whole: crate::plan::alone(context, choice, "", &files(), Detail::Screen),
    };
    choice.map(step).into_iter().collect()
}

/// What was measured, on recordings in a folder that is gone afterwards. (An interface that is not there played and
/// recorded.)
pub fn measured(dir: &Path, detail: Detail) -> Result<Vec<TourStep>, Failure> {
    let takes = [128, 256, 512].map(|n| format!("{n}=loop-{n}.wav"));
    let (found, rate) = probe::collected(&takes, dir)?;
    let fit = TourStep {
        question: "How long is the loop really? They recorded a test signal through a cable.",
        command: format!("probe fit {}", takes.join(" ")),
        lead: crate::probe::fit_text::lead(&found),
        whole: crate::probe::fit_text::show(
            &found,
            rate,
            None,
            &format!("swiftloop probe fit {}", takes.join(" ")),
        ),
    };
    if !detail.is_full() {
        return Ok(vec![fit]);
    }
    let read = |name: &str| -> Result<TourStep, Failure> {
        let (recording, reading) = probe::read_recording(&dir.join(name), None)?;
        Ok(TourStep {
            question: "What did one recording of it say?",
            command: format!("probe read {name}"),
            lead: crate::probe::text::lead(&reading, reading.recipe.rate),
            whole: crate::probe::text::read(
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
pub fn listened(dir: &Path, name: &str, detail: Detail) -> Result<TourStep, Failure> {
    let recording = Recording::open(&dir.join(name))?;
    let scan = listen::listen(&recording, &AllCores, |_| ())?;
    let heard = Listened { recording: &recording, scan: &scan, comparison: None, here: &[] };
    let lead = heard_lead(Path::new(name), &heard);
    Ok(TourStep {
        question: "The mix crackles. Where, and where does it come from?",
        command: format!("listen {name}"),
        lead: vec![lead.answer, lead.why],
        whole: crate::listen::show(Path::new(name), &heard, detail),
    })
}

/// Whose fault it is, from the recording and a trace made meanwhile.
pub fn blamed(dir: &Path, name: &str) -> Result<TourStep, Failure> {
    let trace = dir.join(TRACE.0);
    save(&trace, TRACE.1.as_bytes(), Overwrite::Allow)?;
    let options = WhyOptions { trace: Some(trace), elsewhere: true, ..WhyOptions::of(dir.join(name)) };
    let found = crate::why::run::found(&options)?;
    let told = found.told(Path::new(name), Some(Path::new(TRACE.0)));
    Ok(TourStep {
        question: "Whose fault is it, then? The kernel was looked into meanwhile.",
        command: format!("why {name} --trace {}", TRACE.0),
        lead: crate::why::text::in_short(&told),
        whole: crate::why::text::show(&told),
    })
}

/// Whether their laptop is set so, from a copy of what it tells of itself.
pub fn checked(
    dir: &Path,
    context: &Context<'_>,
    plan: &Plan,
    detail: Detail,
) -> Result<Vec<TourStep>, Failure> {
    write_laptop(dir, Overwrite::Allow)?;
    let settings = settings_of(*context, plan);
    let Some(demand) = settings.of("tracking", Some("rack")).next() else { return Ok(Vec::new()) };
    let root = dir.join(LAPTOP);
    let laptop =
        crate::shared::in_effect::checked(SurveyedComputer::copied(&root)?, demand, &dir.join("good.toml"))?;
    let place = "rig.toml session.toml --phase tracking --interface rack";
    let shown = PathBuf::from(LAPTOP);
    let all = crate::check::Check {
        demand,
        computers: std::slice::from_ref(&laptop),
        place: place.into(),
        copies: &[&shown],
        remembered: None,
    };
    Ok(vec![TourStep {
        question: "Before the take: is the laptop set so? A script copied what it tells.",
        command: format!("check {place} --root {LAPTOP}"),
        lead: crate::check::in_short(&all).into_iter().take(3).collect(),
        whole: crate::check::show(&all, detail),
    }])
}

/// The plan by the class of machine beside the plan by measured wake-up delays.
pub fn soaked(dir: &Path, context: &Context<'_>, by_class: &Plan) -> Result<TourStep, Failure> {
    let (rig, session) = opened_soaked(dir)?;
    let measured = Context { tables: tables(), rig: &rig, session: &session, rigs: context.rigs };
    let plan = plan::plan(measured, &AllCores);
    Ok(TourStep {
        question: "Will it hold? They let the laptop soak, then planned again.",
        command: format!("plan {SOAKED} session.toml"),
        lead: crate::plan::two_plans::lead(context, by_class, &plan),
        whole: crate::plan::two_plans::beside_class(&measured, by_class, &plan),
    })
}
