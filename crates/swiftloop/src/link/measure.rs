//! `link measure`: packets at the pace of sound to a reflector, and what is said of the way there and back.

use super::line::{PORT, allowed, key, stream};
use crate::link::measure_text::{BufferQuestion, MeasureLine, Measuring, json, show, svg};
use crate::link::options::LinkMeasureOptions;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, kept_json, yes_or_no};
use crate::shared::signals::stopped_by_signals;
use std::net::{SocketAddr, ToSocketAddrs};
use std::process::ExitCode;
use std::time::Duration;
use swiftloop_core::soak;
use swiftloop_core::soak::Decision;
use swiftloop_files::{FileError, Overwrite, packets_text, save};
use swiftloop_host::link::{Ask, LineRun, LinkError, TrafficPattern, measure, own};
use swiftloop_host::soak::today;
use swiftloop_measure::link::analyse::{LineMeasurement, analyse, late_so_far, spread};
use swiftloop_measure::link::exchange::{Exchange, PacketFate};
use swiftloop_measure::link::measured::{Carried, Measured, Own};
use swiftloop_measure::link::packet::{Spare, Stream};
use swiftloop_units::PerHour;

/// Other traffic is on and off for so long.
const TURNS: Duration = Duration::from_secs(5);
/// Our own side is listened to for so long.
const OWN: Duration = Duration::from_secs(1);
/// How often one asks whether it is answered.
const ASKED_EVERY_S: f64 = 1.0;
/// The chance of a wrong answer on each side.
const ERROR: f64 = 0.05;

pub fn run(options: &LinkMeasureOptions) -> Result<ExitCode, Failure> {
    for file in [&options.save, &options.packets, &options.svg].into_iter().flatten() {
        // Nobody measures for a minute and then cannot keep it.
        if !options.force && file.symlink_metadata().is_ok() {
            return Err(FileError::Exists { path: file.clone() }.into());
        }
    }
    let to = resolved(&options.host)?;
    let stream = stream(&options.sound, to.is_ipv6())?;
    let every_ms = options.packets_per_second.map_or(stream.period().raw(), |rate| 1000.0 / rate);
    let carried = carried(&stream, every_ms);
    let ask = Ask {
        to,
        every_ns: (every_ms * 1e6) as u64,
        lasts: Duration::from_secs_f64(options.seconds),
        bytes: carried.bytes as usize,
        dscp: options.dscp,
        key: key(&options.secret)?,
        load: options.with_load.map(|kbit_s| TrafficPattern { kbit_s, turns: TURNS }),
    };
    let allowed_per_hour = allowed(options.allow);
    let asked =
        LineMeasurement { packet: carried, allowed_per_hour, load_kbit_s: options.with_load.unwrap_or(0.0) };
    let with = ours(&ask)?;
    let stop = stopped_by_signals()?;
    let question = soak::SoakTest { allowed: PerHour::new(allowed_per_hour), error: ERROR };
    let mut live = MeasureLine::begin(&options.host, options.seconds);
    let mut next = ASKED_EVERY_S;
    let made = measure(&ask, &stop, |progress, so_far| {
        live.show(progress);
        let passed = progress.passed.as_secs_f64();
        let Some(buffer) = options.buffer.filter(|_| passed >= next) else { return true };
        next = passed + ASKED_EVERY_S;
        let late = late_so_far(&so_far(), every_ms, buffer);
        question.answer(late.count, late.time) == Decision::Open
    });
    drop(live);
    let made = made.map_err(|e| refused(&e, &options.host, to))?;
    let measured = told(&made, asked, with, &options.host);
    let answered = options.buffer.map(|buffer| {
        let late = late_so_far(&made.exchange, every_ms, buffer);
        BufferQuestion {
            buffer,
            late: late.count,
            time: late.time,
            decision: question.answer(late.count, late.time),
            question,
        }
    });
    let measuring = Measuring {
        measured: &measured,
        question: answered.as_ref(),
        saved: options.save.as_deref(),
        seconds: options.seconds,
    };
    keep(options, &made.exchange, &measuring)?;
    answer(&options.shown, |detail| show(&measuring, detail), || json(&measured))?;
    Ok(match &answered {
        Some(q) => yes_or_no(q.decision == Decision::Holds),
        None => yes_or_no(measured.recommended_ms.is_some() && measured.carries_it),
    })
}

