//! Work of a known amount: second-order filter sections run over a block, one after another. A section is bound by
//! the latency of its own feedback (add, multiply, subtract, four cycles each on a 2020 desktop core), not by how many
//! units a core has, so 12 cycles a frame at 4 GHz, 3 ns, is what the reference core takes: the scale on which a
//! core's speed is told.

use super::clock::now_ns;
use swiftloop_core::stats::quantile;

/// What one section takes over one frame on the reference core (a 2020 desktop core at 4 GHz): 12 cycles.
pub const REFERENCE_NS: f64 = 3.0;
/// Frames that a section runs over at once: one small audio block.
const BLOCK: usize = 64;

/// A block of sound and the sections that filter it again and again.
#[derive(Debug)]
pub struct Filters {
    sound: [f32; BLOCK],
    output: f32,
}

impl Default for Filters {
    fn default() -> Self {
        // Noise without silence: no denormal numbers, whose slowness is another matter.
        let mut random = fastrand::Rng::with_seed(1);
        let sound = std::array::from_fn(|_| random.f32() * 2.0 - 1.0);
        Self { sound, output: 0.0 }
    }
}

impl Filters {
    /// Runs sections over `frames` frames in all. No allocation, no lock, no system call.
    pub fn run(&mut self, frames: u64) {
        let mut left = frames;
        while left > 0 {
            let now = left.min(BLOCK as u64) as usize;
            self.output = section(&self.sound[..now], self.output);
            left -= now as u64;
        }
        std::hint::black_box(self.output);
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

/// How fast a core does this work.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Speed {
    /// One section over one frame, when nothing interrupts: the fastest quarter of many slices.
    pub section_ns: f64,
}

impl Speed {
    /// Speed beside the reference core: 1 is as fast.
    #[must_use]
    pub fn factor(self) -> f64 {
        REFERENCE_NS / self.section_ns
    }

    /// Frames through sections that take so many microseconds.
    #[must_use]
    pub fn frames_in(self, us: f64) -> u64 {
        (us * 1000.0 / self.section_ns).round().max(0.0) as u64
    }
}

/// Measures the speed of the core that this thread runs on, for about `ms` milliseconds.
#[must_use]
pub fn speed(ms: u64) -> Speed {
    const FRAMES: u64 = 32_768;
    let mut filters = Filters::default();
    let end = now_ns() + ms * 1_000_000;
    let mut slices = Vec::new();
    while slices.len() < 9 || now_ns() < end {
        let from = now_ns();
        filters.run(FRAMES);
        slices.push((now_ns() - from).max(1) as f64 / FRAMES as f64);
    }
    // The first slices still heat caches and clocks.
    Speed { section_ns: quantile(slices[4..].iter().copied(), 0.25) }
}

/// The speed at the beginning and at the end of a second of work: a clock that follows late, or heat, makes them differ.
#[must_use]
pub fn speed_over_a_second() -> (Speed, Speed) {
    let first = speed(100);
    Filters::default().run((800.0 * 1e6 / first.section_ns) as u64);
    (first, speed(100))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Counted on a clock, twice the frames take longer: by how much is left to a quiet machine.
    #[test]
    fn frames_and_time_are_two_sides_of_one_speed() {
        let speed = Speed { section_ns: 2.0 };
        assert_eq!((speed.factor(), speed.frames_in(100.0), speed.frames_in(0.0)), (1.5, 50_000, 0));
        let measured = super::speed(20);
        assert!(measured.section_ns > 0.1 && measured.factor() > 0.01, "{measured:?}");
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
            assert!(filters.output.is_finite());
        }
        assert_ne!(filters.output, 0.0);
    }
}
