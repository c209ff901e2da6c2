//! `probe fit`: several recordings, one line through them.

use super::takes::collected;
use crate::probe::fit_text as view;
use crate::probe::options::{ProbeFitOptions, TripTarget};
use crate::shared::answer::quoted;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::rig::placed;
use swiftloop_files::{NewTrip, read_rig, save_trips, tables};
use swiftloop_measure::probe::Collected;
use swiftloop_units::Hz;
use view::SavedTrips;

pub fn run(options: &ProbeFitOptions) -> Result<ExitCode, Failure> {
    let (found, rate) = collected(&options.takes, Path::new(""))?;
    let saved = save(&options.target, &found, rate)?;
    answer(
        &options.shown,
        |_| view::show(&found, rate, saved.as_ref(), &again(&options.takes)),
        || view::json(&found, rate),
    )?;
    // Takes that do not fit together are no yes.
    Ok(yes_or_no(found.unusable.is_none()))
}

/// The command itself, to be followed by where to save.
fn again(takes: &[String]) -> String {
    let takes: Vec<String> = takes.iter().map(|t| quoted(t)).collect();
    format!("swiftloop probe fit {}", takes.join(" "))
}

/// Writes round trips where they are wanted, if they are.
pub(super) fn save<'t>(
    target: &'t TripTarget,
    found: &Collected,
    rate: Hz,
) -> Result<Option<SavedTrips<'t>>, Failure> {
    let wanted = target.save.as_deref().zip(target.interface.as_deref()).zip(target.driver.as_deref());
    let Some(((rig_file, interface), driver)) = wanted else { return Ok(None) };
    if let Some(why) = &found.unusable {
        return Err(Failure::refused(format!("nothing was written into {}", rig_file.display()), why));
    }
    let rig = read_rig(rig_file, tables())?;
    let trips = placed(found, &rig, tables(), interface, driver, rate)
        .map_err(|why| Failure::explained(&why))?
        .into_iter()
        .map(|trip| NewTrip { interface: interface.into(), driver: driver.into(), trip });
    save_trips(rig_file, tables(), &trips.collect::<Vec<_>>())?;
    Ok(Some(SavedTrips { rig: rig_file, interface, driver }))
}
