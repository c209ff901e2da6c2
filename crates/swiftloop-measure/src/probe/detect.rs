//! The coarse search: scores of a recorded channel come in; out comes which output it heard, at what delay to a
//! frame or so, at which level the probe was made, and where each burst stands. Add the scores where
//! the bursts of an output would have to be, for every delay, with room for drifting clocks; only the right
//! output at the right delay collects them all.

use super::accumulate::{Expected, FEWEST_HEARD, MOST_DRIFT, Widened, accumulate, room};
use super::matched::{BIN, Matched};
use super::recipe::{
    CHANNELS_UNTOLD, Direction, FEWEST_BURSTS, LOUDEST_DB, MOST_BURSTS, QUIETEST_DB, Recipe,
};
use swiftloop_units::Hz;
use swiftloop_units::stats::{median, quantile};

/// Delays that are searched, in seconds: before zero a compensation that overdoes it, above a slow start of the recorder.
const DELAYS_S: (f64, f64) = (-0.2, LATEST_S);
/// The later end of the delays that are searched, in seconds.
pub const LATEST_S: f64 = 10.0;
/// Score from which a burst stands out by itself, whatever the place (noise reaches it once in 10⁸ frames).
const STANDS_OUT: f64 = 36.0;
/// From this certainty on, scores alone decide; below, the best few places are added up with their signs.
const PLAIN: f64 = 25.0;
/// Places of each output that are remembered.
const PLACES: usize = 4;
/// Places of all outputs that are looked at more closely.
const CLOSER: usize = 24;
/// Median score from which each burst is placed by itself instead of all together.
const CLEAR: f64 = 60.0;
/// How far beyond what noise gives, in standard deviations, a finding has to be.
const SURE: f64 = 7.5;

/// Where one burst was seen.
#[derive(Debug, Clone, Copy)]
pub struct SeenBurst {
    /// Which burst of the pattern.
    pub burst: usize,
    pub direction: Direction,
    /// About where it begins in the recording.
    pub frame: f64,
}

/// What the coarse search found on a channel.
#[derive(Debug, Clone)]
pub struct Detection {
    /// The probe, its level decoded.
    pub recipe: Recipe,
    /// Output that was heard.
    pub source: usize,
    /// Each burst stands out by itself; otherwise only all together do.
    pub clear: bool,
    /// The bursts, in order.
    pub bursts: Vec<SeenBurst>,
    /// How far beyond noise, in standard deviations.
    pub certainty: f64,
    /// Another output that is heard as well, and how loud beside the first in decibels.
    pub second: Option<(usize, f64)>,
}

#[derive(Clone, Copy)]
struct Guess {
    recipe: Recipe,
    source: usize,
    delay: i64,
    bursts: usize,
    certainty: f64,
}

/// Finds the probe in a channel: `known` if the probe is at hand, else any with up to eight outputs.
#[must_use]
pub fn detect(matched: &Matched, rate: Hz, known: Option<Recipe>) -> Option<Detection> {
    let wide = Widened::new(matched);
    let guesses = all_guesses(&wide, rate, known);
    let first = guesses.first()?;
    if first.certainty > PLAIN {
        let seen = one_by_one(matched, &wide, first);
        // Plainly there, but some of its bursts drown: those are better placed by all the others.
        if seen.clear || seen.bursts.len() == first.bursts {
            return Some(seen);
        }
    }
    let best = guesses
        .into_iter()
        .take(CLOSER)
        .map(|g| (aligned(matched, &g, known.map(|k| k.bursts)), g))
        .filter(|(a, g)| whole(matched, a, g) >= FEWEST_HEARD)
        .max_by(|a, b| a.0.certainty.total_cmp(&b.0.certainty))
        .filter(|(a, _)| a.certainty > SURE)?;
    Some(together(matched, &best.1, best.0))
}

/// A probe of this rate, with up to eight outputs, is plainly there.
#[must_use]
pub fn stands_out(matched: &Matched, rate: Hz) -> bool {
    all_guesses(&Widened::new(matched), rate, None).first().is_some_and(|g| g.certainty > PLAIN)
}

/// Guesses for all outputs, best first.
fn all_guesses(wide: &Widened, rate: Hz, known: Option<Recipe>) -> Vec<Guess> {
    let untold = |channels| Recipe { rate, channels, bursts: FEWEST_BURSTS, level_db: LOUDEST_DB };
    let recipes: Vec<Recipe> = known.map_or_else(|| (1..=CHANNELS_UNTOLD).map(untold).collect(), |r| vec![r]);
    let mut all: Vec<Guess> = recipes
        .iter()
        .flat_map(|r| (0..r.channels).map(move |c| (*r, c)))
        .flat_map(|(r, c)| guesses(wide, r, c, known.map(|k| k.bursts)))
        .collect();
    all.sort_by(|a, b| b.certainty.total_cmp(&a.certainty));
    all
}

/// Mean and spread of the best score of noise within `bins` bins, two directions (extremes of χ² with one degree).
fn noise_score(bins: usize) -> (f64, f64) {
    let m = (2 * BIN * bins) as f64;
    (2.0 * m.ln() - (std::f64::consts::PI * m.ln()).ln() + 1.2, 2.6)
}

