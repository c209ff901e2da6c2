//! What a soak teaches: a profile of the machine with the circumstances it was heard under, saved, and held against an
//! earlier one.

use super::outcome::SoakOutcome;
use super::work::SoakPlan;
use crate::shared::failure::Failure;
use crate::soak::options::SoakOptions;
use std::path::Path;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::soak::{FigureChange, Provenance, Samples, compare, learn};
use swiftloop_files::{check_profile_fits, read_rig, save_paced, save_profile, tables};
use swiftloop_host::soak::{kernel, today};
use swiftloop_host::survey::{governor, power_plan};
use swiftloop_units::stats::quantile;
use swiftloop_units::{Factor, Range};

/// What can be wrong with the files is found before the machine is put to work; the profile to compare with.
pub fn check(options: &SoakOptions) -> Result<Option<WakeProfile>, Failure> {
    let old = options.compare.as_deref().map(old_profile).transpose()?;
    if let Some(file) = &options.save {
        check_profile_fits(file, tables())?;
    }
    Ok(old)
}

/// What was learned, and what could not be done with it.
pub struct Profiles<'a> {
    pub profile: Option<WakeProfile>,
    pub saved: Option<Result<&'a Path, Failure>>,
    pub since: Option<Result<ChangesSince, Failure>>,
}

impl<'a> Profiles<'a> {
    /// Learns from a soak, saves and compares.
    pub fn of(
        options: &'a SoakOptions,
        plan: &SoakPlan,
        lived: &SoakOutcome,
        old: Option<WakeProfile>,
    ) -> Self {
        let heard = lived.climbed.listened.clone().with(lived.climbed.judged.clone());
        let profile = learn(&heard, &provenance(options, lived));
        if plan.chain().is_some() {
            // What these processors took beside what they were weighed at is no pace of the machine.
            let saved = options.save.as_deref().map(|path| save_paced_of(&heard, path).map(|()| path));
            return Self { profile: None, saved, since: None };
        }
        let saved = options.save.as_deref().map(|path| match &profile {
            Some(profile) => save_profile(path, tables(), profile).map(|()| path).map_err(Failure::from),
            None => Err(too_little(&format!("nothing was written into {}", path.display()))),
        });
        let since = old.map(|old| match &profile {
            Some(new) => Ok(ChangesSince { changes: compare(&old, new), date: old.date }),
            None => Err(too_little("nothing can be compared")),
        });
        Self { profile, saved, since }
    }
}

/// Under which circumstances this machine was heard.
fn provenance(options: &SoakOptions, lived: &SoakOutcome) -> Provenance {
    Provenance {
        date: today(),
        kernel: kernel(),
        power: power_plan(),
        clocks: governor(),
        realtime: lived.permission.realtime,
        held_awake: options.awake,
        core_speed: Some(lived.speed.factor()),
    }
}

/// How much dearer the processors were than weighed alone, second by second.
fn save_paced_of(heard: &Samples, path: &Path) -> Result<(), Failure> {
    /// Fewer seconds say too little.
    const FEWEST: usize = 5;
    if heard.pace_by_second.len() < FEWEST {
        return Err(too_little(&format!("nothing was written into {}", path.display())));
    }
    let at = |q| Factor::new(quantile(heard.pace_by_second.iter().copied(), q));
    Ok(save_paced(path, tables(), Range::spanning(at(0.1), at(0.5), at(0.9)))?)
}

fn too_little(so: &str) -> Failure {
    Failure::usage(format!("too few wake-ups were seen for a profile, so {so}"), "soak longer: --seconds")
}

/// The profile of a rig file, to compare with.
fn old_profile(file: &Path) -> Result<WakeProfile, Failure> {
    read_rig(file, tables())?.machine.wake.clone().ok_or_else(|| {
        Failure::usage(
            format!("{} holds no measured profile", file.display()),
            format!("measure one: swiftloop soak --save {}", file.display()),
        )
    })
}

/// Changes since an older profile.
pub struct ChangesSince {
    /// The older profile's date.
    pub date: String,
    pub changes: Vec<FigureChange>,
}
