//! `link plan`: can we play together? From what was measured, or from a distance alone; a rig and a session are made up around it.

use super::line::{allowed, stream};
use crate::link::measure_text::svg;
use crate::link::options::LinkPlanOptions;
use crate::link::plan_text::{PlanWithoutSession, Side, json, show};
use crate::shared::failure::Failure;
use crate::shared::lookup::{connection, driver_model, ids, listener, unknown};
use crate::shared::output::{answer, yes_or_no};
use crate::shared::project::AllCores;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use swiftloop_core::Invalid;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::plan;
use swiftloop_core::rig::{self, Buffers, Far, Machine, PowerPlan, Rig, Theirs};
use swiftloop_core::session::{self, Performer, Phase, REMOTE, Session, Source, Track};
use swiftloop_core::tables::TwoLimits;
use swiftloop_files::{FileError, Overwrite, read_link, readable_link, save, tables};
use swiftloop_measure::link::measured::Measured;
use swiftloop_measure::link::packet::{Coding, USUAL_MTU, choices};
use swiftloop_measure::link::receive::shortest;
use swiftloop_units::{Block, Gigabytes, KilobitsPerSecond, Kilometres, MegabytesPerSecond, Ms, Range};

pub fn run(options: &LinkPlanOptions) -> Result<ExitCode, Failure> {
    if let Some(file) = options.svg.as_ref().filter(|f| !options.force && f.symlink_metadata().is_ok()) {
        return Err(FileError::Exists { path: file.clone() }.into());
    }
    check(options)?;
    for file in &options.measured {
        // What is no file is told by its own name, not by a line of what is made up around it.
        readable_link(file)?;
    }
    let allowed_per_hour = allowed(options.allow);
    let stream = stream(&options.sound, false)?;
    let made = |e: Invalid| Failure::refused("what was asked", &e);
    let rig = Rig::checked(rig(options)?, tables()).map_err(made)?;
    let of = |m: &Arc<Measured>| Measured::clone(m).allowing(allowed_per_hour);
    let measured: Vec<Measured> = rig.fars.iter().filter_map(|f| f.measured.as_ref().map(of)).collect();
    let session = Session::checked(session(options, allowed_per_hour), tables()).map_err(made)?;
    session.check_interfaces(&rig).map_err(made)?;
    let rigs = Rigs::default();
    let context = Context { tables: tables(), rig: &rig, session: &session, rigs: &rigs };
    let plan = plan::plan(context, &AllCores);
    let Some(chosen) = plan.choices.first() else {
        return Err(Failure::usage(
            format!("{} does not run at {} Hz", options.driver, options.sound.rate),
            "name another --driver, or --rate 48000",
        ));
    };
    // Without a measurement the receive buffer is that of the kind of line, whatever the packet.
    let assumed = tables().line_kind(&options.line).map_or(Ms::new(0.0), |l| l.buffer_ms.typical());
    let side = |m: Option<&Measured>, title: String| {
        let buffer = |s: &swiftloop_measure::link::packet::Stream| {
            let Some(m) = m else { return assumed };
            let times = s.per_second() / m.per_second();
            let rows = m.receive_buffer.iter().map(|r| (r.ms, r.late_per_hour.times(times)));
            Ms::new(shortest(rows, allowed_per_hour).map_or(f64::INFINITY, |b| b.ms))
        };
        Side {
            title,
            measured: m.cloned(),
            packets: choices(stream, swiftloop_measure::link::packet::Spare::None, None, USUAL_MTU, buffer),
        }
    };
    let sides: Vec<Side> = if measured.is_empty() {
        vec![side(None, rig.fars[0].title().into())]
    } else {
        measured.iter().zip(&rig.fars).map(|(m, far)| side(Some(m), far.title().into())).collect()
    };
    let planned = PlanWithoutSession {
        context: &context,
        chosen,
        sides: &sides,
        files: &options.measured,
        show: options.show,
    };
    if let (Some(file), Some(m)) = (&options.svg, measured.first()) {
        save(file, crate::shared::page::clean(&svg(m)).as_bytes(), Overwrite::forced(options.force))?;
    }
    answer(&options.shown, |detail| show(&planned, detail), || json(&planned))?;
    Ok(yes_or_no(planned.is_yes()))
}

