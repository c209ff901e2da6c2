//! `trace record`: looks into the kernel for a time, or runs until something is noticed and keeps what was around it.

use crate::shared::failure::Failure;
use crate::shared::output::answer;
use crate::shared::recorder::Tracing;
use crate::shared::signals::stopped_by_signals;
use crate::trace::options::TraceRecordOptions;
use crate::trace::out::Out;
use crate::trace::record_text as view;
use crate::trace::recording::{Watch, for_a_time};
use std::process::ExitCode;
use std::time::{Duration, Instant};
use swiftloop_files::FileError;
use swiftloop_host::trace::{Recorder, own_seconds};

const FOR_A_TIME: f64 = 10.0;
const UNTIL_NOTICED: f64 = 8.0 * 3600.0;

pub fn run(options: &TraceRecordOptions) -> Result<ExitCode, Failure> {
    if options.out.symlink_metadata().is_ok() && !options.force {
        return Err(FileError::Exists { path: options.out.clone() }.into());
    }
    let stop = stopped_by_signals()?;
    let usual = if options.until.is_empty() { FOR_A_TIME } else { UNTIL_NOTICED };
    let length = Duration::from_secs_f64(options.length.unwrap_or(usual));
    let mut out = Out::beside(&options.out)?;
    // For a time, the ring has to hold what comes between two looks; else all that is to be kept.
    let back = if options.until.is_empty() { 1.0 } else { options.before + options.after + 1.0 };
    let tracing = Tracing::begin(
        options.thread.clone(),
        Duration::from_secs_f64(back),
        options.ring_kb,
        Some(out.unfinished()),
    )?;
    let recorder = tracing.recorder()?;
    let (begun, own) = (Instant::now(), own_seconds());
    let quotas = Recorder::quotas();
    out.line("# swiftloop clock: mono")?;
    let kept = if options.until.is_empty() {
        for_a_time(recorder, length, &stop, &mut out).map(|()| 0)
    } else {
        Watch { recorder, options, length, stop: &stop, begun }.until_noticed(&mut out)
    };
    let lasted = begun.elapsed().as_secs_f64();
    let rings = recorder.rings();
    let missing = recorder.missing.clone();
    let told = view::Recorded {
        file: &options.out,
        seconds: lasted,
        full_disk: out.full,
        asked_seconds: length.as_secs_f64(),
        events: out.lines,
        lost: if options.until.is_empty() { rings.iter().map(|r| r.overrun + r.dropped).sum() } else { 0 },
        rate: recorder.rate,
        ring_kb: recorder.ring_kb,
        back: options.until.first().map(|_| recorder.reaches_back_s()),
        wanted_back: options.before,
        cores: rings.len(),
        missing: &missing,
        own_share: (own_seconds() - own) / lasted.max(1e-3),
        times: kept?,
        until: !options.until.is_empty(),
    };
    out.remark("watched_s", &format!("{lasted:.3}"));
    out.remark("quotas", &Recorder::quotas().saturating_sub(quotas).to_string());
    drop(tracing);
    out.finish(&options.out)?;
    answer(&options.shown, |_| view::show(&told), || view::json(&told))?;
    Ok(if told.full_disk { ExitCode::from(2) } else { ExitCode::SUCCESS })
}
