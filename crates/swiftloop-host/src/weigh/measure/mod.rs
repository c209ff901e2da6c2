//! What one processor costs and how late it is, measured in the process it runs in. Calls at every block, hot, silent, with caches
//! swept, with small numbers kept; a long row of small calls for bursts; notes held for voices; the probe for the delay.
//! Each call stands between two looks at the yardsticks.

mod delay;
mod ended;
mod flush;
mod sweep;
mod timing;

use super::{Running, Standard};
use crate::soak::Filters;
use delay::{PROBE_BLOCK, delay};
pub use ended::Ended;
use ended::check;
use flush::Flush;
use std::collections::BTreeMap;
use std::path::Path;
use sweep::Sweep;
use swiftloop_measure::weigh::{
    AtRate, BurstFound, Bursts, Line, Timed, VoiceCost, Voices, Yardsticks, as_it_is, burst, voices, weighed,
};
use swiftloop_units::stats::quantile;
use timing::{CallPattern, InputSound, SMALL, row, timed};

/// Calls at each block: hot, and otherwise.
const CALLS: usize = 160;
const FEWER: usize = 60;
/// Calm calls for a figure in the middle.
const CALM: usize = 8;
/// The block at which notes and small numbers are looked at.
const USUAL: u32 = 256;
/// Notes that are held at once, rising.
const NOTES: [u32; 9] = [0, 1, 2, 4, 8, 16, 32, 48, 64];
/// The lowest key of them.
const LOWEST_KEY: u8 = 32;
/// Notes that an instrument holds while it is weighed.
const HELD: u32 = 8;

/// What is to be measured.
pub(super) struct MeasureOrder<'a> {
    pub standard: &'a dyn Standard,
    pub library: &'a Path,
    pub id: &'a str,
    pub rates_hz: &'a [u32],
    pub blocks: &'a [u32],
    /// Settings that it takes first.
    pub settings: Option<&'a [u8]>,
    /// The least that the yardsticks ever took on this machine.
    pub floor: Option<Yardsticks>,
}

/// Measures one processor, rate by rate.
pub(super) fn measure(asked: &MeasureOrder<'_>, mut told: impl FnMut(&AtRate)) -> Result<(), Ended> {
    // As audio software runs them.
    let _flushed = Flush::to_zero(true);
    for &rate in asked.rates_hz {
        told(&at_rate(asked, rate)?);
    }
    Ok(())
}

fn at_rate(asked: &MeasureOrder<'_>, rate_hz: u32) -> Result<AtRate, Ended> {
    let blocks = asked.blocks;
    let longest = blocks.iter().copied().max().unwrap_or(0).max(USUAL).max(PROBE_BLOCK) as usize;
    let mut begin = || -> Result<Box<dyn Running>, Ended> {
        let mut begun = asked.standard.begin(asked.library, asked.id, rate_hz, longest)?;
        asked.settings.map_or(Ok(()), |s| begun.restore(s))?;
        Ok(begun)
    };
    // From its very first frame, so that its own blocks begin with the row.
    let mut fresh = begin()?;
    let row = row(&mut *fresh);
    check(&*fresh, SMALL as usize)?;
    drop(fresh);
    let burst = burst(SMALL, &row);
    let mut calls = Calls { plugin: begin()?, filters: Filters::default(), all: Yardsticks::NONE };
    let is_played = calls.plugin.hold(&usual_keys());
    let loud = calls.at_each(blocks, CALLS, InputSound::Noise, None)?;
    let mut sweep = Sweep::new();
    let few = [blocks.first(), blocks.get(blocks.len() / 2), blocks.last()];
    let few: Vec<u32> = few.into_iter().flatten().copied().collect();
    let swept = calls.at_each(&few, FEWER, InputSound::Noise, Some(&mut sweep))?;
    let voices = is_played.then(|| calls.voices(asked.floor)).transpose()?.flatten();
    calls.plugin.hold(&[]);
    let unflushed = calls.unflushed()?;
    let quiet = calls.at_each(blocks, CALLS / 2, InputSound::Silence, None)?;
    let yardsticks = calls.all;
    drop(calls);
    let delay = delay(&mut begin, rate_hz, blocks)?;
    let line = |all: &[Timed]| weighed(all, asked.floor, burst);
    let (cost, silent) = (line(&loud), line(&quiet));
    Ok(AtRate {
        rate_hz,
        per_call_ns: cost.map(|c| c.per_call.into()),
        per_frame_ns: cost.map(|c| c.per_frame.into()),
        quiet_per_frame_ns: silent.map(|c| c.per_frame.into()),
        quiet_per_call_ns: silent.map(|c| c.per_call.into()),
        swept: line(&swept).map(Line::from),
        crowded: as_it_is(&swept, burst).map(Line::from),
        unflushed,
        voices,
        undisturbed: cost.map(|c| c.undisturbed),
        burst: burst.map(|BurstFound { frames, ns }| Bursts { frames, ns }),
        delay,
        yardsticks,
    })
}