/// The most certain delays for one output of one recipe, best first.
fn guesses(wide: &Widened, recipe: Recipe, source: usize, bursts: Option<usize>) -> Vec<Guess> {
    let rate = f64::from(recipe.rate.get());
    let bin = |frames: f64| (frames / BIN as f64).floor() as i64;
    let expected = |i: usize| {
        let start = recipe.start(source, i);
        let radius = room(start).min(wide.widest());
        let (mean, deviation) = noise_score(2 * radius + 1);
        Expected { bin: (start / BIN) as i64, radius, mean, variance: deviation * deviation }
    };
    let starts: Vec<Expected> = (0..bursts.unwrap_or(MOST_BURSTS)).map(expected).collect();
    let to = bin(DELAYS_S.1 * rate).min(wide.bins() as i64);
    let certainties = accumulate(wide, &starts, bin(DELAYS_S.0 * rate)..to, bursts.unwrap_or(FEWEST_BURSTS));
    let all: Vec<Guess> = certainties
        .map(|(delay, bursts, certainty)| Guess {
            recipe,
            source,
            delay: delay * BIN as i64,
            bursts,
            certainty,
        })
        .collect();
    // A few of thousands: looking through them for each is less work than to sort them.
    let mut best: Vec<Guess> = Vec::new();
    while best.len() < PLACES {
        let apart = |g: &&Guess| best.iter().all(|b| b.delay.abs_diff(g.delay) > 3 * BIN as u64);
        let next = all.iter().filter(apart).min_by(|a, b| b.certainty.total_cmp(&a.certainty));
        let Some(next) = next else { break };
        best.push(*next);
    }
    best
}

/// Each burst by itself: where it stands out; one that is not where it should be is looked for farther off (frames
/// were lost). The level from the directions.
fn one_by_one(matched: &Matched, wide: &Widened, guess: &Guess) -> Detection {
    let narrow = |i: usize| (room(guess.recipe.start(guess.source, i)) + 1) * BIN;
    let expected = |i: usize| guess.recipe.start(guess.source, i) as i64 + guess.delay;
    let near: Vec<_> = (0..guess.bursts).map(|i| matched.peak(expected(i), narrow(i))).collect();
    // The strongest quarter: a probe that lost frames early has most of its bursts elsewhere.
    let usual = quantile(near.iter().flatten().map(|p| p.2), 0.75);
    let enough = (usual / 16.0).max(STANDS_OUT);
    let mut moved = 0;
    let mut bursts = Vec::new();
    for (i, peak) in near.iter().enumerate() {
        let far = || matched.peak(expected(i) + moved, guess.recipe.spread_frames());
        let found = peak.filter(|p| p.2 > enough).or_else(|| far().filter(|p| p.2 > enough));
        let Some((frame, direction, _)) = found else { continue };
        moved = frame as i64 - expected(i);
        bursts.push(SeenBurst { burst: i, direction, frame: frame as f64 });
    }
    let level_db = level(bursts.iter().map(|s| (s.burst, s.direction)));
    let recipe = Recipe { level_db, bursts: guess.bursts.max(FEWEST_BURSTS), ..guess.recipe };
    let second = second(matched, wide, guess);
    let clear = usual > CLEAR;
    Detection { recipe, source: guess.source, clear, bursts, certainty: guess.certainty, second }
}

/// The level from the directions, each of the six bits by the votes of its bursts.
fn level(bursts: impl Iterator<Item = (usize, Direction)>) -> i32 {
    let mut votes = [0i32; 6];
    for (i, direction) in bursts.filter(|b| b.0 >= 2) {
        votes[(i - 2) % 6] += if direction == Direction::Rising { 1 } else { -1 };
    }
    let bits: i32 = votes.iter().enumerate().map(|(i, v)| i32::from(*v > 0) << i).sum();
    (-bits).clamp(QUIETEST_DB, LOUDEST_DB)
}

/// In deep noise, clocks that drift have to explain this much more than clocks that do not: there are hundreds of
/// drifts to choose from.
const DRIFT_EARNS: f64 = 2.0;

/// All bursts added up with their signs.
struct Aligned {
    /// How far the sum lies beyond what noise gives, in standard deviations.
    certainty: f64,
    delay: i64,
    drift: f64,
    /// +1 or −1: polarity.
    sign: f32,
    bursts: usize,
}

/// What a burst adds: the better of the two directions it may have, the first two being known.
fn share(matched: &Matched, burst: usize, sign: f32, at: usize) -> f32 {
    let of = |d| matched.correlation(d).get(at).map_or(0.0, |c| c * sign);
    match burst {
        0 => of(Direction::Rising),
        1 => of(Direction::Falling),
        _ => of(Direction::Rising).max(of(Direction::Falling)),
    }
}

