//! Work of a known amount, as much like that of plug-ins as can be told beforehand: half of it is bound by latency (second-order
//! filter sections, each of which waits for its own feedback), half by throughput (samples scaled and added), and it
//! walks through memory as a chain of plug-ins with their own sound and states does. What the two halves take is the
//! scale on which a core's speed is told.

use super::clock::now_ns;
use swiftloop_measure::weigh::Yardsticks;
use swiftloop_units::stats::quantile;

/// Frames that a section runs over at once: one small audio block.
const BLOCK: usize = 64;
/// Samples that are scaled and added for each frame through a section: as long as the section takes, on the reference core.
const SWEPT: usize = 48;
/// Sums that are added up beside each other: eight vectors of four, twice as many as an addition takes cycles.
const LANES: usize = 32;
/// Samples that are added up at once: so many that beginning and end do not count.
const RUN: usize = 8 * BLOCK;
/// Places for blocks, each with its own sound: 128 KiB in all, more than the nearest cache holds (32 or 48 KiB), less than
/// the next one does (256 KiB and more): tens of plug-ins, each with some KiB of its own.
const PLACES: usize = 512;
/// What one frame of such work takes on the reference core.
const REFERENCE_NS: f64 =
    Yardsticks::REFERENCE.latency_ns + Yardsticks::REFERENCE.throughput_ns * SWEPT as f64;

/// Blocks of sound, that are filtered and mixed again and again.
#[derive(Debug, Clone)]
pub struct Filters {
    sound: Box<[f32]>,
    sums: [f32; LANES],
    output: f32,
    at: usize,
}

impl Default for Filters {
    fn default() -> Self {
        // Noise without silence: no denormal numbers, whose slowness is another matter.
        let mut random = fastrand::Rng::with_seed(1);
        let sound = (0..PLACES * BLOCK).map(|_| random.f32() * 2.0 - 1.0).collect();
        Self { sound, sums: [0.0; LANES], output: 0.0, at: 0 }
    }
}

impl Filters {
    /// Works on `frames` frames in all. No allocation, no lock, no system call.
    pub fn run(&mut self, frames: u64) {
        let mut left = frames;
        while left > 0 {
            let now = left.min(BLOCK as u64) as usize;
            self.section(now);
            self.sweep(now * SWEPT);
            left -= now as u64;
        }
        std::hint::black_box(self.output);
    }

    /// The half that is bound by latency.
    fn section(&mut self, frames: usize) {
        let from = self.at * BLOCK;
        self.output = section(&self.sound[from..from + frames], self.output);
    }

    /// The half that is bound by throughput: place after place is scaled and added up.
    fn sweep(&mut self, mut samples: usize) {
        while samples > 0 {
            let now = samples.min(RUN);
            // A run ends where memory ends, and the next one begins anew.
            let from = if self.at + RUN / BLOCK > PLACES { 0 } else { self.at * BLOCK };
            add_up(&mut self.sums, &self.sound[from..from + now]);
            self.at = (from / BLOCK + RUN / BLOCK) % PLACES;
            samples -= now;
        }
        self.settle();
    }

    /// All sums count, and none grows without end.
    fn settle(&mut self) {
        self.output += self.sums.iter().sum::<f32>() * 1e-9;
        self.sums.iter_mut().for_each(|s| *s *= 0.5);
    }

    /// What each half takes now, in nanoseconds for a frame and for a sample: about `ns` for both.
    pub fn yardsticks(&mut self, ns: u64) -> Yardsticks {
        let runs = |each: f64, length: usize| ((ns as f64 / 2.0 / each / length as f64) as usize).max(1);
        let (sections, sums) =
            (runs(Yardsticks::REFERENCE.latency_ns, BLOCK), runs(Yardsticks::REFERENCE.throughput_ns, RUN));
        let from = now_ns();
        for _ in 0..sections {
            self.section(BLOCK);
        }
        let between = now_ns();
        // All in one place: what memory holds back is no yardstick's.
        for _ in 0..sums {
            add_up(&mut self.sums, &self.sound[..RUN]);
        }
        self.settle();
        std::hint::black_box(self.output);
        let end = now_ns();
        let each = |ns: u64, samples: usize| ns.max(1) as f64 / samples as f64;
        Yardsticks {
            latency_ns: each(between - from, sections * BLOCK),
            throughput_ns: each(end - between, sums * RUN),
        }
    }
}

