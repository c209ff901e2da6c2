//! `probe fit`: several recordings, one line through them.

use super::takes::collected;
use crate::cli::ProbeFitOptions;
use crate::failure::Failure;
use crate::output::{answer, yes_or_no};
use crate::views::probe_fit as view;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::probe::Collected;
use swiftloop_core::units::Hz;
use swiftloop_files::{NewTrip, read_rig, save_trips, tables};
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

fn save(target: &Saved<'_>, found: &Collected, rate: Hz) -> Result<(), Failure> {
    if let Some(why) = &found.unusable {
        let nothing = format!("nothing was written into {}", target.rig.display());
        return Err(Failure::refused(nothing, why));
    }
    let rig = read_rig(target.rig, tables())?;
    let trips = found
        .placed(&rig, tables(), target.interface, target.driver, rate)
        .map_err(|why| Failure::explained(&why))?
        .into_iter()
        .map(|trip| NewTrip { interface: target.interface.into(), driver: target.driver.into(), trip });
    Ok(save_trips(target.rig, tables(), &trips.collect::<Vec<_>>())?)
}
