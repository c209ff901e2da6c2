//! The demo's recordings: what a simulated interface makes of the probe, and what breaks a made-up mix. Names and seeds
//! are fixed, so that the demo always tells the same.

use crate::shared::failure::Failure;
use crate::shared::project::AllCores;
use std::path::Path;
use swiftloop_files::{Depth, Overwrite, save, wav_bytes};
use swiftloop_host::simulated::{Instrument, Playing, SimulatedInterface, band, crackle, damage, play};
use swiftloop_measure::listen::CrackleKind;
use swiftloop_measure::probe::Recipe;
use swiftloop_units::workers::Workers;
use swiftloop_units::{Block, Hz, Ppm};

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

/// What the short tour listens to and measures.
pub const SHORT: [&str; 4] = ["loop-128.wav", "loop-256.wav", "loop-512.wav", "mix-crackling.wav"];

/// Writes those that are named into a folder, made by all cores.
pub fn write(dir: &Path, names: &[&str], overwrite: Overwrite) -> Result<(), Failure> {
    let recipe = Recipe::new(RATE, 1, 8, -12).map_err(|why| Failure::refused("the demo's probe", &why))?;
    let probe = recipe.render();
    let written = AllCores.map(names.to_vec(), |name| {
        let channels = made(name, &probe);
        let bytes = wav_bytes(&channels, RATE, Depth::Int24)
            .map_err(|why| Failure::usage(format!("the demo's {name}: {why}"), "please report this"))?;
        Ok(save(&dir.join(name), &bytes, overwrite)?)
    });
    written.into_iter().collect()
}

/// One of them, a vector for each channel.
fn made(name: &str, probe: &[Vec<f32>]) -> Vec<Vec<f32>> {
    let loop_at = |block: u32, seed| {
        vec![SimulatedInterface::with_block(Block::new(block)).record(&probe[0], seed).samples]
    };
    let mix = || band(RATE, 48_000 * 12, 1905);
    match name {
        "probe.wav" => probe.to_vec(),
        "loop-128.wav" => loop_at(128, 11),
        "loop-256.wav" => loop_at(256, 12),
        "loop-512.wav" => loop_at(512, 13),
        "loop-two-clocks.wav" => {
            let drift = Ppm::new(23.4);
            let two_clocks = SimulatedInterface { drift, ..SimulatedInterface::with_block(Block::new(128)) };
            vec![two_clocks.record(&probe[0], 14).samples]
        }
        "mix-clean.wav" => mix(),
        "mix-crackling.wav" => {
            let mut crackling = mix();
            // The interface ran at 128; every second or so it was late.
            crackle(&mut crackling, 128, 36_000, 7);
            crackling
        }
        "drone-two-clocks.wav" => {
            let mut slipping = play(Instrument::Drone, Playing::Concert, RATE, 48_000 * 12, 1877);
            let mut random = fastrand::Rng::with_seed(3);
            for k in (1..13).rev() {
                damage(&mut slipping, CrackleKind::Slip, k * 42_735, 1, &mut random);
            }
            slipping
        }
        _ => Vec::new(),
    }
}
