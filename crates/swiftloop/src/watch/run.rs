//! `watch`: an eye on the take.

use crate::shared::failure::Failure;
use crate::shared::in_effect::{PlanInEffect, only_mine};
use crate::shared::noting::keep as keep_note;
use crate::shared::options::CatalogueFile;
use crate::shared::options::Seen;
use crate::shared::output::answer;
use crate::shared::signals::stopped_by_signals;
use crate::watch::options::WatchOptions;
use crate::watch::text as view;
use crate::watch::watching::{Moment, watch};
use indicatif::{ProgressBar, ProgressStyle};
use std::fs::File;
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Duration;
use swiftloop_core::in_effect::{Demand, Happened};
use swiftloop_files::{FileError, Overwrite, save};
use swiftloop_host::soak::{now, time_of_day};

/// Without another length: as good as for good.
const LONG_S: f64 = 7.0 * 86_400.0;
/// Figures are written every so many seconds.
const METRICS_S: f64 = 10.0;

pub fn run(options: &WatchOptions) -> Result<ExitCode, Failure> {
    let asked = PlanInEffect::read(&options.files, &options.place)?;
    asked.alone()?;
    if options.note && asked.opened.is_none() {
        return Err(Failure::usage(
            "a note lies beside a session, and settings alone name none",
            "name the rig and the session instead, or leave out --note",
        ));
    }
    only_mine(&options.files)?;
    let demand = asked.demand(&options.place)?;
    let mut log = options.log.as_deref().map(|path| Log::begin(path, options.force, demand)).transpose()?;
    let stop = stopped_by_signals()?;
    let shows = std::io::stderr().is_terminal();
    let bar = if shows { ProgressBar::new_spinner() } else { ProgressBar::hidden() };
    bar.set_style(ProgressStyle::with_template("{msg}").unwrap_or_else(|_| ProgressStyle::default_spinner()));
    let mut times: Vec<String> = Vec::new();
    let mut metrics_at = f64::NEG_INFINITY;
    let mut failed = Ok(());
    let mut tell = |m: &Moment<'_>| {
        let at = time_of_day();
        let mut heard = false;
        for event in m.events {
            let is_dropout = matches!(event.happened, Happened::Xrun { .. } | Happened::Late { .. });
            if shows {
                bar.println(view::event(event, &at));
            }
            heard |= is_dropout;
        }
        if m.summary.first_s.len() > times.len() {
            times.push(at);
        }
        if heard && options.bell && shows {
            let _ = std::io::Write::write_all(&mut std::io::stderr(), b"\x07");
        }
        bar.set_message(view::line(demand, m));
        if let Some(log) = &mut log {
            log.keep(m);
        }
        if let Some(file) = options.metrics.as_deref().filter(|_| m.at_s - metrics_at >= METRICS_S) {
            metrics_at = m.at_s;
            failed = save(file, view::metrics(demand, m).as_bytes(), Overwrite::Allow);
        }
    };
    let length = Duration::from_secs_f64(options.length.unwrap_or(LONG_S));
    let watched = watch(demand, length, &stop, options.trace, &mut tell)?;
    bar.finish_and_clear();
    failed?;
    let noted = options.note.then(|| keep(options, demand, &watched.summary)).transpose()?;
    let place = asked.place(demand);
    let kept = view::WatchAnswer {
        demand,
        watched: &watched,
        times: &times,
        place: &place,
        has_session: asked.opened.is_some(),
        log: options.log.as_deref(),
        noted: noted.as_deref(),
    };
    if let Some(log) = log {
        log.end(&view::json(&kept))?;
    }
    answer(&options.shown, |_| view::show(&kept), || view::json(&kept))?;
    Ok(crate::shared::output::yes_or_no(watched.summary.dropouts == 0))
}

/// Puts minutes and dropouts into the notes beside the session.
fn keep(
    options: &WatchOptions,
    demand: &Demand,
    summary: &swiftloop_core::in_effect::Summary,
) -> Result<PathBuf, Failure> {
    let [rig, session] = options.files.as_slice() else {
        return Err(Failure::usage("a note needs a rig and a session", "name both"));
    };
    keep_note(&Seen {
        rig: rig.clone(),
        session: session.clone(),
        phase: Some(demand.phase.clone()),
        interface: Some(demand.interface.clone()),
        driver: None,
        buffer: None,
        minutes: Some(summary.minutes()),
        dropouts: Some(u32::try_from(summary.dropouts).unwrap_or(u32::MAX)),
        meter: None,
        meter_peak: None,
        felt: Vec::new(),
        date: None,
        catalogue: CatalogueFile { catalogue: options.place.catalogue.catalogue.clone() },
    })
}

/// The dated log: a line of JSON for everything that happens.
struct Log {
    file: File,
    path: PathBuf,
    full: bool,
}

impl Log {
    fn begin(path: &Path, force: bool, demand: &Demand) -> Result<Self, Failure> {
        let first = serde_json::json!({
            "format": "swiftloop.watch-log/1", "at": now(), "phase": demand.phase, "interface": demand.interface,
            "driver": demand.driver, "rate_hz": demand.rate_hz, "buffer_frames": demand.buffer_frames,
        });
        save(path, format!("{first}\n").as_bytes(), Overwrite::forced(force))?;
        let file = File::options().append(true).open(path);
        let file = file.map_err(|e| FileError::unwritable(path, &e))?;
        Ok(Self { file, path: path.into(), full: false })
    }

    fn line(&mut self, value: &serde_json::Value) {
        // A full disk does not end the watch; it is told at the end.
        self.full |= writeln!(self.file, "{value}").is_err();
    }

    fn keep(&mut self, m: &Moment<'_>) {
        for event in m.events {
            let mut value = serde_json::to_value(event).unwrap_or_default();
            value["at"] = now().into();
            self.line(&value);
        }
    }

    fn end(mut self, summary: &serde_json::Value) -> Result<(), Failure> {
        let line = serde_json::json!({ "event": "end", "at": now(), "summary": summary });
        self.line(&line);
        if self.full {
            let full = std::io::Error::from(std::io::ErrorKind::StorageFull);
            return Err(FileError::unwritable(&self.path, &full).into());
        }
        Ok(())
    }
}
