//! The log as it is written, and what cannot be true in it.

use crate::contradiction::{NoteContradiction, Thing};
use crate::plan::Arrangement;
use crate::rig::{LinkSetting, Rig, Setting, missing};
use crate::session::Session;
use crate::{Invalid, PathStep};
use schemars::JsonSchema;
use serde::Deserialize;
use std::collections::BTreeMap;
use swiftloop_units::ids::{DriverId, FarId, InterfaceId, PerformerId, PhaseId};
use swiftloop_units::{Block, Hz, Share};

/// A whole `notes.toml`.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Description {
    /// Always `swiftloop.notes/1`.
    pub format: String,
    /// What was seen, in order.
    #[serde(rename = "note", default)]
    pub notes: Vec<NoteDescription>,
}

/// One thing that was seen.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NoteDescription {
    /// When, as an ISO 8601 date.
    pub date: String,
    /// In which phase.
    pub phase: String,
    /// On which interface.
    pub interface: String,
    /// With which driver.
    pub driver: String,
    /// At which rate.
    pub rate_hz: Hz,
    /// At which buffer: frames, count x size, or the name of a speed.
    pub buffer: String,
    /// Tracks were rendered ahead in blocks of so many frames.
    pub roll: Option<Block>,
    /// So many cores worked for the session.
    pub workers: Option<u32>,
    /// Remedies that were in effect, by their ids.
    #[serde(default)]
    pub remedies: Vec<String>,
    /// For so long somebody listened.
    pub minutes: Option<f64>,
    /// So many dropouts were heard or counted in that time.
    pub dropouts: Option<u32>,
    /// What the meter of the session's software showed in the mean, in percent.
    pub meter: Option<f64>,
    /// What it showed at the worst, in percent.
    pub meter_peak: Option<f64>,
    /// What performers felt: `late` or `fine`, by performer; `ada@loft` is Ada playing together with the far side `loft`.
    #[serde(default)]
    pub felt: BTreeMap<String, Feels>,
}

/// What a performer felt.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Feels {
    /// They heard themselves late.
    Late,
    /// They did not.
    Fine,
}

/// One thing that was seen, with what it refers to.
#[derive(Debug, Clone, PartialEq)]
pub struct Note {
    pub date: String,
    pub phase: PhaseId,
    pub arrangement: Arrangement,
    /// Remedies that were in effect.
    pub remedies: Vec<String>,
    /// Hours listened, and dropouts in them.
    pub counted: Option<(f64, u32)>,
    /// The meter in the mean.
    pub meter: Option<Share>,
    /// The meter at the worst.
    pub meter_peak: Option<Share>,
    /// What performers felt of themselves, or of a far side.
    pub felt: Vec<((PerformerId, Option<FarId>), Feels)>,
}

/// Checks a log against rig and session; `today` is an ISO 8601 date.
///
/// # Errors
/// What cannot be true, with its place.
pub fn checked(d: &Description, rig: &Rig, session: &Session, today: &str) -> Result<Vec<Note>, Invalid> {
    let note =
        |(i, n): (usize, &NoteDescription)| one(n, rig, session, today).map_err(|e| e.in_list("note", i));
    let notes = d.notes.iter().enumerate().map(note).collect::<Result<Vec<Note>, Invalid>>()?;
    contradictions(&notes, session)?;
    Ok(notes)
}