/// What was found, with its name and day.
fn told(made: &LineRun, asked: LineMeasurement, with: Own, host: &str) -> Measured {
    let found = analyse(&made.exchange, asked, Own { real_time: made.real_time, ..with });
    let ip = asked.packet.bytes + 8 + if asked.packet.v6 { 40 } else { 20 };
    let cut_at_bytes = made.largest_whole.filter(|whole| ip > *whole);
    Measured { cut_at_bytes, host: host.into(), date: today(), interrupted: made.broken_off, ..found }
}

/// Writes what is to be kept.
fn keep(options: &LinkMeasureOptions, exchange: &Exchange, measuring: &Measuring<'_>) -> Result<(), Failure> {
    let force = Overwrite::forced(options.force);
    if let Some(file) = &options.save {
        let value = serde_json::to_value(measuring.measured).map_err(std::io::Error::other)?;
        save(file, kept_json(value).as_bytes(), force)?;
    }
    if let Some(file) = &options.packets {
        save(file, packets_text(exchange, &measuring.measured.packet, &options.host).as_bytes(), force)?;
    }
    if let Some(file) = &options.svg {
        save(file, crate::shared::page::clean(&svg(measuring.measured)).as_bytes(), force)?;
    }
    Ok(())
}

/// Bytes and line rate of a packet.
fn carried(stream: &Stream, every_ms: f64) -> Carried {
    let pace = stream.period().raw() / every_ms;
    Carried {
        every_ms,
        bytes: stream.datagram_bytes(Spare::None),
        line_kbit_s: stream.line_kbit_s(Spare::None) * pace,
        v6: stream.v6,
    }
}

/// What this computer adds by itself.
fn ours(ask: &Ask) -> Result<Own, Failure> {
    let made = own(ask, OWN).map_err(|e| {
        Failure::machine(format!("not even this computer answers itself ({e})"), "look at its own firewall")
    })?;
    let trips: Vec<f64> = made
        .exchange
        .sorted()
        .fate
        .iter()
        .filter_map(|f| match f {
            PacketFate::Back { forth, back } => Some((forth + back) as f64 / 1e6),
            PacketFate::Lost | PacketFate::LostForth | PacketFate::LostBack => None,
        })
        .collect();
    Ok(Own { kernel_stamps: made.kernel_stamps, real_time: made.real_time, round_trip_ms: spread(&trips) })
}

/// The address behind a name: the first that there is.
fn resolved(host: &str) -> Result<SocketAddr, Failure> {
    let bare = host.trim_start_matches('[').trim_end_matches(']');
    let address = host.parse::<SocketAddr>().ok();
    let without_port = bare.parse::<std::net::IpAddr>().ok().map(|ip| SocketAddr::new(ip, PORT));
    if let Some(found) = address.or(without_port) {
        return Ok(found);
    }
    let text = if host.contains(':') { host.to_string() } else { format!("{host}:{PORT}") };
    let found = text.to_socket_addrs().ok().and_then(|mut all| all.next());
    found.ok_or_else(|| {
        Failure::usage(
            format!("`{host}` leads to no address"),
            "write a name or an address, with :PORT where it is not 862: 192.0.2.7:8620, or [2001:db8::7]:8620",
        )
    })
}

fn refused(e: &LinkError, host: &str, to: SocketAddr) -> Failure {
    let help = match e {
        LinkError::NoSuchHost(_) => "check the name".into(),
        LinkError::CannotListen(..) => "look whether this computer is on the network at all".into(),
        LinkError::CannotSend(_, why) if why.kind() == std::io::ErrorKind::InvalidInput => {
            "put less sound into a packet: --packet 128".into()
        }
        LinkError::CannotSend(..) => "look whether this computer is on the network, and whether the name is right".into(),
        LinkError::Refused(_) => format!(
            "start it there: swiftloop link reflect --listen [::]:{}; and name that port here",
            to.port()
        ),
        LinkError::Silent(_) => format!(
            "start it there: swiftloop link reflect --listen [::]:{}; let the router there pass UDP port {} on to that computer",
            to.port(),
            to.port()
        ),
        LinkError::Foreign(_) => "give both sides the same --key-file, or neither".into(),
        LinkError::TooLarge { .. } => {
            "the line does not let such packets through: put less sound into each, --packet 64, or --channels 1".into()
        }
    };
    let _ = host;
    Failure::machine(e.to_string(), help)
}
