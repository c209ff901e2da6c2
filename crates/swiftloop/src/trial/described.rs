//! A rig and a session that nobody wrote: what the options of `try` say about one, every word checked.

use crate::shared::failure::Failure;
use crate::shared::lookup::{connection, driver_model, listener};
use crate::trial::options::TryOptions;
use swiftloop_core::Invalid;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{FirstAnswer, first_answer};
use swiftloop_core::rig::{self, Buffers, Channels, Direct, Machine, PowerPlan, Rig};
use swiftloop_core::session::{
    self, Listens, Monitor, Performer, Phase, Processor, ProcessorKind, Session, Source, Track,
};
use swiftloop_core::tables::DriverModel;
use swiftloop_files::tables;
use swiftloop_units::{Block, Factor, Gigabytes, Hz, MegabytesPerSecond, Share};

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

    /// A rig of one driver and a session of one track, as far as the options say. The buffer stands last, the smaller ones before it.
    pub fn with(&self, model: &DriverModel, block: Block) -> Result<FilelessProject, Failure> {
        let least = model.smallest_at(self.rate);
        let smaller = (4..=12).map(|power| 1 << power).filter(|b| (least.get()..block.get()).contains(b));
        let frames = smaller.map(Block::new).chain([block]).collect();
        let made = |e: Invalid| Failure::refused("the driver table", &e);
        let rig = Rig::checked(self.rig(model, frames), tables()).map_err(made)?;
        let session = Session::checked(self.session(), tables()).map_err(made)?;
        session.check_interfaces(&rig).map_err(made)?;
        let workers = rig.machine.cores;
        Ok(FilelessProject { rig, session, rigs: Rigs::default(), rate: self.rate, block, workers })
    }

    /// A usual desktop with one interface.
    fn rig(&self, model: &DriverModel, frames: Vec<Block>) -> rig::Description {
        let buffers = Buffers { frames: Some(frames), ..Buffers::default() };
        let mut all = rig::Description::of_one(&self.options.connection, &model.id, buffers);
        all.name = "My rig".into();
        all.machine = Machine {
            power: PowerPlan::Balanced,
            threads: Some(all.machine.cores),
            core_speed: Some(Factor::new(1.0)),
            memory_gb: Gigabytes::new(16.0),
            disk_mb_per_s: MegabytesPerSecond::new(300.0),
            other_load: Share::new(0.03),
            ..all.machine
        };
        for interface in &mut all.interfaces {
            interface.name = Some("main interface".into());
            interface.direct = Direct::Plain;
            interface.channels = Channels { inputs: 2, outputs: 2, ..Channels::default() };
            interface.drivers.iter_mut().for_each(|d| d.rates_hz = vec![self.rate]);
        }
        all
    }

    /// One performer on one track, recorded and then mixed.
    fn session(&self) -> session::Description {
        let listens = Listens::from(self.options.listening);
        let keys = matches!(self.options.playing.as_str(), "keys" | "pads");
        let mut track = Track::plain("performer");
        let mut own = if keys {
            Processor::plain("instrument", "heavy")
        } else {
            Processor::plain("performer-eq", "light")
        };
        if keys {
            (own.kind, own.voices) = (ProcessorKind::Instrument, Some(16));
            track.source = Source::Instrument;
        } else {
            own.name = Some("equaliser".into());
            track.source = Source::Live;
        }
        // Who listens through the interface would hear the software's copy as well.
        track.monitor = if listens == Listens::Direct { Monitor::Never } else { Monitor::default() };
        track.processors = vec![own];
        let mut me = Performer::plain("me", &self.options.playing, Some(vec!["performer".into()]));
        (me.name, me.listens) = (Some("the performer".into()), listens);
        let phases = vec![Phase::plain("tracking", vec!["me".into()]), Phase::plain("mixing", vec![])];
        let mut all = session::Description::of(vec![track], vec![me], phases);
        (all.name, all.deliver.rate_hz) = ("My session".into(), self.rate);
        all
    }
}

/// A rig and a session that nobody wrote.
pub struct FilelessProject {
    rig: Rig,
    session: Session,
    rigs: Rigs,
    rate: Hz,
    block: Block,
    workers: u32,
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
