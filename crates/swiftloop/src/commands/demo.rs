//! `demo`: everything on the sample session, from files inside the program.

use super::print;
use crate::cli::Demo;
use crate::failure::Failure;
use crate::views::{self, styled, trial::Trial};
use std::process::ExitCode;
use swiftloop_core::choice::{self, Ground, Scene};
use swiftloop_core::loops::Bench;
use swiftloop_files::{Overwrite, rig_from, session_from, tables};

/// The sample files: name and content.
const FILES: [(&str, &str); 2] = [
    ("rig.toml", include_str!("../../demo/rig.toml")),
    ("session.toml", include_str!("../../demo/session.toml")),
];

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
    text.push_str("\nThe same files to play with:\n  swiftloop demo my-folder\n");
    print(&text)
}

fn write(dir: &std::path::Path, force: bool) -> Result<ExitCode, Failure> {
    let overwrite = if force { Overwrite::Allow } else { Overwrite::Refuse };
    super::write_all(dir, &FILES.map(|(name, content)| (name, content.to_string())), overwrite)?;
    let at = dir.display();
    print(&format!(
        "Written: {at}/rig.toml, {at}/session.toml\n\nNext:\n  swiftloop plan {at}/rig.toml {at}/session.toml\n  \
         swiftloop try {at}/rig.toml {at}/session.toml --interface rack --phase tracking\n"
    ))
}