/// The keys that an instrument holds while it is weighed.
pub(super) fn usual_keys() -> Vec<u8> {
    keys(HELD)
}

/// So many keys, spread over the keyboard.
fn keys(count: u32) -> Vec<u8> {
    (0..count.min(64) as u8).map(|i| LOWEST_KEY + i).collect()
}

/// A processor whose calls are timed.
struct Calls {
    plugin: Box<dyn Running>,
    filters: Filters,
    /// The least that the yardsticks took beside any call.
    all: Yardsticks,
}

impl Calls {
    fn at_each(
        &mut self,
        blocks: &[u32],
        calls: usize,
        sound: InputSound,
        mut sweep: Option<&mut Sweep>,
    ) -> Result<Vec<Timed>, Ended> {
        let mut found = Vec::new();
        for &block in blocks {
            let way = CallPattern { calls, sound, sweep: sweep.as_deref_mut() };
            let timed = timed(&mut *self.plugin, block, way, &mut self.filters)?;
            self.all = self.all.least(timed.floor());
            found.push(timed);
        }
        Ok(found)
    }

    /// What calls take in the middle, of those that nothing disturbed.
    fn middle(&mut self, sound: InputSound, floor: Option<Yardsticks>) -> Result<Option<f64>, Ended> {
        let timed = self.at_each(&[USUAL], FEWER, sound, None)?.remove(0);
        let calm = timed.calm(floor.unwrap_or(Yardsticks::NONE).least(self.all), CALM);
        Ok((calm.len() >= CALM).then(|| quantile(calm, 0.5)))
    }

    /// With small numbers kept, beside flushed ones, on sound that is nothing but small numbers.
    fn unflushed(&mut self) -> Result<Option<f64>, Ended> {
        let flushed = self.middle(InputSound::Denormal, None)?;
        let _kept = Flush::to_zero(false);
        let kept = self.middle(InputSound::Denormal, None)?;
        Ok(flushed.zip(kept).filter(|(flushed, _)| *flushed > 0.0).map(|(flushed, kept)| kept / flushed))
    }

    /// More and more notes, and fewer and fewer: of what each number took, the least, since other programs only add.
    fn voices(&mut self, floor: Option<Yardsticks>) -> Result<Option<VoiceCost>, Ended> {
        let mut least: BTreeMap<u32, f64> = BTreeMap::new();
        for count in NOTES.into_iter().chain(NOTES.into_iter().rev()) {
            self.plugin.hold(&keys(count));
            if let Some(ns) = self.middle(InputSound::Silence, floor)? {
                let per_frame = ns / f64::from(USUAL);
                least.entry(count).and_modify(|l| *l = l.min(per_frame)).or_insert(per_frame);
            }
        }
        let seen: Vec<(u32, f64)> = least.into_iter().collect();
        Ok(voices(&seen).map(|Voices { base, each, limit }| VoiceCost {
            base_per_frame_ns: base,
            per_voice_per_frame_ns: each,
            limit,
            held: HELD,
        }))
    }
}