fn one(n: &NoteDescription, rig: &Rig, session: &Session, today: &str) -> Result<Note, Invalid> {
    check_date(&n.date, today)?;
    let phases: Vec<&str> = session.phases.iter().map(|p| p.id()).collect();
    let phase =
        session.phase_called(&n.phase).ok_or_else(|| missing(Thing::Phase, &n.phase, &phases).at("phase"))?;
    let interfaces: Vec<&str> = rig.interfaces.iter().map(|i| i.id.as_str()).collect();
    let interface = rig
        .interface_called(&n.interface)
        .ok_or_else(|| missing(Thing::Interface, &n.interface, &interfaces).at("interface"))?;
    let arrangement = arrangement(n, rig, session, interface)?;
    let counted = counted(n)?;
    let meter = meter(n.meter, "meter")?;
    let meter_peak = meter_at(n.meter_peak, meter)?;
    let people: Vec<&str> = session.performers.iter().map(|p| p.id.as_str()).collect();
    let mut felt = Vec::new();
    for (word, feels) in &n.felt {
        let (id, far) = word.split_once('@').map_or((word.as_str(), None), |(id, far)| (id, Some(far)));
        let here = |e: Invalid| e.under(PathStep::Named(word.clone())).at("felt");
        let there = session.phase(phase).performers.iter().any(|p| p == id);
        let who = session
            .performer_called(id)
            .filter(|_| there)
            .ok_or_else(|| here(missing(Thing::PerformerInPhase, id, &people)))?;
        let reached = session.fars_in(session.phase(phase), rig);
        let fars: Vec<&str> = reached.iter().map(|f| rig.far(*f).id.as_str()).collect();
        let far = far
            .map(|far| {
                let found = reached.iter().find(|f| rig.far(**f).id == far).copied();
                found.ok_or_else(|| here(missing(Thing::FarSideInPhase, far, &fars)))
            })
            .transpose()?;
        felt.push(((who, far), *feels));
    }
    if counted.is_none() && meter.is_none() && meter_peak.is_none() && felt.is_empty() {
        return Err(Invalid::new(NoteContradiction::SaysNothing));
    }
    Ok(Note {
        date: n.date.clone(),
        phase,
        arrangement,
        remedies: n.remedies.clone(),
        counted,
        meter,
        meter_peak,
        felt,
    })
}

fn check_date(date: &str, today: &str) -> Result<(), Invalid> {
    let digits = |s: &str, n: usize, most: u32| {
        s.len() == n
            && s.parse::<u32>().is_ok_and(|x| (1..=most).contains(&x))
            && s.bytes().all(|b| b.is_ascii_digit())
    };
    let parts: Vec<&str> = date.split('-').collect();
    let is_date =
        matches!(parts.as_slice(), [y, m, d] if digits(y, 4, 9999) && digits(m, 2, 12) && digits(d, 2, 31));
    if !is_date {
        return Err(
            Invalid::new(NoteContradiction::NoDate { date: date.into(), today: today.into() }).at("date")
        );
    }
    if date > today {
        return Err(
            Invalid::new(NoteContradiction::ComingDate { date: date.into(), today: today.into() }).at("date")
        );
    }
    Ok(())
}

fn arrangement(
    n: &NoteDescription,
    rig: &Rig,
    session: &Session,
    interface: InterfaceId,
) -> Result<Arrangement, Invalid> {
    let drivers = &rig.interface(interface).drivers;
    let ids: Vec<&str> = drivers.iter().map(|d| d.id()).collect();
    let driver = ids
        .iter()
        .position(|id| *id == n.driver)
        .map(DriverId::from)
        .ok_or_else(|| missing(Thing::Driver, &n.driver, &ids).at("driver"))?;
    let offers = rig.driver(interface, driver);
    if !offers.rates_hz.contains(&n.rate_hz) {
        return Err(Invalid::new(NoteContradiction::RateNotOffered {
            driver: n.driver.clone(),
            rate: n.rate_hz,
            offered: offers.rates_hz.clone(),
        })
        .at("rate_hz"));
    }
    let buffer = offers.buffers.find(n.rate_hz, &n.buffer).ok_or_else(|| {
        let known: Vec<String> = offers.buffers.offered(n.rate_hz).iter().map(|o| o.label()).collect();
        Invalid::new(NoteContradiction::BufferNotOffered {
            driver: n.driver.clone(),
            buffer: n.buffer.clone(),
            offered: known,
        })
        .at("buffer")
    })?;
    let cores = rig.machine.cores;
    let workers = n.workers.unwrap_or(crate::plan::default_workers(session, cores));
    if workers == 0 || workers > cores {
        return Err(Invalid::new(NoteContradiction::Workers { workers, cores }).at("workers"));
    }
    if n.roll.is_some_and(|r| r <= buffer.block) {
        return Err(Invalid::new(NoteContradiction::RollTooSmall).at("roll"));
    }
    let setting = Setting { interface, driver, rate: n.rate_hz, buffer };
    Ok(Arrangement { setting, roll: n.roll, workers, link: LinkSetting::default() })
}

