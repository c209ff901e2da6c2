//! From a catalogue into a session: each processor that says what it is, and whose cost nobody wrote down, gets the figures that were
//! measured of it. Measured on the machine that is planned for they are taken as they are; on another one they carry over
//! by its two yardsticks, and no real work is bound by more than the two, so these are its bounds.

use super::{Catalogue, Entry, OnMachine};
use crate::rig::Rig;
use crate::session::{Cost, CostFigures, Description, LatencyAt, Processor, WeighedDelay};
use crate::tables::Tables;
use swiftloop_measure::weigh::{AtRate, Line, NanosRange, Yardsticks};
use swiftloop_units::{Block, Factor, Frames, Hz, Nanos, Range, Share};

/// Voices of an instrument when nobody says how many sound at once.
const USUAL_VOICES: u32 = 8;
/// The block at which silence is held beside sound.
const QUIET_AT: u32 = 256;

/// The machine that is planned for.
#[derive(Debug, Clone)]
pub struct PlannedMachine {
    /// Its processor, by the name that it gives itself.
    pub processor: Option<String>,
    /// Its speed beside the reference core, as it is planned with.
    pub speed: f64,
    /// How much dearer what was measured alone is there in a chain at the real period.
    pub paced: Range<Factor>,
}

impl PlannedMachine {
    /// The machine of a rig, as it is planned with.
    #[must_use]
    pub fn of(rig: &Rig, tables: &Tables) -> Self {
        Self {
            processor: rig.machine.processor.clone(),
            speed: rig.speed_under(rig.machine.power),
            paced: rig.machine.paced_cost.unwrap_or(tables.assume.paced_cost),
        }
    }
}

/// What became of one processor of the session.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Used {
    /// Its figures are those measured on this machine.
    Here,
    /// They were measured on another machine.
    Elsewhere,
    /// What it is was never weighed.
    Missing(String),
}

/// Fills in what was measured; what became of each processor that says what it is, and whose cost nobody wrote down.
pub fn fill(session: &mut Description, catalogue: &Catalogue, machine: &PlannedMachine) -> Vec<Used> {
    let rate = session.deliver.rate_hz;
    let used = |p: &mut Processor| {
        let is = p.is.clone()?;
        let written = matches!(p.cost, Cost::Figures(_));
        let entry = catalogue.meant(&is, p.settings.as_deref());
        let own = entry.and_then(|e| e.on_machine(machine.processor.as_deref()?));
        let known = entry.zip(own.or_else(|| entry?.on.iter().max_by_key(|o| &o.date)));
        let Some((entry, on)) = known else { return (!written).then_some(Used::Missing(is)) };
        put(p, entry, on, rate, (own.is_some(), machine));
        (!written).then_some(if own.is_some() { Used::Here } else { Used::Elsewhere })
    };
    session.processors_mut().filter_map(used).collect()
}

fn put(p: &mut Processor, entry: &Entry, on: &OnMachine, rate: Hz, (own, machine): (bool, &PlannedMachine)) {
    let nearest = |a: &&AtRate| a.rate_hz.abs_diff(rate.get());
    let Some(at) = on.rates.iter().min_by_key(nearest) else { return };
    if p.latency_frames == Frames::new(0.0) && p.latency_at.is_empty() {
        p.weighed_delays = on.rates.iter().filter_map(delay).collect();
        if let Some(here) = p.weighed_delays.iter().find(|d| d.rate_hz.get() == at.rate_hz) {
            p.latency_frames = here.frames.typical();
        }
        p.latency_at = p
            .weighed_delays
            .iter()
            .map(|d| LatencyAt { rate_hz: d.rate_hz, frames: d.frames.typical() })
            .collect();
    }
    if matches!(p.cost, Cost::Figures(_)) {
        return;
    }
    let Some(Line { per_call_ns: call, per_frame_ns: frame }) = at.in_session() else { return };
    let bounds = Yardsticks::REFERENCE.beside(on.yardsticks);
    let paced = machine.paced;
    let typical = if own { machine.speed } else { bounds[1] } * paced.typical().raw();
    let times = if own {
        // What is planned divides by the same speed again. How much dearer it is in a chain, all that were measured alone
        // have in common: that is no doubt of each.
        [typical; 3]
    } else {
        [bounds[0] * paced.low().raw(), typical, bounds[2] * paced.high().raw()]
    };
    let carried = |s: NanosRange| {
        Range::spanning(
            Nanos::new(s.low * times[0]),
            Nanos::new(s.typical * times[1]),
            Nanos::new(s.high * times[2]),
        )
    };
    let mut per_frame = carried(frame);
    if let Some(v) = at.voices {
        let sound = |notes: u32| f64::from(notes.min(v.limit.unwrap_or(notes)));
        let more = sound(p.voices.unwrap_or(USUAL_VOICES)) - sound(v.held);
        let each = Nanos::new(more * v.per_voice_per_frame_ns * times[1]);
        let moved = |ns: Nanos| (ns + each).max(ns * 0.01);
        per_frame = per_frame.map(moved);
    }
    let quiet = at.quiet_per_frame_ns.zip(at.quiet_per_call_ns);
    p.cost = Cost::Figures(CostFigures {
        per_call_ns: carried(call),
        per_frame_ns: per_frame,
        measured: own,
        channels: u32::try_from(entry.channels[0].max(entry.channels[1])).ok().filter(|n| *n > 0),
        quiet: quiet.zip(at.hot()).map(|((frame, call), loud)| {
            let silent = Line { per_call_ns: call, per_frame_ns: frame };
            let [silent, loud] = [silent, loud].map(|line| line.takes(QUIET_AT).typical);
            Share::new((silent / loud.max(f64::MIN_POSITIVE)).clamp(0.0, 1.0))
        }),
        // In a block that somebody wrote down it takes as much for each frame.
        burst_ns: at.burst.map(|b| {
            let own = p.internal_block.map_or(1.0, |m| f64::from(m.get()) / f64::from(b.frames));
            Nanos::new(b.ns * own * times[1])
        }),
        alone: own,
    });
    if let Some(burst) = at.burst {
        p.internal_block = p.internal_block.or(Some(Block::new(burst.frames)));
    }
}

/// The delay at a rate: as measured where it can be read, else as reported; over all blocks.
fn delay(at: &AtRate) -> Option<WeighedDelay> {
    let usual = at.delay.measured_frames.or(at.delay.reported_frames)?;
    let blocks = at.delay.by_block.iter().map(|b| b.frames);
    let (low, high) = blocks.fold((usual, usual), |(l, h), f| (l.min(f), h.max(f)));
    let frames = |x: f64| Frames::new(x.max(0.0));
    let frames = Range::spanning(frames(low), frames(usual), frames(high));
    Some(WeighedDelay { rate_hz: Hz::new(at.rate_hz), frames })
}
