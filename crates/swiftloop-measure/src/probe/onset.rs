//! From the act to the sound: two recorded channels come in, one that hears the act (a contact microphone on the
//! key) and one that hears the sound; for every event the delay between them goes out. An onset is
//! where a channel leaves its own noise floor on the way to a peak, found backwards from the peak.

use swiftloop_units::stats::median;
use swiftloop_units::{Frames, Hz, Ms};

/// One act and the sound that followed it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnsetEvent {
    /// When the act began.
    pub act: Frames,
    /// How much later the sound began.
    pub delay: Frames,
}

/// All events of a recording.
#[derive(Debug, Clone, PartialEq)]
pub struct Onsets {
    pub events: Vec<OnsetEvent>,
    /// Half of the delays are shorter.
    pub median: Frames,
    /// From the shortest to the longest.
    pub spread: Frames,
    /// Acts that no sound followed.
    pub unanswered: usize,
}

/// Why there is no answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnsetRefusal {
    /// One of the channels has no onsets at all.
    Quiet(usize),
    /// No act was followed by a sound.
    Unrelated,
}

/// A sound that comes later than this belongs to something else.
const LATEST: Ms = Ms::new(500.0);
/// After an onset nothing counts as another for so long.
const REST: Ms = Ms::new(120.0);
/// An event rises so many times over the noise floor.
const ABOVE_FLOOR: f32 = 8.0;
/// An event reaches this share of the channel's highest peak.
const SHARE_OF_PEAK: f32 = 0.08;

/// Pairs acts with sounds.
///
/// # Errors
/// [`OnsetRefusal`] when a channel is quiet or nothing fits together.
pub fn onsets(act: &[f32], sound: &[f32], rate: Hz) -> Result<Onsets, OnsetRefusal> {
    let acts = starts(act, rate);
    let sounds = starts(sound, rate);
    for (channel, found) in [&acts, &sounds].into_iter().enumerate() {
        if found.is_empty() {
            return Err(OnsetRefusal::Quiet(channel));
        }
    }
    let latest = LATEST.frames_at(rate).raw();
    let mut events = Vec::new();
    for (i, &a) in acts.iter().enumerate() {
        let until = acts.get(i + 1).map_or(a + latest, |next| next.min(a + latest));
        if let Some(&s) = sounds.iter().find(|s| **s >= a && **s < until) {
            events.push(OnsetEvent { act: Frames::new(a), delay: Frames::new(s - a) });
        }
    }
    if events.is_empty() {
        return Err(OnsetRefusal::Unrelated);
    }
    let delays = || events.iter().map(|e| e.delay.raw());
    let (first, last) = (delays().fold(f64::MAX, f64::min), delays().fold(0.0, f64::max));
    Ok(Onsets {
        median: Frames::new(median(delays())),
        spread: Frames::new(last - first),
        unanswered: acts.len() - events.len(),
        events,
    })
}

/// Where a channel leaves its noise floor, in frames.
fn starts(samples: &[f32], rate: Hz) -> Vec<f64> {
    // The slope instead of the signal: hum and offset do not count, an attack does.
    let slope: Vec<f32> = samples.windows(2).map(|w| (w[1] - w[0]).abs()).collect();
    let highest = slope.iter().copied().fold(0.0, f32::max);
    let floor = 1.4826 * median(slope.iter().map(|s| f64::from(*s))) as f32;
    let threshold = (ABOVE_FLOOR * floor).max(SHARE_OF_PEAK * highest);
    if highest <= 0.0 || threshold > highest {
        return Vec::new();
    }
    let rest = REST.frames_at(rate).raw() as usize;
    let back = Ms::new(3.0).frames_at(rate).raw() as usize;
    let mut found = Vec::new();
    let mut n = 0;
    while n < slope.len() {
        if slope[n] < threshold {
            n += 1;
            continue;
        }
        let least = (4.0 * floor).max(0.02 * threshold);
        let mut start = n;
        for k in (n.saturating_sub(back)..n).rev() {
            if slope[k] > least {
                start = k;
            } else if start - k > 8 {
                break;
            }
        }
        found.push((start + 1) as f64);
        // The next event begins after this one has died down.
        let mut quiet = n + rest;
        while quiet < slope.len()
            && slope[quiet.saturating_sub(rest / 4)..quiet].iter().any(|s| *s >= threshold)
        {
            quiet += rest / 8 + 1;
        }
        n = quiet;
    }
    found
}
