//! `probe fit`: several recordings, one line through them.

use super::probe::read_recording;
use super::{print, print_json, unknown};
use crate::cli::ProbeFit;
use crate::failure::Failure;
use crate::views;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::listen::Programme;
use swiftloop_core::probe::{Collected, Label, MeasuredTake, collect};
use swiftloop_core::rig::{MeasuredTrip, Rig};
use swiftloop_core::units::{Frames, Hz, Range};
use swiftloop_files::{FileError, NewTrip, read_rig, save_trips, tables};

pub fn run(options: &ProbeFit) -> Result<ExitCode, Failure> {
    let (fit, rate) = collected(&options.takes, Path::new(""))?;
    let mut saved = None;
    if let (Some(path), Some(interface), Some(driver)) = (&options.save, &options.interface, &options.driver)
    {
        save(path, interface, driver, &fit, rate)?;
        saved = Some((path.as_path(), interface.as_str(), driver.as_str()));
    }
    if options.json {
        return print_json(&views::probe_fit::json(&fit, rate));
    }
    print(&views::probe_fit::show(&fit, rate, saved))
}

/// Round trips from the words of the command line, files in `dir`; all of one rate.
pub fn collected(words: &[String], dir: &Path) -> Result<(Collected, Hz), Failure> {
    let takes: Vec<MeasuredTake> = words.iter().map(|w| take(w, dir)).collect::<Result<_, _>>()?;
    let rate = takes.first().map_or(Hz(48_000), |t| t.rate);
    if let Some(other) = takes.iter().find(|t| t.rate != rate) {
        return Err(Failure::usage(
            format!("these takes have different rates: {rate} and {} Hz", other.rate),
            "fit one rate at a time",
        ));
    }
    Ok((collect(&takes), rate))
}

/// `BUFFER=FILE`
fn take(word: &str, dir: &Path) -> Result<MeasuredTake, Failure> {
    let help = "write BUFFER=FILE, such as 128=take128.wav, or brisk=take.wav for a named speed";
    let Some((label, file)) = word.split_once('=').filter(|(l, f)| !l.is_empty() && !f.is_empty()) else {
        return Err(Failure::usage(format!("`{word}` does not say which buffer it was recorded at"), help));
    };
    let label = match label.parse() {
        Ok(block) => Label::Block(block),
        Err(why) if label.chars().all(|c| c.is_ascii_digit()) => return Err(Failure::usage(why, help)),
        Err(_) => Label::Speed(label.into()),
    };
    let path = &dir.join(file);
    let (rate, trip) = if path.extension().is_some_and(|e| e.eq_ignore_ascii_case("json")) {
        from_json(path)?
    } else {
        from_wav(path)?
    };
    Ok(MeasuredTake { label, rate, trip })
}

fn from_wav(path: &Path) -> Result<(Hz, Range<Frames>), Failure> {
    let (recording, reading) = read_recording(path, None)?;
    // A channel was found, else the recording would have been refused.
    let trip = reading.channels.first().map(|c| c.latency);
    let none = || Failure::usage(format!("{}: no channel holds the probe", path.display()), "record again");
    Ok((recording.rate(), trip.ok_or_else(none)?))
}

/// What `probe read --json` printed.
fn from_json(path: &Path) -> Result<(Hz, Range<Frames>), Failure> {
    let wrong = |why: String| FileError::Unreadable {
        path: path.into(),
        why,
        help: "give a WAV recording, or what swiftloop probe read --json printed".into(),
    };
    let text = std::fs::read_to_string(path).map_err(|e| wrong(e.to_string()))?;
    let value: serde_json::Value = serde_json::from_str(&text).map_err(|e| wrong(e.to_string()))?;
    if value["format"] != "swiftloop.probe-read/1" {
        return Err(wrong("its format is not swiftloop.probe-read/1".into()).into());
    }
    let channel = &value["channels"][0];
    let figure = |key: &str| {
        let number = channel[key].as_f64().filter(|x| x.is_finite() && x.abs() < 1e7);
        number.map(Frames).ok_or_else(|| wrong(format!("channels[0].{key} is missing or no number")))
    };
    let (low, typical, high) = (figure("low_frames")?, figure("latency_frames")?, figure("high_frames")?);
    let range = Range::new(low, typical, high).ok_or_else(|| wrong("its figures are out of order".into()))?;
    let rate = value["sample_rate_hz"].to_string().parse().map_err(wrong)?;
    Ok((rate, range))
}

fn save(path: &Path, interface: &str, driver: &str, fit: &Collected, rate: Hz) -> Result<(), Failure> {
    let text = std::fs::read_to_string(path).map_err(|e| FileError::Unreadable {
        path: path.into(),
        why: e.to_string(),
        help: "check the name; swiftloop new writes one to start from".into(),
    })?;
    let rig = read_rig(path, tables())?;
    check(&rig, interface, driver, fit, rate)?;
    let trip = |(label, range): (&Label, Range<Frames>)| NewTrip {
        interface: interface.into(),
        driver: driver.into(),
        trip: MeasuredTrip {
            rate_hz: rate,
            buffer_frames: match label {
                Label::Block(b) => Some(*b),
                Label::Speed(_) => None,
            },
            speed: match label {
                Label::Block(_) => None,
                Label::Speed(s) => Some(s.clone()),
            },
            round_trip_frames: range,
        },
    };
    let trips: Vec<NewTrip> = fit.trips.iter().map(|t| trip((&t.label, t.range))).collect();
    Ok(save_trips(path, &text, &trips)?)
}

/// The rig knows the interface, the driver, the rate and the named speeds.
fn check(rig: &Rig, interface: &str, driver: &str, fit: &Collected, rate: Hz) -> Result<(), Failure> {
    let ids: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
    let found = rig
        .interfaces
        .iter()
        .find(|i| i.id == interface)
        .ok_or_else(|| unknown("interface", interface, &ids))?;
    let words: Vec<&str> = found.drivers.iter().map(|d| d.word()).collect();
    let driver =
        found.drivers.iter().find(|d| d.word() == driver).ok_or_else(|| unknown("driver", driver, &words))?;
    if !driver.rates_hz.contains(&rate) {
        let rates: Vec<String> = driver.rates_hz.iter().map(ToString::to_string).collect();
        return Err(Failure::usage(
            format!("{} of {interface} does not offer {rate} Hz in the rig file", driver.word()),
            format!("it offers {}: add the rate, or record at one of these", rates.join(", ")),
        ));
    }
    let speeds: Vec<&str> = driver.buffers.speeds.iter().flatten().map(String::as_str).collect();
    for trip in &fit.trips {
        match &trip.label {
            Label::Speed(name) if !speeds.contains(&name.as_str()) => {
                return Err(unknown("speed", name, &speeds));
            }
            Label::Block(_) if !speeds.is_empty() => {
                return Err(Failure::usage(
                    "this driver's buffers are named speeds in the rig file",
                    format!("label the takes with them: {}", speeds.join(", ")),
                ));
            }
            _ => {}
        }
    }
    Ok(())
}
