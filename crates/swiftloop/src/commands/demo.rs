//! `demo`: everything on the sample session, from files inside the program.

use super::{print, recordings};
use crate::cli::Demo;
use crate::failure::Failure;
use crate::views::{self, listen::Heard, styled, trial::Trial};
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::choice::{self, Ground, Scene};
use swiftloop_core::listen;
use swiftloop_core::loops::Bench;
use swiftloop_core::rig::Power;
use swiftloop_core::soak::{Circumstances, learn};
use swiftloop_files::{FileError, Overwrite, Recording, rig_from, session_from, tables, with_profile};
use swiftloop_host::simulated::tidy_laptop;

/// The sample files: name and content.
const FILES: [(&str, &str); 2] = [
    ("rig.toml", include_str!("../../demo/rig.toml")),
    ("session.toml", include_str!("../../demo/session.toml")),
];

/// The rig with a measured profile.
const SOAKED: &str = "rig-soaked.toml";

pub fn run(options: &Demo) -> Result<ExitCode, Failure> {
    if let Some(dir) = &options.dir {
        return write(dir, options.force);
    }
    let tables = tables();
    let rig = rig_from("rig.toml", FILES[0].1, tables)?;
    let session = session_from("session.toml", FILES[1].1, &rig, tables)?;
    let bench = Bench { tables, rig: &rig, session: &session };
    let plan = choice::plan(bench, &super::AllCores);
    let said = |line: &str| styled(views::FAINT, format!("$ swiftloop {line}\n\n"));

    let mut text = String::from(
        "A folk quintet makes an album in a converted boathouse. What they have is in rig.toml, what they want in\n\
         session.toml; some of it is wrong on purpose. First the plan:\n\n",
    );
    text.push_str(&said("plan rig.toml session.toml"));
    text.push_str(&views::plan::show(&bench, &plan, false));
    text.push_str("\nOne setting of that plan, leg by leg, as the session stands:\n\n");
    text.push_str(&said("try rig.toml session.toml --interface rack --phase tracking"));
    let find = |interface: &str, phase: &str| {
        plan.choices
            .iter()
            .find(|c| rig.interfaces[c.interface].id == interface && session.phases[c.phase].word() == phase)
    };
    if let Some(c) = find("rack", "tracking") {
        let scene = Scene::new(bench, c.interface, &session.phases[c.phase], plan.rate);
        let arrangement = choice::Arrangement { price: 0, roll: None, ..c.arrangement.clone() };
        let ground = Ground::new(&scene, arrangement);
        let report = choice::report(&ground, &[]);
        text.push_str(&views::trial::show(&Trial {
            bench: &bench,
            phase: c.phase,
            arrangement: &ground.arrangement,
            report: &report,
            buys: Vec::new(),
            trade: choice::trade(&scene, &ground.arrangement, &[]),
            available: scene.remedies.iter().collect(),
            planned: Some(c),
            performer: 0,
        }));
    }
    text.push_str(&measured()?);
    text.push_str(&soaked(&plan)?);
    text.push_str("\nThe same files and recordings to play with:\n  swiftloop demo my-folder\n");
    print(&text)
}

/// The rig after the machine was soaked. (A machine that is not there lived through it; its delays come from a seed.)
fn soaked_rig() -> Result<String, Failure> {
    let about = Circumstances {
        date: "2026-11-21".into(),
        power: Some(Power::Performance),
        clocks: Some("performance".into()),
        kernel: Some("made up".into()),
        realtime: true,
        ..Circumstances::default()
    };
    let profile = learn(&tidy_laptop(200_000, 1911), &about)
        .ok_or_else(|| Failure::usage("the demo's soak heard too little", "please report this"))?;
    Ok(with_profile(Path::new(FILES[0].0), FILES[0].1, &profile)?)
}

/// The plan by the class of machine beside the plan by measured wake-up delays.
fn soaked(by_class: &choice::Plan) -> Result<String, Failure> {
    let (text, tables) = (soaked_rig()?, tables());
    let rig = rig_from(SOAKED, &text, tables)?;
    let session = session_from(FILES[1].0, FILES[1].1, &rig, tables)?;
    let bench = Bench { tables, rig: &rig, session: &session };
    let plan = choice::plan(bench, &super::AllCores);
    let mut out = String::from(
        "\nThen they let the laptop soak, on mains power. (One that is not there: its delays come from a seed.) The plan above\n\
         beside that of rig-soaked.toml:\n\n",
    );
    out.push_str(&views::two_plans::beside_class(&bench, by_class, &plan));
    Ok(out)
}

/// What was measured, on recordings in a folder that is gone afterwards.
fn measured() -> Result<String, Failure> {
    let dir = tempfile::tempdir()?;
    recordings::write(dir.path(), Overwrite::Refuse)?;
    let mut text = String::from(
        "\nThen they measured. (An interface that is not there played and recorded: it holds three blocks and 40.4 frames.)\n",
    );
    let said = |line: &str| styled(views::FAINT, format!("\n$ swiftloop {line}\n\n"));
    for name in ["loop-128.wav", "loop-two-clocks.wav"] {
        text.push_str(&said(&format!("probe read {name}")));
        let (recording, reading) = super::probe::read_recording(&dir.path().join(name), None)?;
        text.push_str(&views::probe::read(Path::new(name), &recording, &reading, None));
    }
    let takes = [128, 256, 512].map(|n| format!("{n}=loop-{n}.wav"));
    text.push_str(&said(&format!("probe fit {}", takes.join(" "))));
    let found = super::probe_fit::collected(&takes, dir.path())?;
    text.push_str(&views::probe_fit::show(&found.0, found.1, None));
    for name in ["mix-clean.wav", "mix-crackling.wav", "drone-two-clocks.wav"] {
        text.push_str(&said(&format!("listen {name}")));
        let recording = Recording::open(&dir.path().join(name))?;
        let findings = listen::listen(&recording, &super::AllCores, |_| ())?;
        let heard = Heard { recording: &recording, findings: &findings, comparison: None };
        text.push_str(&views::listen::show(Path::new(name), &heard));
    }
    Ok(text)
}

fn write(dir: &Path, force: bool) -> Result<ExitCode, Failure> {
    let overwrite = if force { Overwrite::Allow } else { Overwrite::Refuse };
    let taken = recordings::NAMES.iter().map(|name| dir.join(name)).find(|p| p.symlink_metadata().is_ok());
    if let (Overwrite::Refuse, Some(path)) = (overwrite, taken) {
        return Err(FileError::Exists { path }.into());
    }
    let [rig, session] = FILES.map(|(name, content)| (name, content.to_string()));
    super::write_all(dir, &[rig, session, (SOAKED, soaked_rig()?)], overwrite)?;
    recordings::write(dir, overwrite)?;
    let at = dir.display();
    print(&format!(
        "Written: {at}/rig.toml, {at}/session.toml, {at}/{SOAKED}, and recordings: {}\n\nNext:\n  \
         swiftloop plan {at}/rig.toml {at}/session.toml\n  \
         swiftloop try {at}/rig.toml {at}/session.toml --interface rack --phase tracking\n  \
         swiftloop plan {at}/{SOAKED} {at}/session.toml\n  \
         swiftloop probe read {at}/loop-128.wav\n  swiftloop listen {at}/mix-crackling.wav\n  \
         swiftloop survey\n  swiftloop soak --buffer 128 --work 50\n",
        recordings::NAMES.join(", ")
    ))
}
