//! `try` without files: a first answer from the driver table alone, every assumed leg marked.

use super::{print, print_json, unknown, yes_or_no};
use crate::cli::Try;
use crate::failure::Failure;
use crate::views;
use std::process::ExitCode;
use swiftloop_core::choice::{Arrangement, Ground, Scene, report};
use swiftloop_core::loops::{Bench, Loop, Setting, Verdict};
use swiftloop_core::rig::Offered;
use swiftloop_core::units::{Block, Hz};
use swiftloop_files::{Answers, rig_from, session_from, tables};

pub fn run(options: &Try) -> Result<ExitCode, Failure> {
    let Some(driver) = &options.driver else {
        return Err(Failure::usage(
            "try needs two files, or at least a driver",
            "swiftloop try RIG SESSION, or: swiftloop try --driver alsa --rate 48000 --buffer 128",
        ));
    };
    let needs_files = [
        (options.interface.is_some(), "--interface"),
        (options.phase.is_some(), "--phase"),
        (options.roll.is_some(), "--roll"),
        (options.workers.is_some(), "--workers"),
        (!options.remedies.is_empty(), "--remedy"),
        (options.performer.is_some(), "--performer"),
        (options.svg.is_some(), "--svg"),
    ];
    if let Some((_, option)) = needs_files.iter().find(|(given, _)| *given) {
        return Err(Failure::usage(
            format!("{option} needs a rig and a session"),
            "swiftloop try RIG SESSION …",
        ));
    }
    let tables = tables();
    let drivers: Vec<&str> = tables.driver.iter().map(|d| d.id.as_str()).collect();
    let Some(model) = tables.driver_model(driver) else {
        return Err(unknown("driver model", driver, &drivers));
    };
    if tables.listener(&options.playing).is_none() {
        return Err(unknown(
            "way to play",
            &options.playing,
            &tables.listener.iter().map(|l| l.id.as_str()).collect::<Vec<_>>(),
        ));
    }
    if tables.connection(&options.connection).is_none() {
        let known: Vec<&str> = tables.connection.iter().map(|c| c.id.as_str()).collect();
        return Err(unknown("connection", &options.connection, &known));
    }
    let rate = options.rate.unwrap_or(Hz(48_000));
    let buffer: Block = options.buffer.as_deref().unwrap_or("128").parse().map_err(|e: String| {
        Failure::usage(format!("--buffer: {e}"), "without files a buffer is a number of frames")
    })?;
    let smallest = model.smallest_block.0.max(model.smallest_ms.frames_at(rate).0.ceil() as u32);
    if buffer.0 < smallest {
        return Err(Failure::usage(
            format!("{} does not run below {smallest} frames at {rate} Hz", model.name),
            format!("try --buffer {}", smallest.next_power_of_two()),
        ));
    }

    // The same drivers' worth of loops, each through the reader that user files go through.
    let answer = |word: &str, block: Block| -> Result<(Loop, serde_json::Value), Failure> {
        let answers = Answers {
            driver: word.into(),
            rates_hz: vec![rate.0],
            rate_hz: rate.0,
            buffers: vec![block.0],
            connection: options.connection.clone(),
            playing: options.playing.clone(),
            listening: options.listening.word().into(),
            direct: "plain".into(),
            tracks: 0,
            ..Answers::default()
        };
        let rig = rig_from("the driver table", &answers.rig(), tables)?;
        let session = session_from("the driver table", &answers.session(), &rig, tables)?;
        let bench = Bench { tables, rig: &rig, session: &session };
        let scene = Scene::new(bench, 0, &session.phases[0], rate);
        let setting = Setting { interface: 0, driver: 0, rate, buffer: Offered::plain(block) };
        let ground =
            Ground::new(&scene, Arrangement { setting, roll: None, workers: answers.cores, price: 0 });
        let mut report = report(&ground, &[]);
        let json = views::json::fileless(&bench, &ground.arrangement, &report);
        Ok((report.loops.remove(0), json))
    };
    let (mine, json) = answer(driver, buffer)?;
    let mut others = Vec::new();
    for other in tables.driver.iter().filter(|d| d.systems.iter().any(|s| model.systems.contains(s))) {
        let least = other.smallest_block.0.max(other.smallest_ms.frames_at(rate).0.ceil() as u32);
        let block = Block(buffer.0.max(least));
        others.push((other, block, answer(&other.id, block)?.0));
    }
    others.sort_by(|a, b| a.2.total.typical().0.total_cmp(&b.2.total.typical().0));
    // The largest power of two at which the typical loop still fits: the next thing anybody would ask.
    let mut fits = None;
    for power in (4..=12).rev() {
        let block = Block(1 << power);
        if mine.verdict() == Verdict::Over && block < buffer && block.0 >= smallest {
            let (l, _) = answer(driver, block)?;
            if l.verdict() != Verdict::Over {
                fits = Some((block, l));
                break;
            }
        }
    }
    if options.json {
        print_json(&json)?;
    } else {
        print(&views::fileless::show(model, rate, buffer, (&mine, fits.as_ref()), &others))?;
    }
    Ok(yes_or_no(mine.verdict() != Verdict::Over))
}
