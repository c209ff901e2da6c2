//! `link plan`: can we play together? From what was measured, or from a distance alone; a rig and a session are made up around it.

use super::line::{allowed, stream};
use crate::link::measure_text::svg;
use crate::link::options::{LineSound, LinkPlanOptions};
use crate::link::plan_text::{PlanWithoutSession, Side, json, show};
use crate::shared::failure::Failure;
use crate::shared::lookup::{connection, driver_model, ids, listener, unknown};
use crate::shared::output::{answer, yes_or_no};
use crate::shared::project::AllCores;
use serde_json::Value;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::plan;
use swiftloop_files::{FileError, Overwrite, readable_link, rig_from, save, session_from, tables};
use swiftloop_measure::link::measured::Measured;
use swiftloop_measure::link::packet::{Coding, USUAL_MTU, choices};
use swiftloop_measure::link::receive::shortest;
use swiftloop_units::Ms;

/// As files that are not there are called in errors.
const MADE_UP: &str = "what was asked";

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
    let rig = rig_from(MADE_UP, &rig_text(options), tables())?;
    let of = |m: &Arc<Measured>| Measured::clone(m).allowing(allowed_per_hour);
    let measured: Vec<Measured> = rig.fars.iter().filter_map(|f| f.measured.as_ref().map(of)).collect();
    let session = session_from(MADE_UP, &session_text(options, allowed_per_hour), &rig, tables())?;
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

/// A text as TOML writes it.
fn text(word: &str) -> String {
    Value::from(word).to_string()
}

fn rig_text(options: &LinkPlanOptions) -> String {
    let LineSound { packet, channels, depth, rate } = &options.sound;
    let frames = packet.frames(*rate);
    let coding = match depth {
        Coding::Bits(bits) => format!("depth = {bits}"),
        Coding::KilobitsPerSecond(rate) => format!("squeezed_kbit_s = {rate}"),
    };
    let (driver, connection) = (text(&options.driver), text(&options.connection));
    let mut all = format!(
        "format = \"swiftloop.rig/1\"\nmachine = {{ class = \"laptop\", power = \"performance\", cores = 4, memory_gb = 16, \
         disk_mb_per_s = 400, disk_free_gb = 100 }}\n[[interface]]\nid = \"ours\"\nname = \"interface\"\nconnection = {connection}\n\
         driver = [{{ model = {driver}, rates_hz = [{rate}], buffers = {{ powers = [32, 1024] }} }}]\n"
    );
    let mut far = |id: String, name: &str, way: String| {
        all.push_str(&format!(
            "[[far]]\nid = \"{id}\"\nname = {}\n{way}\npacket_frames = {frames}\nchannels = {channels}\n{coding}\nwireless = {}\n\
             theirs = {{ driver = {driver}, connection = {connection}, buffer_frames = 64 }}\n",
            text(name),
            options.wireless
        ));
    };
    match options.distance {
        Some(km) => {
            far("far".into(), "the far side", format!("distance_km = {km}\nline = {}", text(&options.line)))
        }
        None => {
            for (n, file) in options.measured.iter().enumerate() {
                let path = std::path::absolute(file).unwrap_or_else(|_| file.clone());
                far(
                    format!("far-{}", n + 1),
                    &stem(file),
                    format!("link = {}", text(&path.display().to_string())),
                );
            }
        }
    }
    all
}

/// What a file is called without its ending.
fn stem(file: &Path) -> String {
    let stem = file.file_stem().map_or("the far side".into(), |s| s.to_string_lossy().into_owned());
    stem.trim_end_matches("-link").to_string()
}

fn session_text(options: &LinkPlanOptions, allowed_per_hour: f64) -> String {
    let tempo = options.tempo.map_or(String::new(), |bpm| format!("tempo_bpm = {bpm}\n"));
    let kind = match options.show {
        Some(minutes) => format!("kind = \"show\"\nminutes = {minutes}\n"),
        None => "kind = \"remote\"\n".into(),
    };
    let fars: Vec<String> = match options.distance {
        Some(_) => vec!["\"far\"".into()],
        None => (1..=options.measured.len()).map(|n| format!("\"far-{n}\"")).collect(),
    };
    format!(
        "format = \"swiftloop.session/1\"\ndeliver = {{ rate_hz = {} }}\n[[track]]\nid = \"you\"\nname = \"You\"\nsource = \"live\"\n\
         [[performer]]\nid = \"you\"\nname = \"You\"\nplays = {}\nlistens = \"headphones\"\n\
         [[phase]]\n{kind}performers = [\"you\"]\nlimits_ms = {{ you = 100 }}\nfar = [{}]\nlate_packets_per_hour = {allowed_per_hour}\n{tempo}",
        options.sound.rate,
        text(&options.playing),
        fars.join(", ")
    )
}
