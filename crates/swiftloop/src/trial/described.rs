//! A rig and a session that nobody wrote: what the options of `try` say about one, every word checked.

use crate::shared::failure::Failure;
use crate::shared::lookup::{connection, driver_model, listener};
use crate::trial::options::TryOptions;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{FirstAnswer, first_answer};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::{Listens, Session};
use swiftloop_core::tables::DriverModel;
use swiftloop_files::{Answers, rig_from, session_from, tables};
use swiftloop_units::{Block, Hz};

/// Buffer when nobody names one and the driver runs it.
const USUAL: Block = Block::new(128);

/// What was asked, every word known.
pub struct FilelessTrial<'a> {
    options: &'a TryOptions,
    pub model: &'a DriverModel,
    pub rate: Hz,
    pub block: Block,
}

impl<'a> FilelessTrial<'a> {
    pub fn of(options: &'a TryOptions) -> Result<Self, Failure> {
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
    pub fn with(&self, model: &DriverModel, block: Block) -> FilelessTexts {
        let least = model.smallest_at(self.rate);
        let smaller = (4..=12).map(|power| 1 << power).filter(|b| (least.get()..block.get()).contains(b));
        let answers = Answers {
            driver: model.id.clone(),
            rates_hz: vec![self.rate.get()],
            rate_hz: self.rate.get(),
            buffers: smaller.chain([block.get()]).collect(),
            connection: self.options.connection.clone(),
            playing: self.options.playing.clone(),
            listening: Listens::from(self.options.listening).as_str().into(),
            direct: "plain".into(),
            tracks: 0,
            ..Answers::default()
        };
        FilelessTexts { answers, rate: self.rate, block }
    }
}

/// A rig of one driver and a session of one track.
pub struct FilelessTexts {
    answers: Answers,
    rate: Hz,
    block: Block,
}

/// The same through the readers that user files go through.
pub struct FilelessProject {
    rig: Rig,
    session: Session,
    rigs: Rigs,
    rate: Hz,
    block: Block,
    workers: u32,
}

impl FilelessTexts {
    pub fn open(self) -> Result<FilelessProject, Failure> {
        let rig = rig_from("the driver table", &self.answers.rig(), tables())?;
        let session = session_from("the driver table", &self.answers.session(), &rig, tables())?;
        Ok(FilelessProject {
            rig,
            session,
            rigs: Rigs::default(),
            rate: self.rate,
            block: self.block,
            workers: self.answers.cores,
        })
    }
}

impl FilelessProject {
    pub fn context(&self) -> Context<'_> {
        Context { tables: tables(), rig: &self.rig, session: &self.session, rigs: &self.rigs }
    }

    /// Its only driver at this block.
    pub fn answer(&self) -> FirstAnswer {
        first_answer(self.context(), self.rate, self.block, self.workers)
    }
}
