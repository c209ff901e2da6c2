//! From a recording to readings: finds the probe on every channel, reads each burst, then the row of them.

use super::accumulate::MOST_DRIFT;
use super::detect::{Detection, LATEST_S, SeenBurst, detect, stands_out};
use super::matched::Matched;
use super::phase::{Cross, Lens, SecondArrival};
use super::recipe::{CHANNELS_UNTOLD, LOUDEST_DB, MOST_BURSTS, Recipe};
use super::refusal::Refusal;
use super::series::{Burst, Series, Slip, series};
use crate::listen::AudioSource;
use std::borrow::Borrow;
use std::convert::Infallible;
use swiftloop_units::workers::Workers;
use swiftloop_units::{Decibels, Frames, Hz, Ppm, Range, Seconds};

/// Upright or upside down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Polarity {
    Normal,
    Inverted,
}

/// What one recorded channel says.
#[derive(Debug, Clone, PartialEq)]
pub struct ChannelReading {
    /// Recorded channel, from 0.
    pub channel: usize,
    /// Output it heard, from 0.
    pub source: usize,
    /// Round trip with its 95 % interval; see [`Series::latency`].
    pub latency: Range<Frames>,
    /// Level of what came back beside what was played.
    pub gain: Decibels,
    /// Upright or upside down.
    pub polarity: Polarity,
    /// Burst against noise, both over the whole band.
    pub snr: Decibels,
    /// Clock of the recording against the clock that played.
    pub drift: Ppm,
    /// Half the 95 % interval of the drift.
    pub drift_doubt: Ppm,
    /// The drift is more than chance.
    pub drifts: bool,
    /// Standard deviation of single bursts.
    pub jitter: Frames,
    /// Every burst that was whole.
    pub bursts: Vec<Burst>,
    /// Bursts that the probe has and the recording has not, or not whole.
    pub missing: Vec<usize>,
    /// Lost or doubled frames.
    pub slips: Vec<Slip>,
    /// The strongest second arrival, if it is strong.
    pub echo: Option<SecondArrival>,
}

/// What a recording says.
#[derive(Debug, Clone, PartialEq)]
pub struct ProbeReading {
    /// The probe that was played.
    pub recipe: Recipe,
    /// Every channel that heard it.
    pub channels: Vec<ChannelReading>,
    pub silent: Vec<usize>,
}

/// Rates whose probes are looked for when none of the recording's own rate is there.
const OTHER_RATES: [u32; 8] = [44_100, 48_000, 88_200, 96_000, 176_400, 192_000, 32_000, 22_050];
/// Deeper in noise nothing is found, only imagined.
const DEEPEST: Decibels = Decibels::new(-35.0);
/// Bursts that scatter more are not one probe.
const LOOSEST: Frames = Frames::new(16.0);
/// Another output this far below the first is leakage, not a second source.
const LEAKAGE_DB: f64 = -20.0;
/// An echo is told from here on.
const ECHO: f64 = 0.1;
/// An earlier arrival counts as the first from here on: below, it may be the ringing of a filter.
const EARLIER: f64 = 0.3;
/// Nearer than this, in seconds, two arrivals are one: filters ring that long.
const NEAREST_S: f64 = 0.0006;
/// Farther than this we do not look for a second arrival.
const FARTHEST_S: f64 = 0.055;

/// Reads a recording, channel by channel. `known` is the recipe when the probe file is at hand.
///
/// # Errors
/// [`Refusal`] says why there is no answer, rather than guessing one.
pub fn read(
    channels: &[Vec<f32>],
    rate: Hz,
    known: Option<Recipe>,
    workers: &impl Workers,
) -> Result<ProbeReading, Refusal> {
    let have = channels.first().map_or(0, Vec::len);
    let channel = |c: usize| Ok::<&[f32], Infallible>(&channels[c]);
    read_each(channels.len(), have, rate, known, workers, channel).map_err(|e| match e {
        NotRead::Refused(why) => why,
        NotRead::Source(never) => match never {},
    })
}

/// Why a source was not read.
#[derive(Debug)]
pub enum NotRead<E> {
    /// It holds no probe that can be read.
    Refused(Refusal),
    /// Its samples cannot be had.
    Source(E),
}

/// Reads a recording as [`read`] does, but holds no more of it than each worker needs for one channel, and of that no more
/// than can hold a probe: neither its length nor its channels cost memory.
///
/// # Errors
/// As of [`read`], or what the source says.
pub fn read_from<S: AudioSource>(
    source: &S,
    known: Option<Recipe>,
    workers: &impl Workers,
) -> Result<ProbeReading, NotRead<S::Error>> {
    let rate = source.rate();
    let frames = source.frames().min(most_frames(rate, known));
    let channel = |c: usize| Ok(source.fetch_of(0, frames, c..c + 1)?.pop().unwrap_or_default());
    read_each(source.channels(), frames as usize, rate, known, workers, channel)
}

