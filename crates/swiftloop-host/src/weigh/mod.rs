//! Processors weighed by running them. A library comes in; what each processor in it costs and how late it is go out, or by which
//! name it failed. Foreign code runs in a process of its own that is watched from outside and can take
//! nothing with it; what it measures comes through a pipe that it does not know of. A further standard is one more file
//! that offers [`Standard`].

mod chain;
mod clap;
mod find;
mod inside;
mod instance;
mod ladspa;
mod lv2;
mod lv2_bundle;
mod measure;
mod sandbox;
mod synthetic;
mod watch;

pub use chain::{ChainLived, ChainMember, ChainTask, run_chain_inside, soak_chain};
pub use find::{NamedProcessor, content_hash, find};
pub use inside::{ChildTask, run_inside};
pub use sandbox::Sandbox;
pub use watch::{Status, WeighCommand, WeighOutcome, list, weigh};

use std::path::{Path, PathBuf};

/// A processor in a library.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Listed {
    /// Its own id, unique in its library.
    pub id: String,
    /// Its name for people.
    pub name: String,
    /// Channels in and out.
    pub channels: (usize, usize),
    /// Its own version, where it has one.
    pub version: Option<String>,
}

/// Why a processor cannot be run.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Unfit {
    /// The file is no library of this system, or not of this standard.
    #[error("{0}")]
    NoLibrary(String),
    /// The library has no such processor.
    #[error("there is no `{0}` in it")]
    NotThere(String),
    /// It would not begin.
    #[error("it would not begin at {0} Hz")]
    WouldNotBegin(u32),
    /// It cannot do without something that is not offered.
    #[error("it wants what is not offered: {0}")]
    Wants(String),
    /// It does not take these settings.
    #[error("{0}")]
    Settings(String),
    /// It has neither inputs nor outputs for sound.
    #[error("it has no sound to work on")]
    NoSound,
}

impl Unfit {
    /// What the system says of a library that it does not load, in a sentence.
    fn not_loaded(e: &libloading::Error) -> Self {
        use std::error::Error;
        let said = e.source().map_or_else(|| e.to_string(), ToString::to_string);
        Self::NoLibrary(if crate::LOADS_LIBRARIES {
            format!("it cannot be loaded here: {said}")
        } else {
            "this program stands alone and loads no library".into()
        })
    }
}

/// What an LV2 bundle says that it holds, read from its descriptions alone: nothing of it is run.
///
/// # Errors
/// [`Unfit::NoLibrary`], when its descriptions are not sound.
pub fn described_in_bundle(bundle: &Path) -> Result<Vec<Listed>, Unfit> {
    lv2::Lv2.list(bundle)
}

/// A processor that runs.
pub trait Running {
    /// Sound that goes in, a vector for each channel, as long as the longest block.
    fn inputs(&mut self) -> &mut [Vec<f32>];
    /// Sound that came out of the last block.
    fn outputs(&self) -> &[Vec<f32>];
    /// Works on so many frames.
    fn work(&mut self, frames: usize);
    /// The delay that it reports, once it has worked.
    fn reported(&self) -> Option<f64>;
    /// Takes settings that were saved before, as its standard saves them.
    ///
    /// # Errors
    /// [`Unfit::Settings`].
    fn restore(&mut self, _settings: &[u8]) -> Result<(), Unfit> {
        Err(Unfit::Settings("settings of its standard are not read, so it is weighed as it begins".into()))
    }
    /// Holds these keys from the next block on, and no others; whether it takes notes at all.
    fn hold(&mut self, _keys: &[u8]) -> bool {
        false
    }
}

/// A standard of processors.
pub trait Standard {
    /// Its word, as in `ladspa:amp`.
    fn word(&self) -> &'static str;
    /// A path may hold processors of it, by its name.
    fn may_be(&self, path: &Path) -> bool;
    /// Where the system keeps libraries of it: the variable that names folders, and the usual ones below the home and the root.
    fn places(&self) -> (&'static str, &'static [&'static str]);
    /// The one place where all of it lies, where there is but one.
    fn own(&self) -> Option<PathBuf> {
        None
    }
    /// What a library holds.
    ///
    /// # Errors
    /// [`Unfit::NoLibrary`].
    fn list(&self, library: &Path) -> Result<Vec<Listed>, Unfit>;
    /// One of them, begun.
    ///
    /// # Errors
    /// [`Unfit`].
    fn begin(
        &self,
        library: &Path,
        id: &str,
        rate_hz: u32,
        longest: usize,
    ) -> Result<Box<dyn Running>, Unfit>;
}

/// All standards that are known.
#[must_use]
pub fn standards() -> Vec<Box<dyn Standard>> {
    vec![Box::new(ladspa::Ladspa), Box::new(lv2::Lv2), Box::new(clap::Clap), Box::new(synthetic::MadeUp)]
}
