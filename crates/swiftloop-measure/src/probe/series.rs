//! Bursts in a row: the delay of every burst comes in, drift, lost and doubled frames, jitter and the delay of the
//! whole with its interval go out. Two clocks move the delay steadily and lost frames move it at once,
//! so the median slope between neighbours is the drift, and what jumps off it is a slip.

use statrs::distribution::{ContinuousCDF, StudentsT};
use swiftloop_units::stats::median;
use swiftloop_units::{Frames, Ppm, Range};

/// One burst's reading.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Burst {
    /// Frame of the recording at which it begins.
    pub start: Frames,
    pub latency: Frames,
}

/// Frames lost or doubled between two bursts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Slip {
    /// Middle of the stretch in which it happened.
    pub frame: u64,
    /// Half the length of that stretch.
    pub give_or_take: u64,
    /// What happened to everything later: above zero it came later (frames doubled or put in), below zero earlier (frames lost).
    pub shift_frames: i64,
}

/// What a row of bursts says.
#[derive(Debug, Clone, PartialEq)]
pub struct Series {
    /// The delay: of the beginning of the recording when the clocks drift, of all bursts when they do not; with the
    /// 95 % interval.
    pub latency: Range<Frames>,
    /// How much faster the recording's clock runs than the playing one.
    pub drift: Ppm,
    /// Half the 95 % interval of the drift.
    pub drift_doubt: Ppm,
    /// The drift is more than chance.
    pub drifts: bool,
    /// Standard deviation of single bursts about the line.
    pub jitter: Frames,
    /// Lost or doubled frames.
    pub slips: Vec<Slip>,
}

/// What model and arithmetic leave over even without any noise: never claim more.
const FLOOR: f64 = 3e-4;
/// A drift is believed from so many standard deviations.
const DRIFT_SURE: f64 = 4.5;

/// Reads a row of bursts, in order; `own` is the standard deviation that noise alone gives a single burst.
#[must_use]
pub fn series(bursts: &[Burst], own: Frames, length: Frames) -> Series {
    let slips = slips(bursts, own, length);
    // Against the moment it was played: what drift adds to the delay itself is not the loop's.
    let place = |b: &Burst| {
        let latency = b.latency.raw() - shift_before(&slips, b.start.raw());
        (b.start.raw() - b.latency.raw(), latency)
    };
    let points: Vec<(f64, f64)> = bursts.iter().map(place).collect();
    let n = points.len() as f64;
    let mean = |f: fn(&(f64, f64)) -> f64| points.iter().map(f).sum::<f64>() / n.max(1.0);
    let (middle, level) = (mean(|p| p.0), mean(|p| p.1));
    let spread: f64 = points.iter().map(|p| (p.0 - middle).powi(2)).sum();
    let slope = if spread > 0.0 {
        points.iter().map(|p| (p.0 - middle) * (p.1 - level)).sum::<f64>() / spread
    } else {
        0.0
    };
    let rest = |slope: f64, used: f64| {
        let squares: f64 = points.iter().map(|p| (p.1 - level - slope * (p.0 - middle)).powi(2)).sum();
        if n > used { (squares / (n - used)).sqrt() } else { 0.0 }
    };
    let single = rest(slope, 2.0).max(own.raw());
    let slope_deviation = if spread > 0.0 { single / spread.sqrt() } else { 0.0 };
    let drifts = n > 2.0 && slope.abs() > DRIFT_SURE * slope_deviation && slope.abs() * spread.sqrt() > FLOOR;
    let (typical, jitter, used) =
        if drifts { (level - slope * middle, rest(slope, 2.0), 2.0) } else { (level, rest(0.0, 1.0), 1.0) };
    let lever =
        if drifts && spread > 0.0 { (1.0 / n + middle * middle / spread).sqrt() } else { (1.0 / n).sqrt() };
    let half = (student_t_975(n - used) * jitter).max(1.96 * own.raw()) * lever + FLOOR;
    Series {
        latency: Range::spanning(
            Frames::new(typical - half),
            Frames::new(typical),
            Frames::new(typical + half),
        ),
        drift: Ppm::new(slope * 1e6),
        drift_doubt: Ppm::new(student_t_975(n - 2.0) * slope_deviation * 1e6),
        drifts,
        jitter: Frames::new(jitter),
        slips,
    }
}