/// Beyond so many frames nothing of a probe is looked for: the longest one there is, as late as it may come.
fn most_frames(rate: Hz, known: Option<Recipe>) -> u64 {
    let longest = Recipe { rate, channels: CHANNELS_UNTOLD, bursts: MOST_BURSTS, level_db: LOUDEST_DB };
    let recipe = known.map_or(longest, |k| Recipe { rate, ..k });
    let late = LATEST_S * f64::from(rate.get());
    (recipe.length() as f64 * (1.0 + MOST_DRIFT) + late).ceil() as u64
}

/// Channel by channel, wherever the samples come from.
fn read_each<E: Send, V: Borrow<[f32]>>(
    count: usize,
    have: usize,
    rate: Hz,
    known: Option<Recipe>,
    workers: &impl Workers,
    samples_of: impl Fn(usize) -> Result<V, E> + Sync + Send,
) -> Result<ProbeReading, NotRead<E>> {
    let refused = |why| Err(NotRead::Refused(why));
    let shortest = Recipe { rate, channels: 1, bursts: 3, level_db: -1 };
    if have < shortest.start(0, 2) + shortest.burst_frames() {
        // What is no sound is told before that there is too little of it.
        for channel in 0..count {
            samples_of(channel).map_err(NotRead::Source)?;
        }
        let seconds = |frames: usize| Seconds::new(frames as f64 / f64::from(rate.get()));
        return refused(Refusal::TooShort { have: seconds(have), need: seconds(shortest.length()) });
    }
    let recipe =
        known.map_or(Recipe { rate, channels: 1, bursts: 8, level_db: -1 }, |k| Recipe { rate, ..k });
    let known = known.map(|k| Recipe { rate, ..k });
    let each = |channel: usize| {
        let samples = samples_of(channel).map_err(NotRead::Source)?;
        let Some(detection) = detect(&Matched::new(samples.borrow(), &recipe), rate, known) else {
            return Ok(None);
        };
        read_channel(channel, samples.borrow(), &detection).map_err(NotRead::Refused)
    };
    let results = workers.map((0..count).collect(), each);
    let mut found = Vec::new();
    let mut silent = Vec::new();
    let mut recipe = None;
    for (channel, result) in results.into_iter().enumerate() {
        match result? {
            Some((reading, from)) => {
                recipe.get_or_insert(from);
                found.push(reading);
            }
            None => silent.push(channel),
        }
    }
    if let Some(recipe) = recipe {
        return Ok(ProbeReading { recipe, channels: found, silent });
    }
    for channel in 0..count {
        let samples = samples_of(channel).map_err(NotRead::Source)?;
        if let Some(why) = other_rate(samples.borrow(), rate) {
            return refused(why);
        }
    }
    refused(Refusal::Nothing)
}

/// The probe of another rate, either frame by frame as it was or converted on the way.
fn other_rate(samples: &[f32], says: Hz) -> Option<Refusal> {
    for made in OTHER_RATES.map(Hz::new).into_iter().filter(|r| *r != says) {
        let recipe = Recipe { rate: made, channels: 1, bursts: 8, level_db: -1 };
        let samples = &samples[..samples.len().min(recipe.length() * 2)];
        let converted = resampled(samples, says, made);
        let there = |s: &[f32]| stands_out(&Matched::new(s, &recipe), made);
        if there(samples) || there(&converted) {
            return Some(Refusal::WrongRate { made, says });
        }
    }
    None
}

/// Straight lines between frames: good enough to recognise a probe, not to read it.
fn resampled(samples: &[f32], from: Hz, to: Hz) -> Vec<f32> {
    let ratio = f64::from(from.get()) / f64::from(to.get());
    let count = (samples.len() as f64 / ratio) as usize;
    let at = |n: usize| {
        let place = n as f64 * ratio;
        let (i, part) = (place as usize, place.fract() as f32);
        let next = samples.get(i + 1).or(samples.get(i)).copied().unwrap_or(0.0);
        samples.get(i).copied().unwrap_or(0.0) * (1.0 - part) + next * part
    };
    (0..count).map(at).collect()
}

