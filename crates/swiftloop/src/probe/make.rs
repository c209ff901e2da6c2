//! `probe make`: the test signal, or a steady tone.

use super::recorded::LONGEST_S;
use crate::probe::options::{DepthOf, ProbeMakeOptions};
use crate::probe::text as view;
use crate::shared::failure::Failure;
use crate::shared::output::print;
use std::process::ExitCode;
use swiftloop_files::{Depth, Overwrite, save, wav_bytes};
use swiftloop_measure::probe;
use swiftloop_measure::probe::Recipe;
use swiftloop_units::{Decibels, Quantity};

pub fn run(options: &ProbeMakeOptions) -> Result<ExitCode, Failure> {
    let depth = depth(options.depth);
    let recipe = Recipe::new(options.rate, options.channels, options.bursts, options.level)
        .map_err(|why| Failure::explained(&why))?;
    let seconds = recipe.length() as f64 / f64::from(options.rate.get());
    let channels = if options.tone {
        let frames = (options.seconds * options.rate.get()) as usize;
        let tone = probe::tone(options.rate, frames, Decibels::of(f64::from(options.level)));
        vec![tone; options.channels]
    } else if seconds > LONGEST_S / 2.0 {
        let long = format!("that probe would last {:.0} minutes", seconds / 60.0);
        return Err(Failure::usage(long, "take fewer --bursts or --channels"));
    } else {
        recipe.render()
    };
    let bytes = wav_bytes(&channels, options.rate, depth)
        .map_err(|why| Failure::usage(why, "take fewer --channels, --bursts or --seconds"))?;
    // Every trail that needs a probe says how to make it: to make it again is no mistake.
    save(&options.out, &bytes, if options.force { Overwrite::Allow } else { Overwrite::RefuseOther })?;
    print(&view::made(&options.out, &recipe, depth, options.tone.then_some(options.seconds)))
}

fn depth(asked: DepthOf) -> Depth {
    match asked {
        DepthOf::Int16 => Depth::Int16,
        DepthOf::Int24 => Depth::Int24,
        DepthOf::Float32 => Depth::Float32,
    }
}
