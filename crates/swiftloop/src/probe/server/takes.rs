//! Take after take: a server and what is asked of it come in, the round trip of every take goes out. The level rises until what
//! comes back can be read; a take that something spoilt is played again.

use super::path::ProbePath;
use crate::probe::options::ProbeRunOptions;
use crate::shared::failure::Failure;
use crate::shared::progress;
use crate::shared::project::AllCores;
use crate::shared::signals::stopped_by_signals;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use swiftloop_measure::probe;
use swiftloop_measure::probe::{Label, MeasuredTake, ProbeReading, Recipe};
use swiftloop_units::{Block, Decibels, Hz};

/// Levels that are tried one after another, until what comes back can be read: an input too hot harms nobody's ears, an output
/// too hot does.
const LEVELS: [i32; 3] = [-36, -24, -12];
/// Louder by this than the noise it is read well.
const CLEAR: Decibels = Decibels::new(10.0);
/// Recorded beyond the end of the probe.
const AFTER_S: f64 = 1.0;
/// A take that an xrun spoilt is played again, so many times in all.
const AGAIN: usize = 3;

/// The way there and back, and what is asked.
pub struct Run<'o> {
    pub rate: Hz,
    way: ProbePath,
    stop: Arc<AtomicBool>,
    options: &'o ProbeRunOptions,
}

impl<'o> Run<'o> {
    pub fn new(options: &'o ProbeRunOptions) -> Result<Self, Failure> {
        let way = ProbePath::open(options)?;
        Ok(Self { rate: way.rate(), way, stop: stopped_by_signals()?, options })
    }

    /// All takes; the server's buffer is put back, whatever happens.
    pub fn takes(&self) -> Result<Vec<MeasuredTake>, Failure> {
        let guard = self.way.guard(&self.options.buffers)?;
        let asked = self.options.buffers.iter().copied().map(Some);
        let buffers = if self.options.buffers.is_empty() { vec![self.way.own()] } else { asked.collect() };
        let takes = self.at_each(&buffers);
        self.way.put_back(guard);
        takes
    }

    /// Every buffer in turn, so many times each.
    fn at_each(&self, buffers: &[Option<Block>]) -> Result<Vec<MeasuredTake>, Failure> {
        let fixed = self.options.level.map(|level| [level]);
        let levels = fixed.as_ref().map_or(&LEVELS[..], |one| &one[..]);
        let bar = progress::bar("playing the probe {bar:40} {percent} %, {eta} left", 1000);
        let all = buffers.len() * self.options.takes as usize;
        let mut takes: Vec<MeasuredTake> = Vec::new();
        // What was loud enough once stays.
        let mut level = 0;
        for &buffer in buffers {
            for _ in 0..self.options.takes {
                let done = takes.len() as f64 / all as f64;
                let told = |part: f64| bar.set_position(((done + part / all as f64) * 1000.0) as u64);
                let (reading, block) = loop {
                    match (self.reading(buffer, levels[level], &told)?, level + 1 < levels.len()) {
                        (Ok(reading), _) => break reading,
                        (Err(_), true) => level += 1,
                        (Err(why), false) => return Err(why),
                    }
                };
                let Some(channel) = reading.channels.first() else { continue };
                takes.push(MeasuredTake {
                    label: Label::Block(block),
                    rate: self.rate,
                    trip: channel.latency,
                });
            }
        }
        bar.finish_and_clear();
        Ok(takes)
    }

    /// One take at one level, read. The inner failure is one that a louder probe may cure.
    fn reading(
        &self,
        buffer: Option<Block>,
        level: i32,
        told: &impl Fn(f64),
    ) -> Result<Result<(ProbeReading, Block), Failure>, Failure> {
        let recipe =
            Recipe::new(self.rate, 1, self.options.bursts, level).map_err(|why| Failure::explained(&why))?;
        let channels = recipe.render();
        let frames = recipe.length() + (AFTER_S * f64::from(self.rate.get())) as usize;
        let mut why = None;
        for _ in 0..AGAIN {
            let go_on = |part: f64| {
                told(part);
                !self.stop.load(Relaxed)
            };
            let take = self.way.play(&channels, frames, buffer, go_on)?;
            let buffer = take.block;
            if take.stopped {
                return Err(Failure::usage("stopped; nothing was written", "start again when there is time"));
            }
            let at = format!("what came back at {buffer} frames and {level} dBFS");
            let reading = match probe::read(&take.channels, self.rate, Some(recipe), &AllCores) {
                Ok(reading) => reading,
                Err(refusal) => return Ok(Err(Failure::refused(at, &refusal))),
            };
            // An xrun that did no harm to the take is none of ours: what is lost shows in what came back.
            let spoilt = reading.channels.iter().any(|c| !c.missing.is_empty() || !c.slips.is_empty());
            match reading.trouble(true) {
                Some(trouble) => why = Some(Failure::refused(at, &trouble)),
                None if spoilt => {}
                None if reading.channels.first().is_some_and(|c| c.snr >= CLEAR) => {
                    return Ok(Ok((reading, buffer)));
                }
                None => {
                    return Ok(Err(Failure::machine(
                        format!("at {level} dBFS the probe comes back hardly louder than the noise"),
                        "turn up the input, or allow more with --level; never over what ears and speakers bear",
                    )));
                }
            }
            if take.lost == 0 {
                break;
            }
        }
        Err(why.unwrap_or_else(|| {
            Failure::machine(
                format!("{}parts of the probe were lost in every take", buffer.map_or(String::new(), |b| format!("at {b} frames "))),
                "close other programs, or leave this buffer out: `swiftloop soak` tells what this computer holds",
            )
        }))
    }
}