fn read_channel(
    channel: usize,
    samples: &[f32],
    detection: &Detection,
) -> Result<Option<(ChannelReading, Recipe)>, Refusal> {
    let recipe = detection.recipe;
    let lens = Lens::new(recipe);
    let mut seen = detection.bursts.clone();
    let mut fine = Fine::new(&lens, samples, &seen, 1.0, detection.clear, None);
    let starts = |fine: &Fine| fine.bursts(&recipe, detection.source);
    let length = Frames::new(recipe.burst_frames() as f64);
    if fine.crosses.len() < 3 {
        return Err(Refusal::TooFew { channel, found: fine.crosses.len() });
    }
    let noise = noise(&lens, samples, &recipe, &fine);
    let own = |fine: &Fine| recipe.bound(fine.gain, noise);

    // What arrives first counts, however weak beside what the room adds.
    let nearest = NEAREST_S * f64::from(recipe.rate.get());
    let farthest = FARTHEST_S * f64::from(recipe.rate.get());
    let total = fine.total(&lens);
    let noise_sd = noise / fine.gain.abs().max(1e-30) * lens.noise_sd(&total);
    if let Some(first) = arrival(&lens, &total, -farthest, -nearest, EARLIER.max(7.0 * noise_sd)) {
        for s in &mut seen {
            s.frame += first.later.raw();
        }
        fine = Fine::new(&lens, samples, &seen, 1.0, detection.clear, None);
    }
    let mut row = series(&starts(&fine), own(&fine), length);
    if row.drifts {
        fine = Fine::new(&lens, samples, &fine.seen(), 1.0 + row.drift.raw() * 1e-6, detection.clear, None);
        row = series(&starts(&fine), own(&fine), length);
    }
    let echo = arrival(&lens, &fine.total(&lens), nearest, farthest, ECHO.max(6.0 * noise_sd));
    if echo.is_some() {
        fine = Fine::new(&lens, samples, &fine.seen(), fine.stretch, detection.clear, echo);
        row = series(&starts(&fine), own(&fine), length);
    }
    let bursts = starts(&fine);
    let missing = (0..recipe.bursts).filter(|i| !fine.numbers.contains(i)).collect();
    let played = recipe.peak();
    // A sweep of peak 1 has the power of a sine, 1/2, but for its fades.
    let loudness = fine.gain.abs() / std::f64::consts::SQRT_2;
    let Series { latency, drift, drift_doubt, drifts, jitter, slips } = row;
    let snr = Decibels::of_amplitude(loudness / noise.max(loudness * 1e-10));
    if snr < DEEPEST || jitter > LOOSEST {
        return Ok(None); // What was seen from afar does not hold together at close range.
    }
    if is_probe_itself(samples, &recipe, detection.source) {
        return Err(Refusal::ProbeItself { channel });
    }
    let places = flat_tops(samples);
    if places > 8 {
        return Err(Refusal::Clipped { channel, places });
    }
    if let Some((second, below_db)) = detection.second.filter(|s| s.1 > LEAKAGE_DB) {
        return Err(Refusal::Mixed {
            channel,
            first: detection.source,
            second,
            below: Decibels::new(-below_db),
        });
    }
    let reading = ChannelReading {
        channel,
        source: detection.source,
        latency,
        gain: Decibels::of_amplitude(fine.gain.abs() / played),
        polarity: if fine.gain < 0.0 { Polarity::Inverted } else { Polarity::Normal },
        snr,
        drift,
        drift_doubt,
        drifts,
        jitter,
        bursts,
        missing,
        slips,
        echo,
    };
    Ok(Some((reading, recipe)))
}

/// Fine readings of all bursts with what they have in common.
struct Fine {
    numbers: Vec<usize>,
    directions: Vec<super::recipe::Direction>,
    crosses: Vec<Cross>,
    delays: Vec<f64>,
    gain: f64,
    stretch: f64,
}

