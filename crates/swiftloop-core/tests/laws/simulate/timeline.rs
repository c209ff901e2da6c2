//! A time line of interruptions, and one thread that has a block to do in every period. An interruption that comes while the
//! thread works holds it up for as long as it lasts; one that comes while it sleeps makes it wake up as late as that. A thread
//! that sleeps takes a moment to wake; one that is still busy does not. When a block is later than the reserve bears, that
//! is a dropout, and the ring begins anew.

/// The world.
#[derive(Debug, Clone, Copy)]
pub struct World {
    /// Time between blocks, in µs.
    pub period: f64,
    /// What a block takes undisturbed, in µs.
    pub work: f64,
    /// By how many periods a block may be late.
    pub reserve: f64,
    /// Half of all wake-ups take longer than this.
    pub median: f64,
    /// Interruptions last at least so long.
    pub threshold: f64,
    /// Interruptions in a period.
    pub share: f64,
    /// Their length beyond the threshold: a generalised Pareto law.
    pub shape: f64,
    pub scale: f64,
    /// Standard deviation of the logarithm of what a block takes.
    pub variation: f64,
}

/// Share of blocks that are dropouts.
pub fn dropouts(w: &World, blocks: u64, seed: u64) -> f64 {
    let mut random = fastrand::Rng::with_seed(seed);
    let gap = {
        let mean = w.period / w.share;
        move |r: &mut fastrand::Rng| -mean * (1.0 - r.f64()).ln()
    };
    let length = |r: &mut fastrand::Rng| {
        let u = 1.0 - r.f64();
        let beyond = if w.shape.abs() < 1e-9 { -u.ln() } else { (u.powf(-w.shape) - 1.0) / w.shape };
        w.threshold + w.scale * beyond
    };
    let normal = |r: &mut fastrand::Rng| {
        (-2.0 * (1.0 - r.f64()).ln()).sqrt() * (std::f64::consts::TAU * r.f64()).cos()
    };
    // From the median to the threshold the chance of a longer wake-up falls to that of an interruption.
    let wakes = |r: &mut fastrand::Rng| {
        let u = w.share + (1.0 - w.share) * (1.0 - r.f64());
        if u > 0.5 {
            w.median * u.ln() / 0.5f64.ln()
        } else {
            w.median + (w.threshold - w.median) * (u / 0.5).ln() / (w.share / 0.5).ln()
        }
    };
    let mut next = gap(&mut random);
    let (mut free, mut count) = (0.0f64, 0u64);
    for block in 0..blocks {
        let due = block as f64 * w.period;
        let mut end = free.max(due);
        if free <= due {
            // What came while it slept holds its waking up.
            let mut held = 0.0;
            while next < due {
                held += length(&mut random);
                next += gap(&mut random);
            }
            end += wakes(&mut random).max(held);
        }
        end += w.work * (w.variation * normal(&mut random)).exp();
        while next < end {
            end += length(&mut random);
            next += gap(&mut random);
        }
        if end > due + w.reserve * w.period {
            count += 1;
            free = due;
        } else {
            free = end;
        }
    }
    count as f64 / blocks as f64
}
