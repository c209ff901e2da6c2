//! How late a processor is: the probe goes through it in blocks, what comes out is read as a recording of a loop is. At several
//! blocks, since what works in blocks of its own may be late by what is left of them.

use super::super::Running;
use super::ended::{Ended, check};
use crate::soak::worked_ns;
use swiftloop_measure::probe;
use swiftloop_measure::probe::Recipe;
use swiftloop_measure::weigh::{DelayAt, ProcessorDelay};
use swiftloop_units::Hz;
use swiftloop_units::workers::OneByOne;

/// The probe goes through in such blocks first.
pub(super) const PROBE_BLOCK: u32 = 256;
/// Silence before it, so that what is not late at all is told from a recording of nothing.
const BEFORE: usize = 64;
/// Whoever works longer for the probe is asked at one block only, in nanoseconds of its own time: others' is not its fault.
const LONG_NS: u64 = 300_000_000;
/// Delays that differ by less are one.
const ALIKE: f64 = 0.25;

/// The delay at the block of the probe, and at the smallest and the largest of `blocks`; `begin` begins anew.
pub(super) fn delay(
    begin: &mut dyn FnMut() -> Result<Box<dyn Running>, Ended>,
    rate_hz: u32,
    blocks: &[u32],
) -> Result<ProcessorDelay, Ended> {
    let mut plugin = begin()?;
    let is_effect = !plugin.inputs().is_empty() && !plugin.outputs().is_empty();
    let recipe = Recipe::new(Hz::new(rate_hz), 1, 8, -12).ok().filter(|_| is_effect);
    let Some(recipe) = recipe else {
        return Ok(ProcessorDelay { reported_frames: plugin.reported(), ..ProcessorDelay::default() });
    };
    let begun = worked_ns();
    let measured = through(&mut *plugin, recipe, PROBE_BLOCK)?;
    let reported = plugin.reported();
    drop(plugin);
    let mut found = ProcessorDelay {
        reported_frames: reported,
        measured_frames: measured,
        readable: measured.is_some(),
        by_block: vec![],
    };
    let Some(usual) = measured.filter(|_| worked_ns() - begun < LONG_NS) else { return Ok(found) };
    let (least, most) = (blocks.iter().min().copied(), blocks.iter().max().copied());
    let mut at = vec![DelayAt { block: PROBE_BLOCK, frames: usual }];
    for block in [least, most].into_iter().flatten().filter(|b| *b != PROBE_BLOCK) {
        let frames = through(&mut *begin()?, recipe, block)?;
        at.extend(frames.map(|frames| DelayAt { block, frames }));
    }
    at.sort_by_key(|a| a.block);
    at.dedup_by_key(|a| a.block);
    if at.iter().any(|a| (a.frames - usual).abs() > ALIKE) {
        found.by_block = at;
    }
    Ok(found)
}

/// Sends the probe through in blocks of so many frames.
fn through(plugin: &mut dyn Running, recipe: Recipe, block: u32) -> Result<Option<f64>, Ended> {
    let rate = recipe.rate;
    let mut sound = vec![0.0; BEFORE];
    sound.extend(recipe.render().swap_remove(0));
    sound.resize(sound.len() + rate.get() as usize, 0.0);
    let mut heard = Vec::with_capacity(sound.len());
    for piece in sound.chunks(block as usize) {
        for channel in plugin.inputs() {
            channel[..piece.len()].copy_from_slice(piece);
        }
        plugin.work(piece.len());
        check(plugin, piece.len())?;
        heard.extend_from_slice(&plugin.outputs()[0][..piece.len()]);
    }
    let read = probe::read(&[heard], rate, Some(recipe), &OneByOne).ok();
    let late = read.and_then(|r| r.channels.first().map(|c| c.latency.typical().raw() - BEFORE as f64));
    // Nothing comes out before it went in: what reads like that is so changed that it cannot be read.
    Ok(late.filter(|frames| *frames > -1.0))
}
