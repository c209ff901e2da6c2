//! `check`: is a computer, or are many, set as the plan says?

use crate::cli::CheckOptions;
use crate::failure::Failure;
use crate::in_effect::{Asked, Computer};
use crate::output::{answer, yes_or_no};
use crate::views::check::{Check, Checked, json, metrics::metrics, show};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::{SystemTime, UNIX_EPOCH};
use swiftloop_core::in_effect::{Demand, Known, compare, puts};
use swiftloop_files::{Overwrite, good_beside, read_good, remember_good, save};
use swiftloop_host::soak::today;

pub fn run(options: &CheckOptions) -> Result<ExitCode, Failure> {
    let asked = Asked::read(&options.files, &options.place)?;
    let demand = asked.demand(&options.place)?;
    let good = options.good.clone().unwrap_or_else(|| good_beside(&asked.beside));
    let copies: Vec<&PathBuf> = asked.rest.iter().chain(&options.root).collect();
    let computers = match copies.as_slice() {
        [] => vec![checked(Computer::this(folder(&asked.beside)), demand, &good)?],
        copies => copies
            .iter()
            .map(|root| checked(Computer::copied(root)?, demand, &good))
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

/// The folder of a file.
pub fn folder(file: &Path) -> &Path {
    file.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Holds a computer against what the phase needs.
pub fn checked(computer: Computer, demand: &Demand, good: &Path) -> Result<Checked, Failure> {
    let known = read_good(good, &computer.name)?;
    let (puts, not_taken) = puts(demand, &computer.inventory);
    Ok(Checked {
        comparison: compare(demand, &computer.inventory, known.as_ref()),
        known: known.map(|k| k.date),
        name: computer.name,
        inventory: computer.inventory,
        puts,
        not_taken,
    })
}