impl Fine {
    fn new(
        lens: &Lens,
        samples: &[f32],
        seen: &[SeenBurst],
        stretch: f64,
        clear: bool,
        echo: Option<SecondArrival>,
    ) -> Self {
        let whole: Vec<(&SeenBurst, Cross)> = seen
            .iter()
            .filter_map(|s| Some((s, lens.cross(samples, s.direction, s.frame, stretch)?)))
            .collect();
        let numbers = whole.iter().map(|(s, _)| s.burst).collect();
        let directions = whole.iter().map(|(s, _)| s.direction).collect();
        let crosses = whole.into_iter().map(|(_, c)| c).collect();
        let mut fine = Self { numbers, directions, crosses, delays: Vec::new(), gain: 0.0, stretch };
        let rough = if clear {
            fine.crosses.iter().map(|c| lens.phase(c, lens.highest(c, 1.0), Some(0.0)).delay).collect()
        } else {
            let all: Vec<(&Cross, f64)> = fine.crosses.iter().map(|c| (c, 0.0)).collect();
            let shared = lens.highest(&lens.sum(&all), 2.0);
            vec![shared; fine.crosses.len()]
        };
        fine.delays = rough;
        if let Some(echo) = echo {
            let gain = lens.phase(&fine.total(lens), 0.0, None).gain;
            for (cross, delay) in fine.crosses.iter_mut().zip(&fine.delays) {
                let later = Frames::new(echo.later.raw() + delay);
                lens.without_echo(cross, gain, SecondArrival { later, ..echo });
            }
        }
        let common = lens.phase(&fine.total(lens), 0.0, None);
        fine.gain = common.gain;
        let highpass = Some(common.highpass);
        for (cross, delay) in fine.crosses.iter().zip(&mut fine.delays) {
            let read = lens.phase(cross, *delay + common.delay, highpass).delay;
            // In deep noise, or carried off by it, a burst says nothing by itself: it keeps what all say together.
            let alone = clear && (read - *delay - common.delay).abs() < 2.0;
            *delay = if alone { read } else { *delay + common.delay };
        }
        fine
    }

    /// All bursts, each turned to its own delay.
    fn total(&self, lens: &Lens) -> Cross {
        let all: Vec<(&Cross, f64)> = self.crosses.iter().zip(self.delays.iter().copied()).collect();
        lens.sum(&all)
    }

    fn seen(&self) -> Vec<SeenBurst> {
        (0..self.crosses.len())
            .map(|i| SeenBurst {
                burst: self.numbers[i],
                direction: self.directions[i],
                frame: self.crosses[i].frame + self.delays[i],
            })
            .collect()
    }

    fn bursts(&self, recipe: &Recipe, source: usize) -> Vec<Burst> {
        (0..self.crosses.len())
            .map(|i| {
                let start = self.crosses[i].frame + self.delays[i];
                let played = recipe.start(source, self.numbers[i]) as f64;
                Burst { start: Frames::new(start), latency: Frames::new(start - played) }
            })
            .collect()
    }
}

/// The strongest arrival between two lags, if it stands out.
fn arrival(lens: &Lens, total: &Cross, from: f64, to: f64, least: f64) -> Option<SecondArrival> {
    let main = lens.height(total, 0.0);
    if main == 0.0 {
        return None;
    }
    let profile = lens.profile(total, from, to);
    let best = profile.iter().max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))?;
    (best.1.abs() / main.abs() > least).then(|| {
        let places = (-8..=8).map(|i| best.0 + f64::from(i) / 8.0);
        let (later, height) = places
            .map(|d| (d, lens.height(total, d)))
            .max_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))
            .unwrap_or(*best);
        SecondArrival { later: Frames::new(later), ratio: height / main }
    })
}

/// Noise in the pauses before the bursts, the median of them.
fn noise(lens: &Lens, samples: &[f32], recipe: &Recipe, fine: &Fine) -> f64 {
    let (gap, ahead) = (recipe.burst_frames() / 24, recipe.burst_frames() / 3);
    swiftloop_units::stats::median(fine.crosses.iter().filter_map(|c| {
        let to = (c.frame as usize).checked_sub(gap)?;
        Some(lens.noise(samples.get(to.checked_sub(ahead)?..to)?))
    }))
}

/// A step of 16 bits and a half: as near as a stored probe comes to the one that was rendered.
const AS_STORED: f32 = 1.5 / 32_768.0;

/// The samples are those of the probe, from its first frame on: whatever went through a converter is none of them exactly.
fn is_probe_itself(samples: &[f32], recipe: &Recipe, source: usize) -> bool {
    let (from, to) = (recipe.start(source, 0), recipe.start(source, 2) + recipe.burst_frames());
    let Some(own) = samples.get(from..to) else { return false };
    let rendered = recipe.render();
    let Some(played) = rendered.get(source).and_then(|channel| channel.get(from..to)) else { return false };
    own.iter().zip(played).all(|(a, b)| (a - b).abs() <= AS_STORED)
}

/// Tops that were cut: three frames or more at exactly the channel's highest value.
fn flat_tops(samples: &[f32]) -> usize {
    let top = samples.iter().fold(0.0f32, |m, x| m.max(x.abs()));
    // A quiet recording has flat tops for want of bits.
    if top < 0.05 {
        return 0;
    }
    samples
        .windows(4)
        .filter(|w| w[0].abs() < top && w[1..].iter().all(|x| x.abs() == top && x.signum() == w[1].signum()))
        .count()
}
