//! `new`: commented files to start from: a rig and a session, or whichever of the two is missing. On a terminal it asks what
//! matters; with any option, or piped, it asks nothing.

mod ask;
mod given;
pub mod options;
mod text;

use crate::new::options::NewOptions;
use crate::new::text as view;
use crate::shared::answer::Files;
use crate::shared::failure::Failure;
use crate::shared::output::print;
use given::ShownMeter;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use swiftloop_core::plan::default_workers;
use swiftloop_core::rig::Rig;
use swiftloop_core::session::Session;
use swiftloop_files::{
    NewNote, Overwrite, add_note, notes_beside, read_rig, rig_from, save_all, session_from, tables,
};
use swiftloop_host::soak::today;

pub fn run(options: &NewOptions) -> Result<ExitCode, Failure> {
    let meter = options.meter.as_deref().map(given::meter).transpose()?;
    let mut answers = given::usual(&options.dir);
    given::apply(options, &mut answers)?;
    if !given::anything(options) && std::io::stdin().is_terminal() && std::io::stdout().is_terminal() {
        ask::ask(&mut answers)?;
    }
    let place = NewFiles::of(options)?;
    if place.keeps_rig {
        given::fit_to(&place.rig, options, &mut answers)?;
    } else if !answers.rates_hz.contains(&answers.rate_hz) {
        answers.rates_hz.push(answers.rate_hz);
        answers.rates_hz.sort_unstable();
    }
    let (rig_text, session_text) = (answers.rig(), answers.session());
    let noted = meter.map(|meter| place.note(&meter, (&rig_text, &session_text))).transpose()?;
    let mut files = Vec::new();
    if !place.keeps_rig {
        files.push(("rig.toml", rig_text));
    }
    if !place.keeps_session {
        files.push(("session.toml", session_text));
    }
    save_all(&options.dir, &files, Overwrite::forced(options.force))?;
    if let Some((note, rig, session)) = &noted {
        add_note(&place.session, note, (rig, session), &today())?;
    }
    let written: Vec<&str> = files.iter().map(|(name, _)| *name).collect();
    print(&view::written(&place.files(), &written, noted.is_some()))
}

/// Which files there are, and which are to be written.
struct NewFiles {
    rig: PathBuf,
    session: PathBuf,
    /// The rig is there already, and stays.
    keeps_rig: bool,
    /// The same of the session.
    keeps_session: bool,
}

impl NewFiles {
    fn of(options: &NewOptions) -> Result<Self, Failure> {
        let there = |file: &Path| !options.force && file.symlink_metadata().is_ok();
        let (own, session) = (options.dir.join("rig.toml"), options.dir.join("session.toml"));
        let rig = options.rig.clone().unwrap_or(own);
        let keeps_rig = options.rig.is_some() || options.session || there(&rig);
        if keeps_rig && rig.symlink_metadata().is_err() {
            return Err(Failure::usage(
                format!("there is no {} for the session to fit", rig.display()),
                "name the rig with --rig FILE, let `swiftloop survey --save rig.toml` write one, or leave out --session",
            ));
        }
        // A rig alone is written for a session that is there; both are there: then nothing is, unless asked.
        let keeps_session = there(&session) && !keeps_rig;
        Ok(Self { rig, session, keeps_rig, keeps_session })
    }

    fn files(&self) -> Files {
        Files {
            rig: self.rig.display().to_string(),
            session: self.session.display().to_string(),
            catalogue: None,
        }
    }

    /// The note of what the meter shows, as things stand: the first interface and driver, no change in effect.
    fn note(
        &self,
        meter: &ShownMeter,
        (rig, session): (&str, &str),
    ) -> Result<(NewNote, Rig, Session), Failure> {
        let rig = if self.keeps_rig {
            read_rig(&self.rig, tables())?
        } else {
            rig_from("rig.toml", rig, tables())?
        };
        let session = if self.keeps_session {
            swiftloop_files::read_session(&self.session, &rig, tables())?
        } else {
            session_from("session.toml", session, &rig, tables())?
        };
        if notes_beside(&self.session).symlink_metadata().is_ok() {
            return Err(Failure::usage(
                format!("{} is there already", notes_beside(&self.session).display()),
                "leave out --meter, and note it with `swiftloop note`",
            ));
        }
        let (interface, rate) = (&rig.interfaces[0], session.deliver.rate_hz);
        let driver = &interface.drivers[0];
        let buffer = driver.buffers.find(rate, &meter.buffer).ok_or_else(|| {
            let offered: Vec<String> = driver.buffers.offered(rate).iter().map(|o| o.label()).collect();
            Failure::usage(
                format!("{} of {} has no buffer `{}`", driver.id(), interface.id, meter.buffer),
                format!("it offers {}", offered.join(", ")),
            )
        })?;
        // What plays in it is all there is: nobody performs, where there is such a phase.
        let phase = session.phases.iter().find(|p| p.performers.is_empty()).unwrap_or(&session.phases[0]);
        let note = NewNote {
            date: today(),
            phase: phase.id().into(),
            interface: interface.id.clone(),
            driver: driver.id().into(),
            rate: Some(rate),
            buffer: buffer.speed.clone().unwrap_or_else(|| buffer.label().replace(" × ", "x")),
            workers: default_workers(&session, rig.machine.cores),
            meter: Some(meter.percent),
            ..NewNote::default()
        };
        Ok((note, rig, session))
    }
}