/// The delay, drift and polarity near a guess at which the bursts, with their signs, add up highest.
fn aligned(matched: &Matched, guess: &Guess, told: Option<usize>) -> Aligned {
    let bursts = told.unwrap_or(FEWEST_BURSTS);
    let starts: Vec<usize> =
        (0..MOST_BURSTS.max(bursts)).map(|i| guess.recipe.start(guess.source, i)).collect();
    let (first, last) = (starts[0], starts[bursts - 1]);
    let length = (last - first).max(1) as f64;
    let steps = (MOST_DRIFT * length / 0.5).ceil() as i64;
    let unit = matched.unit();
    // The better of two normal values: mean 1/√π, variance 1 − 1/π.
    let (extra, spare) = (0.5642, 0.6817);
    let beyond = |sum: f32, n: usize| {
        let two = n.saturating_sub(2) as f64;
        (f64::from(sum) * unit - two * extra) / (n.min(2) as f64 + two * spare).sqrt()
    };
    let sum = |n: usize, delay: i64, drift: f64, sign: f32| -> f32 {
        let at = |s: usize| s as i64 + delay + (drift * (s - first) as f64).round() as i64;
        let each =
            |(i, s): (usize, &usize)| share(matched, i, sign, usize::try_from(at(*s)).unwrap_or(usize::MAX));
        starts[..n].iter().enumerate().map(each).sum()
    };
    let mut best = Aligned { certainty: f64::MIN, delay: guess.delay, drift: 0.0, sign: 1.0, bursts };
    let mut still = Aligned { ..best };
    let radius = 2 * BIN as i64;
    for step in -steps..=steps {
        let drift = step as f64 * 0.5 / length;
        for delay in guess.delay - radius..=guess.delay + radius {
            for sign in [1.0, -1.0] {
                let certainty = beyond(sum(bursts, delay, drift, sign), bursts);
                if certainty > best.certainty {
                    best = Aligned { certainty, delay, drift, sign, bursts };
                }
                if step == 0 && certainty > still.certainty {
                    still = Aligned { certainty, delay, drift, sign, bursts };
                }
            }
        }
    }
    if still.certainty > best.certainty - DRIFT_EARNS {
        best = still;
    }
    if told.is_none() {
        for n in bursts + 1..=MOST_BURSTS {
            let certainty = beyond(sum(n, best.delay, best.drift, best.sign), n);
            if certainty > best.certainty {
                best = Aligned { certainty, bursts: n, ..best };
            }
        }
    }
    best
}

/// How many of the bursts lie within the recording.
fn whole(matched: &Matched, aligned: &Aligned, guess: &Guess) -> usize {
    let place = |i: usize| guess.recipe.start(guess.source, i) as i64 + aligned.delay;
    (0..aligned.bursts).filter(|i| (0..matched.places() as i64).contains(&place(*i))).count()
}

/// The detection of bursts that only all together stand out.
fn together(matched: &Matched, guess: &Guess, aligned: Aligned) -> Detection {
    let first = guess.recipe.start(guess.source, 0);
    let place = |i: usize| {
        let start = guess.recipe.start(guess.source, i);
        let frame = start as f64 + aligned.delay as f64 + aligned.drift * (start - first) as f64;
        let at = frame.round().max(0.0) as usize;
        let of = |d| matched.correlation(d).get(at).map_or(0.0, |c| c * aligned.sign);
        let rises = if i < 2 { i == 0 } else { of(Direction::Rising) > of(Direction::Falling) };
        SeenBurst { burst: i, direction: if rises { Direction::Rising } else { Direction::Falling }, frame }
    };
    let bursts: Vec<SeenBurst> = (0..aligned.bursts).map(place).collect();
    let level_db = level(bursts.iter().map(|s| (s.burst, s.direction)));
    let recipe = Recipe { level_db, bursts: aligned.bursts, ..guess.recipe };
    let (source, certainty) = (guess.source, aligned.certainty);
    Detection { recipe, source, clear: false, bursts, certainty, second: None }
}

/// The loudest other output of the same probe that arrives within a tenth of a second of the first.
fn second(matched: &Matched, wide: &Widened, guess: &Guess) -> Option<(usize, f64)> {
    let reach = guess.recipe.spread_frames();
    let heard = |source: usize, delay: i64, radius: usize| {
        let peak = |i| matched.peak(guess.recipe.start(source, i) as i64 + delay, radius);
        let peaks = (0..guess.bursts).filter_map(peak);
        median(peaks.map(|(n, d, _)| f64::from(matched.correlation(d)[n].abs())))
    };
    let own = heard(guess.source, guess.delay, 2 * BIN);
    (0..guess.recipe.channels)
        .filter(|&c| c != guess.source)
        .filter_map(|c| {
            let (recipe, bursts) = (guess.recipe, Some(guess.bursts));
            let near = |g: &Guess| g.certainty > SURE && g.delay.abs_diff(guess.delay) <= reach as u64;
            let other = guesses(wide, recipe, c, bursts).into_iter().find(near)?;
            Some((c, 20.0 * (heard(c, other.delay, 2 * BIN) / own).log10()))
        })
        .max_by(|a, b| a.1.total_cmp(&b.1))
}
