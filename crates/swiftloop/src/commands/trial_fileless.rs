//! `try` without files: a first answer from the driver table alone, every assumed leg marked.

use super::{answer, connection, driver_model, listener, yes_or_no};
use crate::cli::TryOptions;
use crate::failure::Failure;
use crate::views::fileless as view;
use std::process::ExitCode;
use swiftloop_core::choice::{Arrangement, PhaseProblem, report_of, would_fit_at};
use swiftloop_core::ids::{DriverId, InterfaceId, PhaseId};
use swiftloop_core::loops::{Context, DelayVerdict, Setting};
use swiftloop_core::rig::Offered;
use swiftloop_core::tables::DriverModel;
use swiftloop_core::units::{Block, Hz};
use swiftloop_files::{Answers, rig_from, session_from, tables};
use view::WithDriver;

/// Buffer when nobody names one and the driver runs it.
const USUAL: Block = Block::new(128);

pub fn run(options: &TryOptions) -> Result<ExitCode, Failure> {
    let asked = Asked::of(options)?;
    let model = asked.model;
    let mine = asked.with(model, asked.block);
    let opened = mine.open()?;
    let context = opened.context();
    let problem = opened.problem(&context);
    let report = report_of(&problem, opened.arrangement());
    let fits = would_fit_at(&problem, &opened.arrangement());
    let shown = |model, block, report: &swiftloop_core::choice::Report| {
        report.loops.first().map(|l| WithDriver { model, block, whole: l.clone() })
    };
    let Some(own) = shown(model, asked.block, &report) else {
        return Err(Failure::usage("nobody plays in this", "please report this"));
    };
    let fits = fits.as_ref().and_then(|(at, r)| shown(model, at.block, r));
    let mut others = Vec::new();
    for other in tables().driver.iter().filter(|d| d.systems.iter().any(|s| model.systems.contains(s))) {
        let block = asked.block.max(other.smallest_at(asked.rate));
        let opened = asked.with(other, block).open()?;
        let context = opened.context();
        others.extend(shown(other, block, &report_of(&opened.problem(&context), opened.arrangement())));
    }
    others.sort_by(|a, b| a.whole.total.typical().raw().total_cmp(&b.whole.total.typical().raw()));
    answer(
        &options.shown,
        |detail| view::show(&context, asked.rate, &own, fits.as_ref(), &others, detail),
        || view::json(&context, &opened.arrangement(), &report),
    )?;
    Ok(yes_or_no(own.whole.verdict() != DelayVerdict::Late))
}

/// What was asked, every word known.
struct Asked<'a> {
    options: &'a TryOptions,
    model: &'a DriverModel,
    rate: Hz,
    block: Block,
}

impl<'a> Asked<'a> {
    fn of(options: &'a TryOptions) -> Result<Self, Failure> {
        let Some(driver) = &options.driver else {
            return Err(Failure::usage(
                "try needs a rig and a session, or at least a driver",
                "swiftloop try rig.toml session.toml, or: swiftloop try --driver alsa --buffer 128",
            ));
        };
        let needs_files = [
            (options.interface.is_some(), "--interface"),
            (options.phase.is_some(), "--phase"),
            (options.roll.is_some(), "--roll"),
            (options.workers.is_some(), "--workers"),
            (!options.remedies.is_empty(), "--remedy"),
            (options.performer.is_some(), "--performer"),
            (options.drawing.svg.is_some(), "--svg"),
        ];
        if let Some((_, option)) = needs_files.iter().find(|(given, _)| *given) {
            let help = format!("swiftloop try rig.toml session.toml {option} …");
            return Err(Failure::usage(format!("{option} needs a rig and a session"), help));
        }
        let model = driver_model(driver)?;
        listener(&options.playing)?;
        connection(&options.connection)?;
        let rate = options.rate.unwrap_or(Hz::new(48_000));
        let least = model.smallest_at(rate);
        let block = match &options.buffer {
            None => USUAL.max(least),
            Some(word) => word.parse::<Block>().map_err(|e| {
                Failure::usage(format!("--buffer: {e}"), "without files a buffer is a number of frames")
            })?,
        };
        if block < least {
            return Err(Failure::usage(
                format!("{} does not run below {least} frames at {rate} Hz", model.name),
                format!("try --buffer {least}"),
            ));
        }
        Ok(Self { options, model, rate, block })
    }

    /// Files that say so much and no more. The buffer stands last, the smaller ones before it.
    fn with(&self, model: &DriverModel, block: Block) -> Described {
        let least = model.smallest_at(self.rate);
        let smaller = (4..=12).map(|power| 1 << power).filter(|b| (least.get()..block.get()).contains(b));
        let answers = Answers {
            driver: model.id.clone(),
            rates_hz: vec![self.rate.get()],
            rate_hz: self.rate.get(),
            buffers: smaller.chain([block.get()]).collect(),
            connection: self.options.connection.clone(),
            playing: self.options.playing.clone(),
            listening: self.options.listening.as_str().into(),
            direct: "plain".into(),
            tracks: 0,
            ..Answers::default()
        };
        Described { answers, rate: self.rate, block }
    }
}

/// A rig of one driver and a session of one track.
struct Described {
    answers: Answers,
    rate: Hz,
    block: Block,
}

/// The same through the readers that user files go through.
struct Opened {
    rig: swiftloop_core::rig::Rig,
    session: swiftloop_core::session::Session,
    described: Described,
}

impl Described {
    fn open(self) -> Result<Opened, Failure> {
        let rig = rig_from("the driver table", &self.answers.rig(), tables())?;
        let session = session_from("the driver table", &self.answers.session(), &rig, tables())?;
        Ok(Opened { rig, session, described: self })
    }
}

impl Opened {
    fn context(&self) -> Context<'_> {
        Context { tables: tables(), rig: &self.rig, session: &self.session }
    }

    fn problem<'a>(&self, context: &Context<'a>) -> PhaseProblem<'a> {
        PhaseProblem::new(*context, InterfaceId::from(0), PhaseId::from(0), self.described.rate)
    }

    fn arrangement(&self) -> Arrangement {
        let setting = Setting {
            interface: InterfaceId::from(0),
            driver: DriverId::from(0),
            rate: self.described.rate,
            buffer: Offered::plain(self.described.block),
        };
        Arrangement { setting, roll: None, workers: self.described.answers.cores }
    }
}
