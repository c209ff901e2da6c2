//! The demo's recordings: what a simulated interface makes of the probe, and what breaks a made-up mix. Names and seeds
//! are fixed, so that the demo always tells the same.

use crate::failure::Failure;
use std::path::Path;
use swiftloop_core::listen::CrackleKind;
use swiftloop_core::probe::Recipe;
use swiftloop_core::units::{Block, Hz, Ppm};
use swiftloop_files::{Depth, Overwrite, save, wav_bytes};
use swiftloop_host::simulated::{Instrument, SimulatedInterface, Style, band, crackle, damage, play};

const RATE: Hz = Hz::new(48_000);

/// Names of all of them.
pub const NAMES: [&str; 8] = [
    "probe.wav",
    "loop-128.wav",
    "loop-256.wav",
    "loop-512.wav",
    "loop-two-clocks.wav",
    "mix-clean.wav",
    "mix-crackling.wav",
    "drone-two-clocks.wav",
];

/// Writes all of them into a folder.
pub fn write(dir: &Path, overwrite: Overwrite) -> Result<(), Failure> {
    let recipe = Recipe::new(RATE, 1, 8, -12).map_err(|why| Failure::refused("the demo's probe", &why))?;
    let probe = recipe.render();
    let loop_at = |block: u32, seed| {
        vec![SimulatedInterface::with_block(Block::new(block)).record(&probe[0], seed).samples]
    };
    let two_clocks =
        SimulatedInterface { drift: Ppm::new(23.4), ..SimulatedInterface::with_block(Block::new(128)) };
    let mix = band(RATE, 48_000 * 12, 1905);
    let mut crackling = mix.clone();
    // The interface ran at 128; every second or so it was late.
    crackle(&mut crackling, 128, 36_000, 7);
    let mut slipping = play(Instrument::Drone, Style::Concert, RATE, 48_000 * 12, 1877);
    let mut random = fastrand::Rng::with_seed(3);
    for k in (1..13).rev() {
        damage(&mut slipping, CrackleKind::Slip, k * 42_735, 1, &mut random);
    }
    let all = [
        probe.clone(),
        loop_at(128, 11),
        loop_at(256, 12),
        loop_at(512, 13),
        vec![two_clocks.record(&probe[0], 14).samples],
        mix,
        crackling,
        slipping,
    ];
    for (name, channels) in NAMES.iter().zip(&all) {
        let bytes = wav_bytes(channels, RATE, Depth::Int24)
            .map_err(|why| Failure::usage(format!("the demo's {name}: {why}"), "please report this"))?;
        save(&dir.join(name), &bytes, overwrite)?;
    }
    Ok(())
}