/// Words that have to name something.
fn check(options: &LinkPlanOptions) -> Result<(), Failure> {
    driver_model(&options.driver)?;
    connection(&options.connection)?;
    listener(&options.playing)?;
    if tables().line_kind(&options.line).is_none() {
        return Err(unknown("kind of line", &options.line, &ids(&tables().line, |l| &l.id)));
    }
    if options.svg.is_some() && options.measured.is_empty() {
        return Err(Failure::usage(
            "a distance alone has nothing to draw",
            "measure the way first: swiftloop link measure HOST --save link.json",
        ));
    }
    Ok(())
}

/// A laptop with one interface, and the far sides: at a distance, or where lines were measured.
fn rig(options: &LinkPlanOptions) -> Result<rig::Description, Failure> {
    let rate = options.sound.rate;
    let buffers = Buffers { powers: Some([Block::new(32), Block::new(1024)]), ..Buffers::default() };
    let mut all = rig::Description::of_one(&options.connection, &options.driver, buffers);
    all.machine = Machine {
        class: "laptop".into(),
        power: PowerPlan::Performance,
        memory_gb: Gigabytes::new(16.0),
        disk_mb_per_s: MegabytesPerSecond::new(400.0),
        ..all.machine
    };
    for interface in &mut all.interfaces {
        (interface.id, interface.name) = ("ours".into(), Some("interface".into()));
        interface.drivers.iter_mut().for_each(|d| d.rates_hz = vec![rate]);
    }
    let far = |id: &str, name: String| {
        let mut far = Far::plain(id);
        far.name = Some(name);
        far.packet_frames = Some(Block::new(options.sound.packet.frames(rate)));
        far.channels = options.sound.channels;
        match options.sound.depth {
            Coding::Bits(bits) => far.depth = bits,
            Coding::KilobitsPerSecond(rate) => far.squeezed_kbit_s = Some(KilobitsPerSecond::new(rate)),
        }
        far.wireless = options.wireless;
        far.theirs = Theirs {
            driver: Some(options.driver.clone()),
            connection: options.connection.clone(),
            buffer_frames: Block::new(64),
            interface: None,
        };
        far
    };
    if let Some(km) = options.distance {
        let mut one = far("far", "the far side".into());
        (one.distance_km, one.line) = (Some(Range::exact(Kilometres::new(km))), options.line.clone());
        all.fars.push(one);
    } else {
        for (n, file) in options.measured.iter().enumerate() {
            let mut one = far(&format!("far-{}", n + 1), stem(file));
            one.measured = Some(Arc::new(read_link(file, None)?));
            all.fars.push(one);
        }
    }
    Ok(all)
}

/// What a file is called without its ending.
fn stem(file: &Path) -> String {
    let stem = file.file_stem().map_or("the far side".into(), |s| s.to_string_lossy().into_owned());
    stem.trim_end_matches("-link").to_string()
}

/// One performer, who plays with all far sides.
fn session(options: &LinkPlanOptions, allowed_per_hour: f64) -> session::Description {
    let mut track = Track::plain("you");
    (track.name, track.source) = (Some("You".into()), Source::Live);
    let mut you = Performer::plain("you", &options.playing, None);
    you.name = Some("You".into());
    let mut phase = Phase::plain(if options.show.is_some() { "show" } else { REMOTE }, vec!["you".into()]);
    phase.minutes = options.show;
    let limit = Ms::new(100.0);
    phase.limits_ms.extend(TwoLimits::new(limit, limit).map(|both| ("you".to_string(), both)));
    phase.far = Some(match options.distance {
        Some(_) => vec!["far".into()],
        None => (1..=options.measured.len()).map(|n| format!("far-{n}")).collect(),
    });
    (phase.late_packets_per_hour, phase.tempo_bpm) = (Some(allowed_per_hour), options.tempo);
    let mut all = session::Description::of(vec![track], vec![you], vec![phase]);
    all.deliver.rate_hz = options.sound.rate;
    all
}
