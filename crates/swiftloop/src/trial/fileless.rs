//! `try` without files: a first answer from the driver table alone, every assumed leg marked.

use super::described::FilelessTrial;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::trial::fileless_text::{self as view, WithDriver};
use crate::trial::options::TryOptions;
use std::process::ExitCode;
use swiftloop_core::loops::DelayVerdict;
use swiftloop_core::plan::Report;
use swiftloop_core::tables::DriverModel;
use swiftloop_files::tables;
use swiftloop_units::Block;

pub fn run(options: &TryOptions) -> Result<ExitCode, Failure> {
    let asked = FilelessTrial::of(options)?;
    let model = asked.model;
    let opened = asked.with(model, asked.block)?;
    let (context, first) = (opened.context(), opened.answer());
    let own = with_driver(model, asked.block, &first.report)
        .ok_or_else(|| Failure::usage("nobody plays in this", "please report this"))?;
    let fits = first.fits_at.as_ref().and_then(|(at, report)| with_driver(model, at.block, report));
    let mut others = Vec::new();
    for other in tables().driver.iter().filter(|d| d.systems.iter().any(|s| model.systems.contains(s))) {
        let block = asked.block.max(other.smallest_at(asked.rate));
        others.extend(with_driver(other, block, &asked.with(other, block)?.answer().report));
    }
    others.sort_by(|a, b| a.whole.total.typical().raw().total_cmp(&b.whole.total.typical().raw()));
    answer(
        &options.shown,
        |detail| view::show(&context, asked.rate, &own, fits.as_ref(), &others, detail),
        || view::json(&context, &first.arrangement, &first.report),
    )?;
    Ok(yes_or_no(own.whole.verdict() != DelayVerdict::Late))
}

fn with_driver<'a>(model: &'a DriverModel, block: Block, report: &Report) -> Option<WithDriver<'a>> {
    report.loops.first().map(|l| WithDriver { model, block, whole: l.clone() })
}
