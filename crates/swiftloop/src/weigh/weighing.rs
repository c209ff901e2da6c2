//! Weighing from end to end: which processors of which libraries, each run in a process of its own unless it is known already, and
//! what was found put into the catalogue at once.

use crate::shared::catalogue::UserCatalogue;
use crate::shared::failure::Failure;
use crate::shared::options::CatalogueFile;
use crate::shared::processors::{Library, told};
use crate::shared::progress;
use crate::weigh::options::WeighOptions;
use std::path::{Path, PathBuf};
use swiftloop_core::catalogue::{Catalogue, Entry, Fingerprint, OnMachine, ProcessorKey, WEIGHED};
use swiftloop_files::YardstickFloor;
use swiftloop_host::soak::today;
use swiftloop_host::weigh::{Listed, Sandbox, Status, WeighCommand, WeighOutcome, content_hash, weigh};
use swiftloop_measure::weigh::AtRate;
use swiftloop_units::{Block, Hz};

/// All that weighing needs to know.
pub struct Weighing {
    program: PathBuf,
    rates: Vec<u32>,
    blocks: Vec<u32>,
    machine: String,
    floor: YardstickFloor,
    kept: UserCatalogue,
    settings: Option<SavedSettings>,
    again: bool,
}

/// SavedSettings that were saved before.
struct SavedSettings {
    file: PathBuf,
    hash: String,
}

impl SavedSettings {
    fn read(file: PathBuf) -> Result<Self, Failure> {
        /// No processor keeps more.
        const MOST: u64 = 256 << 20;
        let unreadable = |e: std::io::Error| swiftloop_files::FileError::unreadable(&file, &e);
        let mut bytes = Vec::new();
        let opened = std::fs::File::open(&file).map_err(unreadable)?;
        std::io::Read::read_to_end(&mut std::io::Read::take(opened, MOST), &mut bytes).map_err(unreadable)?;
        Ok(Self { hash: Fingerprint::of(&bytes), file })
    }
}

pub struct WeighOrder {
    pub rates: Vec<u32>,
    pub blocks: Vec<u32>,
    /// A file with settings.
    pub settings: Option<PathBuf>,
    /// What is known already too.
    pub again: bool,
}

impl From<&WeighOptions> for WeighOrder {
    fn from(options: &WeighOptions) -> Self {
        Self {
            rates: options.rates.iter().map(|r: &Hz| r.get()).collect(),
            blocks: options.blocks.iter().map(|b: &Block| b.get()).collect(),
            settings: options.settings.clone(),
            again: options.again,
        }
    }
}

impl Weighing {
    pub fn new(asked: WeighOrder, catalogue: &CatalogueFile, floor: Option<&Path>) -> Result<Self, Failure> {
        let machine = swiftloop_host::processor_name();
        let WeighOrder { rates, mut blocks, settings, again } = asked;
        let settings = settings.map(SavedSettings::read).transpose()?;
        blocks.sort_unstable();
        blocks.dedup();
        if blocks.len() < 2 {
            return Err(Failure::usage(
                "what a call costs and what a frame does cannot be told apart by one block",
                "name two at the least: --blocks 64,512",
            ));
        }
        Ok(Self {
            program: crate::shared::environment::this_program()?,
            rates,
            blocks,
            floor: YardstickFloor::read(floor, machine.clone()),
            machine,
            kept: UserCatalogue::read(catalogue)?,
            settings,
            again,
        })
    }

    /// The program that runs processors: this one.
    pub fn program(&self) -> &Path {
        &self.program
    }

    /// All that is known.
    pub fn known(&self) -> &Catalogue {
        &self.kept.catalogue
    }

    /// Where what is found is kept.
    pub fn place(&self) -> Option<&Path> {
        self.kept.path.as_deref()
    }

    /// Weighs what is wanted, library by library, with the progress on a terminal.
    pub fn all(&mut self, libraries: &[Library]) -> Result<Vec<WeighedProcessor>, Failure> {
        let bar = progress::bar("weighing {bar:30} {pos} of {len}, {eta} left: {msg}", 0);
        bar.inc_length(libraries.iter().map(|l| l.wanted.len() as u64).sum());
        let mut found = Vec::new();
        for library in libraries {
            let hash = content_hash(&library.path)
                .map_err(|e| swiftloop_files::FileError::unreadable(&library.path, &e))?;
            for listed in &library.wanted {
                bar.set_message(listed.id.clone());
                let key = ProcessorKey {
                    is: format!("{}:{}", library.standard, listed.id),
                    version: listed.version.clone().filter(|v| !v.is_empty()),
                    library: hash.clone(),
                    settings: self.settings.as_ref().map(|s| s.hash.clone()),
                };
                found.push(self.one(library, listed, key)?);
                bar.inc(1);
            }
        }
        bar.finish_and_clear();
        self.floor.keep();
        Ok(found)
    }

    fn one(
        &mut self,
        library: &Library,
        listed: &Listed,
        key: ProcessorKey,
    ) -> Result<WeighedProcessor, Failure> {
        let shown = |entry: &Entry, before, apart| WeighedProcessor {
            standard: library.standard,
            library: library.path.clone(),
            listed: listed.clone(),
            status: entry.status.clone(),
            why: entry.why.clone(),
            by_rate: entry.on_machine(&self.machine).map(|o| o.rates.clone()).unwrap_or_default(),
            settings: entry.key.settings.clone(),
            before,
            apart,
        };
        if !self.again
            && self.kept.catalogue.knows(&key, &self.machine, &self.rates)
            && let Some(entry) = self.kept.catalogue.entry(&key)
        {
            return Ok(shown(entry, true, None));
        }
        let order = WeighCommand {
            program: &self.program,
            library: &library.path,
            standard: library.standard,
            rates_hz: &self.rates,
            blocks: &self.blocks,
            settings: self.settings.as_ref().map(|s| s.file.as_path()),
            floor: self.floor.least(),
        };
        let outcome = weigh(&order, &listed.id)?;
        outcome.by_rate.iter().for_each(|at| self.floor.seen(at.yardsticks));
        let entry = self.entry(key, listed, &outcome);
        let weighed = shown(&entry, false, Some(outcome.apart));
        self.kept.put(entry)?;
        Ok(weighed)
    }

    fn entry(&self, key: ProcessorKey, listed: &Listed, outcome: &WeighOutcome) -> Entry {
        let ended_well = outcome.status == Status::Weighed;
        let on = OnMachine {
            machine: self.machine.clone(),
            date: today(),
            yardsticks: self.floor.least().unwrap_or(swiftloop_measure::weigh::Yardsticks::REFERENCE),
            rates: outcome.by_rate.clone(),
        };
        Entry {
            key,
            name: Some(listed.name.clone()).filter(|n| !n.is_empty()),
            channels: [listed.channels.0, listed.channels.1],
            status: if ended_well { WEIGHED } else { outcome.status.word() }.into(),
            why: (!ended_well).then(|| told(&outcome.status)),
            on: vec![on],
        }
    }
}

pub struct WeighedProcessor {
    pub standard: &'static str,
    pub library: PathBuf,
    pub listed: Listed,
    /// The word for how it ended; and why it did not end well.
    pub status: String,
    pub why: Option<String>,
    pub by_rate: Vec<AtRate>,
    /// A hash of the settings it has; none as it begins.
    pub settings: Option<String>,
    /// It was known already.
    pub before: bool,
    /// What it was shut off from while it was weighed; nothing where that was before.
    pub apart: Option<Sandbox>,
}

impl WeighedProcessor {
    pub fn is_weighed(&self) -> bool {
        self.status == WEIGHED
    }
}