fn counted(n: &NoteDescription) -> Result<Option<(f64, u32)>, Invalid> {
    /// A week without a pause.
    const LONGEST: f64 = 7.0 * 24.0 * 60.0;
    match (n.minutes, n.dropouts) {
        (None, None) => Ok(None),
        (Some(_), None) => Err(Invalid::new(NoteContradiction::MinutesAlone).at("minutes")),
        (None, Some(_)) => Err(Invalid::new(NoteContradiction::DropoutsAlone).at("dropouts")),
        (Some(minutes), Some(_)) if !(minutes > 0.0 && minutes <= LONGEST) => {
            Err(Invalid::new(NoteContradiction::Minutes { minutes }).at("minutes"))
        }
        (Some(minutes), Some(dropouts)) if f64::from(dropouts) > minutes * 60.0 * 100.0 => {
            Err(Invalid::new(NoteContradiction::TooManyDropouts { dropouts, minutes }).at("dropouts"))
        }
        (Some(minutes), Some(dropouts)) => Ok(Some((minutes / 60.0, dropouts))),
    }
}

fn meter(percent: Option<f64>, key: &'static str) -> Result<Option<Share>, Invalid> {
    match percent {
        Some(p) if !(p > 0.0 && p <= 200.0) => {
            Err(Invalid::new(NoteContradiction::Meter { percent: p, key }).at(key))
        }
        Some(p) => Ok(Some(Share::new(p / 100.0))),
        None => Ok(None),
    }
}

fn meter_at(percent: Option<f64>, mean: Option<Share>) -> Result<Option<Share>, Invalid> {
    let peak = meter(percent, "meter_peak")?;
    match (peak, mean) {
        (Some(peak), Some(mean)) if peak < mean => {
            Err(Invalid::new(NoteContradiction::PeakBelowMean).at("meter_peak"))
        }
        _ => Ok(peak),
    }
}

/// Notes of one and the same setting that cannot both be true.
fn contradictions(notes: &[Note], session: &Session) -> Result<(), Invalid> {
    /// A meter that is read twice differs by less.
    const METERS: f64 = 3.0;
    for (j, later) in notes.iter().enumerate() {
        for (i, first) in notes[..j].iter().enumerate() {
            let same = first.phase == later.phase
                && first.arrangement == later.arrangement
                && first.remedies == later.remedies;
            if !same {
                continue;
            }
            let place = |e: Invalid| e.in_list("note", j);
            let number = i + 1;
            for (who, feels) in &later.felt {
                if first.felt.iter().any(|(w, f)| w == who && f != feels) {
                    let name = &session.performer(who.0).id;
                    return Err(place(
                        Invalid::new(NoteContradiction::FeltOtherwise {
                            performer: name.clone(),
                            note: number,
                        })
                        .under(PathStep::Named(name.clone()))
                        .at("felt"),
                    ));
                }
            }
            if let (Some(a), Some(b)) = (first.meter, later.meter)
                && (a / b > METERS || b / a > METERS)
            {
                return Err(place(
                    Invalid::new(NoteContradiction::MetersDisagree { note: number, there: a, here: b })
                        .at("meter"),
                ));
            }
        }
    }
    Ok(())
}
