//! `try RIG SESSION`: one setting, with everything assumed open to change.

use super::{pick, print, print_json, unknown, yes_or_no};
use crate::cli::Try;
use crate::failure::Failure;
use crate::views::{self, trial::Trial};
use std::process::ExitCode;
use swiftloop_core::choice::{self, Arrangement, Ground, Scene, default_workers};
use swiftloop_core::loops::{Bench, Setting};
use swiftloop_core::rig::Offered;
use swiftloop_files::{Overwrite, read_rig, read_session, save, tables};

pub fn run(options: &Try) -> Result<ExitCode, Failure> {
    let (Some(rig_file), Some(session_file)) = (&options.rig, &options.session) else {
        return Err(Failure::usage("try needs both files or none", "swiftloop try RIG SESSION"));
    };
    let tables = tables();
    let rig = read_rig(rig_file, tables)?;
    let session = read_session(session_file, &rig, tables)?;
    let bench = Bench { tables, rig: &rig, session: &session };

    let interfaces: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
    let interface = pick("interface", options.interface.as_deref(), &interfaces)?;
    let on_it: Vec<&str> = session
        .phases
        .iter()
        .filter(|p| p.interfaces.as_ref().is_none_or(|all| all.iter().any(|i| i == interfaces[interface])))
        .map(|p| p.word())
        .collect();
    let all: Vec<&str> = session.phases.iter().map(|p| p.word()).collect();
    // Any phase may be tried on any interface; only the default comes from those that are meant for it.
    let phase = match &options.phase {
        None if on_it.len() == 1 => all.iter().position(|p| p == &on_it[0]).unwrap_or(0),
        asked => pick("phase", asked.as_deref(), &all)?,
    };
    let plan = choice::plan(bench, &super::AllCores);
    let planned = plan.choices.iter().find(|c| c.interface == interface && c.phase == phase);
    let rate = options.rate.unwrap_or(plan.rate);
    let setting = setting_of(options, &bench, interface, rate, planned.map(|c| &c.arrangement.setting))?;

    let scene = Scene::new(bench, interface, &session.phases[phase], rate);
    let workers = workers_of(options, &bench)?;
    let mut remedies = remedies_of(options, &scene)?;
    if options.roll.is_some() {
        if !session.engine.renders_ahead {
            return Err(Failure::usage(
                "the session's software does not render ahead",
                "set renders_ahead = true under [engine] in the session file if it does",
            ));
        }
        if options.roll.is_some_and(|r| r <= setting.buffer.block) {
            return Err(Failure::usage(
                format!("a roll block is larger than the device's block of {}", setting.buffer.block),
                "try --roll 1024",
            ));
        }
        match &scene.forced_by_roll {
            Ok(forced) => {
                remedies.extend(forced.iter().filter(|r| !remedies.contains(r)).copied().collect::<Vec<_>>())
            }
            Err(processor) => {
                return Err(Failure::usage(
                    format!("{processor} cannot ride the cue block and has no remedy in this phase"),
                    "try without --roll, or take it off the list `keep` of the phase",
                ));
            }
        }
    }
    let mut arrangement = Arrangement { setting, roll: options.roll, workers, price: 0 };
    let arranged: u32 = choice::arranged(&bench, &arrangement).iter().map(|r| r.price).sum();
    arrangement.price = arranged + remedies.iter().map(|&r| scene.remedies[r].price).sum::<u32>();
    let ground = Ground::new(&scene, arrangement);
    let report = choice::report(&ground, &remedies);
    let trial = Trial {
        bench: &bench,
        phase,
        arrangement: &ground.arrangement,
        report: &report,
        buys: choice::buys(&ground, &remedies),
        trade: choice::trade(&scene, &ground.arrangement, &remedies),
        available: scene
            .remedies
            .iter()
            .enumerate()
            .filter(|(i, _)| !remedies.contains(i))
            .map(|(_, r)| r)
            .collect(),
        planned,
        performer: performer_of(options, &bench, &report)?,
    };
    if let Some(file) = &options.svg {
        let overwrite = if options.force { Overwrite::Allow } else { Overwrite::Refuse };
        save(file, views::svg::trial(&trial).as_bytes(), overwrite)?;
    }
    if options.json {
        print_json(&views::json::trial(&trial))?;
    } else {
        print(&views::trial::show(&trial))?;
    }
    Ok(yes_or_no(trial.is_yes()))
}

