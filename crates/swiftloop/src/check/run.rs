//! `check`: is a computer, or are many, set as the plan says?

use crate::check::metrics::metrics;
use crate::check::options::CheckOptions;
use crate::check::{Check, json, show};
use crate::shared::failure::Failure;
use crate::shared::in_effect::checked;
use crate::shared::in_effect::folder;
use crate::shared::in_effect::{PlanInEffect, SurveyedComputer};
use crate::shared::output::{answer, yes_or_no};
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::{SystemTime, UNIX_EPOCH};
use swiftloop_core::in_effect::Known;
use swiftloop_files::{Overwrite, good_beside, remember_good, save};
use swiftloop_host::soak::today;

pub fn run(options: &CheckOptions) -> Result<ExitCode, Failure> {
    let asked = PlanInEffect::read(&options.files, &options.place)?;
    let demand = asked.demand(&options.place)?;
    let good = options.good.clone().unwrap_or_else(|| good_beside(&asked.beside));
    let copies: Vec<&PathBuf> = asked.rest.iter().chain(&options.root).collect();
    let computers = match copies.as_slice() {
        [] => vec![checked(SurveyedComputer::this(folder(&asked.beside)), demand, &good)?],
        copies => copies
            .iter()
            .map(|root| checked(SurveyedComputer::copied(root)?, demand, &good))
            .collect::<Result<Vec<_>, Failure>>()?,
    };
    if options.remember {
        for one in &computers {
            let known = Known { date: today(), versions: one.inventory.versions.clone() };
            remember_good(&good, &one.name, known)?;
        }
    }
    let check = Check {
        demand,
        computers: &computers,
        place: asked.place(demand),
        copies: &copies,
        remembered: options.remember.then_some(good.as_path()),
    };
    if let Some(file) = &options.metrics {
        let now = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0.0, |d| d.as_secs_f64());
        save(file, metrics(&check, now).as_bytes(), Overwrite::Allow)?;
    }
    answer(&options.shown, |detail| show(&check, detail), || json(&check))?;
    Ok(yes_or_no(computers.iter().all(|c| c.comparison.is_ready())))
}
