//! `probe fit`: several recordings, one line through them.

use super::probe::read_recording;
use super::{answer, unknown, yes_or_no};
use crate::cli::ProbeFitOptions;
use crate::failure::Failure;
use crate::views::probe_fit as view;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::listen::AudioSource;
use swiftloop_core::probe::{Collected, Label, MeasuredTake, collect};
use swiftloop_core::rig::{MeasuredTrip, Rig, plain};
use swiftloop_core::units::{Frames, Hz, Range};
use swiftloop_files::{FileError, NewTrip, plain_words, read_rig, save_trips, tables};
use view::Saved;

pub fn run(options: &ProbeFitOptions) -> Result<ExitCode, Failure> {
    let (found, rate) = collected(&options.takes, Path::new(""))?;
    let target = options.save.as_deref().zip(options.interface.as_deref()).zip(options.driver.as_deref());
    let saved = target.map(|((rig, interface), driver)| Saved { rig, interface, driver });
    if let Some(saved) = &saved {
        save(saved, &found, rate)?;
    }
    answer(
        &options.shown,
        |_| view::show(&found, rate, saved.as_ref(), &options.takes),
        || view::json(&found, rate),
    )?;
    // Takes that do not fit together are no yes.
    Ok(yes_or_no(found.unusable.is_none()))
}

/// Round trips from the words of the command line, files in `dir`; all of one rate.
pub fn collected(words: &[String], dir: &Path) -> Result<(Collected, Hz), Failure> {
    let takes: Vec<MeasuredTake> = words.iter().map(|w| take(w, dir)).collect::<Result<_, _>>()?;
    let rate = takes.first().map_or(Hz::new(48_000), |t| t.rate);
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
    let text = std::fs::read_to_string(path).map_err(|e| wrong(plain_words(&e)))?;
    let value: serde_json::Value = serde_json::from_str(&text).map_err(|_| wrong("it is no JSON".into()))?;
    if value["format"] != "swiftloop.probe-read/1" {
        return Err(wrong("its format is not swiftloop.probe-read/1".into()).into());
    }
    let channel = &value["channels"][0];
    let figure = |key: &str| {
        let number = channel[key].as_f64().filter(|x| x.is_finite() && x.abs() < 1e7);
        number.map(Frames::new).ok_or_else(|| wrong(format!("channels[0].{key} is missing or no number")))
    };
    let (low, typical, high) = (figure("low_frames")?, figure("latency_frames")?, figure("high_frames")?);
    let range = Range::new(low, typical, high).ok_or_else(|| wrong("its figures are out of order".into()))?;
    let rate = value["sample_rate_hz"].to_string().parse().map_err(wrong)?;
    Ok((rate, range))
}

fn save(target: &Saved<'_>, found: &Collected, rate: Hz) -> Result<(), Failure> {
    if let Some(why) = &found.unusable {
        let nothing = format!("nothing was written into {}", target.rig.display());
        return Err(Failure::refused(nothing, why));
    }
    let rig = read_rig(target.rig, tables())?;
    check(&rig, target, found, rate)?;
    let trip = |(label, range): (&Label, Range<Frames>)| NewTrip {
        interface: target.interface.into(),
        driver: target.driver.into(),
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
    let trips: Vec<NewTrip> = found.trips.iter().map(|t| trip((&t.label, t.range))).collect();
    Ok(save_trips(target.rig, tables(), &trips)?)
}

/// The rig knows the interface, the driver, the rate and the named speeds.
fn check(rig: &Rig, target: &Saved<'_>, found: &Collected, rate: Hz) -> Result<(), Failure> {
    let ids: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
    let interface =
        rig.interface_called(target.interface).ok_or_else(|| unknown("interface", target.interface, &ids))?;
    let drivers = &rig.interface(interface).drivers;
    let words: Vec<&str> = drivers.iter().map(|d| d.id()).collect();
    let driver = drivers
        .iter()
        .find(|d| plain(d.id()) == plain(target.driver))
        .ok_or_else(|| unknown("driver", target.driver, &words))?;
    if !driver.rates_hz.contains(&rate) {
        let rates: Vec<String> = driver.rates_hz.iter().map(ToString::to_string).collect();
        return Err(Failure::usage(
            format!("{} of {} does not offer {rate} Hz in the rig file", driver.id(), target.interface),
            format!("it offers {}: add the rate, or record at one of these", rates.join(", ")),
        ));
    }
    let speeds: Vec<&str> = driver.buffers.speeds.iter().flatten().map(String::as_str).collect();
    for trip in &found.trips {
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
            Label::Speed(_) | Label::Block(_) => {}
        }
    }
    Ok(())
}