fn setting_of(
    options: &Try,
    bench: &Bench<'_>,
    interface: usize,
    rate: swiftloop_core::units::Hz,
    planned: Option<&Setting>,
) -> Result<Setting, Failure> {
    let drivers = &bench.rig.interfaces[interface].drivers;
    let words: Vec<&str> = drivers.iter().map(|d| d.word()).collect();
    let driver = match &options.driver {
        Some(word) => pick("driver", Some(word), &words)?,
        None => planned.map_or(0, |p| p.driver),
    };
    let offers = &drivers[driver];
    if !offers.rates_hz.contains(&rate) {
        let known: Vec<String> = offers.rates_hz.iter().map(ToString::to_string).collect();
        return Err(Failure::usage(
            format!("{} does not offer {rate} Hz", words[driver]),
            format!("it offers: {}", known.join(", ")),
        ));
    }
    let buffer: Offered = match &options.buffer {
        Some(asked) => offers.buffers.find(rate, asked).ok_or_else(|| {
            let known: Vec<String> = offers.buffers.offered(rate).iter().map(Offered::label).collect();
            Failure::usage(
                format!("{} does not offer the buffer `{asked}` at {rate} Hz", words[driver]),
                format!("it offers: {}", known.join(", ")),
            )
        })?,
        None => match planned.filter(|p| p.driver == driver && p.rate == rate) {
            Some(p) => p.buffer.clone(),
            None => {
                return Err(Failure::usage("which buffer?", "the plan has no choice here; add --buffer"));
            }
        },
    };
    Ok(Setting { interface, driver, rate, buffer })
}

fn workers_of(options: &Try, bench: &Bench<'_>) -> Result<u32, Failure> {
    let cores = bench.rig.machine.cores;
    match options.workers {
        Some(0) => Err(Failure::usage("zero workers can do no work", format!("try --workers {cores}"))),
        Some(n) if n > cores => Err(Failure::usage(
            format!("{n} workers on {cores} cores: threads that share a core do not make a block shorter"),
            format!("try --workers {cores}"),
        )),
        Some(n) => Ok(n),
        None => Ok(default_workers(bench.session, cores)),
    }
}

fn remedies_of(options: &Try, scene: &Scene<'_>) -> Result<Vec<usize>, Failure> {
    let known: Vec<&str> = scene.remedies.iter().map(|r| r.id.as_str()).collect();
    let mut chosen = Vec::new();
    for id in &options.remedies {
        let Some(index) = known.iter().position(|k| k == id) else {
            let (kind, target) = id.split_once(':').unwrap_or((id, ""));
            let option = match kind {
                "roll" => format!("--roll {target}"),
                "reserve-core" | "release-core" => "--workers".into(),
                "device-blocks" => "--buffer".into(),
                _ => String::new(),
            };
            if !option.is_empty() {
                return Err(Failure::usage(
                    format!("`{id}` is part of the setting"),
                    format!("use {option} for it"),
                ));
            }
            let near = swiftloop_core::rig::nearest(id, &known);
            let help = match near {
                Some(near) => format!("did you mean `{near}`?"),
                None => format!("those that apply: {}", known.join(", ")),
            };
            return Err(Failure::usage(
                format!("no remedy `{id}` applies to {} on this interface", scene.phase.word()),
                help,
            ));
        };
        if !chosen.contains(&index) {
            chosen.push(index);
        }
    }
    Ok(chosen)
}

fn performer_of(options: &Try, bench: &Bench<'_>, report: &choice::Report) -> Result<usize, Failure> {
    let Some(id) = &options.performer else { return Ok(0) };
    let here: Vec<&str> = report
        .loops
        .iter()
        .filter_map(|l| l.performer.map(|p| bench.session.performers[p].id.as_str()))
        .collect();
    here.iter().position(|p| p == id).ok_or_else(|| unknown("performer in this phase", id, &here))
}