/// A peaking filter (transposed direct form II) over a block; the last output carries over, so no two blocks overlap.
#[inline(never)]
fn section(sound: &[f32], carried: f32) -> f32 {
    let [b0, b1, b2, a1, a2] = std::hint::black_box([1.02f32, -1.83, 0.84, -1.83, 0.86]);
    let (mut s1, mut s2, mut out) = (carried * 1e-3, 0.0f32, 0.0f32);
    for &x in sound {
        out = b0 * x + s1;
        s1 = (b1 * x + s2) - a1 * out;
        s2 = b2 * x - a2 * out;
    }
    out
}

/// A sound scaled and added up, in so many sums that none has to wait for another.
#[inline(never)]
fn add_up(sums: &mut [f32; LANES], sound: &[f32]) {
    let level = std::hint::black_box(0.5f32);
    let mut now = *sums;
    for piece in sound.as_chunks::<LANES>().0 {
        for i in 0..LANES {
            now[i] += level * piece[i];
        }
    }
    *sums = now;
}

/// How fast a core does this work.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Speed {
    /// One frame of it, when nothing interrupts: the fastest quarter of many slices.
    pub frame_ns: f64,
    /// What its halves take by themselves, at the least.
    pub halves: Yardsticks,
}

impl Speed {
    /// Speed beside the reference core: 1 is as fast.
    #[must_use]
    pub fn factor(self) -> f64 {
        REFERENCE_NS / self.frame_ns
    }

    /// Speeds beside the reference core where latency counts, and where throughput does.
    #[must_use]
    pub fn of_halves(self) -> [f64; 2] {
        let at = Yardsticks::REFERENCE;
        [at.latency_ns / self.halves.latency_ns, at.throughput_ns / self.halves.throughput_ns]
    }

    /// Frames of work that take so many microseconds.
    #[must_use]
    pub fn frames_in(self, us: f64) -> u64 {
        (us * 1000.0 / self.frame_ns).round().max(0.0) as u64
    }
}

/// Measures the speed of the core that this thread runs on, for about `ms` milliseconds.
#[must_use]
pub fn speed(ms: u64) -> Speed {
    const FRAMES: u64 = 16_384;
    const YARDSTICK_NS: u64 = 20_000;
    let mut filters = Filters::default();
    let end = now_ns() + ms * 1_000_000;
    let mut slices = Vec::new();
    let mut halves = Yardsticks::NONE;
    while slices.len() < 9 || now_ns() < end {
        let from = now_ns();
        filters.run(FRAMES);
        slices.push((now_ns() - from).max(1) as f64 / FRAMES as f64);
        halves = halves.least(filters.yardsticks(YARDSTICK_NS));
    }
    // The first slices still heat caches and clocks.
    Speed { frame_ns: quantile(slices[4..].iter().copied(), 0.25), halves }
}

/// The speed at the beginning and at the end of a second of work: a clock that follows late, or heat, makes them differ.
#[must_use]
pub fn speed_over_a_second() -> (Speed, Speed) {
    let first = speed(100);
    Filters::default().run((800.0 * 1e6 / first.frame_ns) as u64);
    (first, speed(100))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Counted on a clock, twice the frames take longer: by how much is left to a quiet machine.
    #[test]
    fn frames_and_time_are_two_sides_of_one_speed() {
        let halves = Yardsticks { latency_ns: 1.5, throughput_ns: 0.125 };
        let speed = Speed { frame_ns: 4.0, halves };
        assert_eq!((speed.factor(), speed.frames_in(100.0), speed.frames_in(0.0)), (1.5, 25_000, 0));
        assert_eq!(speed.of_halves(), [2.0, 0.5]);
        let measured = super::speed(20);
        assert!(measured.frame_ns > 0.1 && measured.factor() > 0.01 && measured.halves.is_possible());
        // The work is really done: a hundred times the frames cannot take less time than the frames once.
        let time = |frames| {
            let mut filters = Filters::default();
            let from = now_ns();
            filters.run(frames);
            now_ns() - from
        };
        let (one, hundred) = ((0..9).map(|_| time(20_000)).min(), (0..9).map(|_| time(2_000_000)).min());
        assert!(hundred > one, "{one:?} {hundred:?}");
    }

    #[test]
    fn the_sound_stays_finite_and_is_worked_on() {
        let mut filters = Filters::default();
        for frames in [0, 1, 63, 64, 65, 100_000] {
            filters.run(frames);
            assert!(filters.output.is_finite() && filters.sums.iter().all(|s| s.is_finite()));
        }
        assert_ne!(filters.output, 0.0);
    }
}