/// All shifts before a frame.
fn shift_before(slips: &[Slip], frame: f64) -> f64 {
    slips.iter().filter(|s| (s.frame as f64) < frame).map(|s| s.shift_frames as f64).sum()
}

fn slips(bursts: &[Burst], own: Frames, length: Frames) -> Vec<Slip> {
    let steps: Vec<(f64, f64)> = bursts
        .windows(2)
        .map(|w| (w[1].start.raw() - w[0].start.raw(), w[1].latency.raw() - w[0].latency.raw()))
        .collect();
    let drift = median(steps.iter().map(|(dt, dl)| dl / dt));
    let beyond = |s: &(f64, f64)| s.1 - drift * s.0;
    let usual = median(steps.iter().map(|s| beyond(s).abs())) * 1.4826;
    let least = 0.5f64.max(6.0 * usual).max(6.0 * own.raw() * std::f64::consts::SQRT_2);
    let mut found = Vec::new();
    for (step, pair) in steps.iter().zip(bursts.windows(2)) {
        let jump = beyond(step);
        let shift = jump.round() as i64;
        if jump.abs() >= least && shift != 0 {
            let (from, to) = (pair[0].start.raw() + length.raw(), pair[1].start.raw());
            let middle = (from + to) / 2.0;
            found.push(Slip {
                frame: middle as u64,
                give_or_take: ((to - from) / 2.0).ceil() as u64,
                shift_frames: shift,
            });
        }
    }
    found
}

/// The 97.5 % point of Student's t: how far a mean of few values may be off.
fn student_t_975(freedom: f64) -> f64 {
    // The law has no narrower form than that of one degree of freedom.
    StudentsT::new(0.0, 1.0, freedom.max(1.0)).map_or(f64::INFINITY, |t| t.inverse_cdf(0.975))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn row(latency: impl Fn(f64) -> f64) -> Vec<Burst> {
        let place = |i: i32| f64::from(i) * 28_800.0 + 12_000.0;
        (0..10)
            .map(|i| Burst {
                start: Frames::new(place(i) + latency(place(i))),
                latency: Frames::new(latency(place(i))),
            })
            .collect()
    }

    proptest! {
        #[test]
        fn drift_and_one_slip_are_told_apart(ppm in -200.0f64..200.0, at in 1usize..9, shift in prop_oneof![-600i64..=-1, 1i64..=600]) {
            let when = at as f64 * 28_800.0;
            let bursts = row(|t| 300.0 + ppm * 1e-6 * t + if t > when { shift as f64 } else { 0.0 });
            let found = series(&bursts, Frames::new(1e-6), Frames::new(12_000.0));
            prop_assert!((found.drift.raw() - ppm).abs() < 1e-3, "{found:?}");
            prop_assert!((found.latency.typical().raw() - 300.0).abs() < 1e-3 || !found.drifts);
            prop_assert_eq!(found.slips.iter().map(|s| s.shift_frames).collect::<Vec<_>>(), vec![shift]);
            prop_assert!(found.slips[0].frame.abs_diff(when as u64) <= found.slips[0].give_or_take + 12_000);
        }
    }

    #[test]
    fn steady_bursts_neither_drift_nor_slip() {
        let found = series(&row(|_| 412.25), Frames::new(0.001), Frames::new(12_000.0));
        assert!(found.slips.is_empty() && !found.drifts);
        assert!((found.latency.typical().raw() - 412.25).abs() < 1e-9);
        assert!(found.latency.spread().raw() > 0.0 && found.latency.spread().raw() < 0.01);
    }
}
