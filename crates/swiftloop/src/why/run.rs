//! `why`: my recording crackles: whose fault, and what now?

use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::shared::project::AllCores;
use crate::why::options::WhyOptions;
use crate::why::text::{WhyAnswer, json, show};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use swiftloop_core::survey::findings;
use swiftloop_core::why::{Evidence, Fault, Verdict, why};
use swiftloop_files::trace::read_trace;
use swiftloop_files::{Recording, read_notes, read_rig, read_session, tables};
use swiftloop_host::soak::today;
use swiftloop_host::survey::survey;
use swiftloop_measure::listen;
use swiftloop_measure::listen::{AudioSource, per_minute};

pub fn run(options: &WhyOptions) -> Result<ExitCode, Failure> {
    let found = found(options)?;
    let trace = trace_file(options);
    let told = found.told(&options.recording, trace.as_deref());
    answer(&options.shown, |_| show(&told), || json(&told))?;
    Ok(yes_or_no(found.verdict.fault == Fault::Nothing))
}

pub struct WhyFound {
    verdict: Verdict,
    crackles: usize,
}

impl WhyFound {
    /// To be told of these files.
    pub fn told<'a>(&'a self, recording: &'a Path, trace: Option<&'a Path>) -> WhyAnswer<'a> {
        WhyAnswer { recording, crackles: self.crackles, verdict: &self.verdict, trace }
    }
}

/// Weighs all that the options name.
pub fn found(options: &WhyOptions) -> Result<WhyFound, Failure> {
    let recording = Recording::open(&options.recording)?;
    let original = options.against.as_deref().map(Recording::open).transpose()?;
    let rig = options.rig.as_deref().map(|path| read_rig(path, tables())).transpose()?;
    let trace_file = trace_file(options);
    let reading =
        trace_file.as_deref().map(|file| read_trace(file, &options.question.question())).transpose()?;
    let noted = noted(options, rig.as_ref())?;
    let scan = listen::listen(&recording, &AllCores, |_| ())?;
    let comparison = original
        .map(|o| crate::shared::recordings::against(&recording, &o, &options.recording))
        .transpose()?;
    let (events, attribution) = match &comparison {
        Some(c) => (&c.events, &c.attribution),
        None => (&scan.events, &scan.attribution),
    };
    let rate = recording.rate();
    let crackles: Vec<f64> = events.iter().map(|e| e.start as f64 / f64::from(rate.get())).collect();
    let traced = reading.map(|r| r.told.beside(&crackles, None));
    let told = traced.as_ref().map(|t| &t.0);
    // Without crackles there is nothing that the computer could explain.
    let inventory =
        (!options.elsewhere && !events.is_empty() && told.is_none_or(|t| t.late.is_empty())).then(survey);
    let found = inventory.as_ref().map(findings);
    let period = attribution.block.map(|b| b.period(rate).raw());
    let profile = rig.as_ref().and_then(|r| r.machine.wake.as_ref()).zip(period);
    let verdict = why(&Evidence {
        attribution,
        per_hour: per_minute(events, recording.frames(), rate) * 60.0,
        findings: found.as_deref(),
        profile,
        noted: &noted,
        trace: traced.as_ref().map(|(told, heard)| (told, heard.as_ref())),
    });
    Ok(WhyFound { verdict, crackles: events.len() })
}

/// The trace that is named, or the one that a soak kept beside the rig.
fn trace_file(options: &WhyOptions) -> Option<PathBuf> {
    let kept = options.rig.as_ref().map(|rig| rig.with_extension("trace.txt"));
    options.trace.clone().or_else(|| kept.filter(|path| path.is_file()))
}

/// Dropouts an hour that were noted, by buffer in frames.
fn noted(options: &WhyOptions, rig: Option<&swiftloop_core::rig::Rig>) -> Result<Vec<(u32, f64)>, Failure> {
    let (Some(rig), Some(file)) = (rig, &options.session) else { return Ok(Vec::new()) };
    let session = read_session(file, rig, tables())?;
    let notes = read_notes(file, (rig, &session), &today())?;
    let counted = notes.iter().filter_map(|n| {
        let (hours, dropouts) = n.counted?;
        Some((n.arrangement.setting.buffer.block.get(), f64::from(dropouts) / hours.max(1e-6)))
    });
    Ok(counted.collect())
}
