//! Lines that are made up: delay, jitter, loss and clocks are known to the nanosecond.

use swiftloop_measure::link::exchange::{EchoedPacket, Exchange};

/// How a line treats one way.
#[derive(Clone, Copy)]
pub struct Manner {
    /// Never quicker.
    pub floor_ms: f64,
    /// Mean of the waiting that all meet.
    pub mean_ms: f64,
    /// Share of packets that meet a heavy queue, and its mean.
    pub heavy: (f64, f64),
    /// Share that is lost, and how many in a row.
    pub loss: (f64, u32),
}

/// A whole line.
#[derive(Clone, Copy)]
pub struct Line {
    pub forth: Manner,
    pub back: Manner,
    /// How much faster their clock runs, in parts per million.
    pub ppm: f64,
    /// Their clock is set by so much after so many seconds.
    pub step: Option<(f64, f64)>,
}

pub const CALM: Manner = Manner { floor_ms: 6.0, mean_ms: 0.3, heavy: (0.01, 1.5), loss: (0.0, 1) };
pub const LINE: Line = Line { forth: CALM, back: CALM, ppm: 0.0, step: None };

struct Way {
    manner: Manner,
    losing: u32,
    random: fastrand::Rng,
}

impl Way {
    fn next(&mut self) -> Option<f64> {
        let m = self.manner;
        let r = &mut self.random;
        let exponential = |r: &mut fastrand::Rng, mean: f64| -mean * (1.0 - r.f64()).ln();
        let mut late = exponential(r, m.mean_ms);
        if r.f64() < m.heavy.0 {
            late += exponential(r, m.heavy.1);
        }
        if self.losing == 0 && r.f64() < m.loss.0 / f64::from(m.loss.1) {
            self.losing = m.loss.1;
        }
        if self.losing > 0 {
            self.losing -= 1;
            return None;
        }
        Some(m.floor_ms + late)
    }
}

/// What became of packets: for each its lateness there and back, as far as it came.
pub struct Truth {
    pub exchange: Exchange,
    pub forth: Vec<f64>,
    pub back: Vec<f64>,
}

impl Line {
    /// So many packets, one every so many milliseconds; the reflector counts.
    pub fn play(&self, packets: usize, every_ms: f64, seed: u64) -> Truth {
        let way = |manner, salt| Way { manner, losing: 0, random: fastrand::Rng::with_seed(seed ^ salt) };
        let (mut forth, mut back) = (way(self.forth, 1), way(self.back, 2));
        let their_clock = |ms: f64| {
            let stepped =
                self.step.map_or(0.0, |(after_s, by_ms)| if ms > after_s * 1e3 { by_ms } else { 0.0 });
            ((ms * (1.0 + self.ppm * 1e-6) + stepped + 4.2e11) * 1e6) as i64
        };
        let mut truth = Truth {
            exchange: Exchange { counts: Some(true), ..Exchange::default() },
            forth: vec![],
            back: vec![],
        };
        let (mut counted, mut answers) = (0u32, Vec::new());
        for k in 0..packets {
            let sent = k as f64 * every_ms;
            truth.exchange.sent.push((sent * 1e6) as i64);
            let there = forth.next();
            truth.forth.push(there.map_or(f64::INFINITY, |d| d - self.forth.floor_ms));
            let Some(there) = there.map(|d| sent + d) else { continue };
            let number = counted;
            counted += 1;
            let came = back.next();
            truth.back.push(came.map_or(f64::INFINITY, |d| d - self.back.floor_ms));
            let Some(came) = came.map(|d| there + 0.05 + d) else { continue };
            answers.push(EchoedPacket {
                number: k as u64,
                counted: number,
                there: their_clock(there),
                left: their_clock(there + 0.05),
                back: (came * 1e6) as i64,
            });
        }
        answers.sort_by_key(|a| a.back);
        truth.exchange.answers = answers;
        truth
    }
}
