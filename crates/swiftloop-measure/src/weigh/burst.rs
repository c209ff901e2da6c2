//! Work in bursts: what successive calls at a small block took comes in; the block of its own in which a processor works, and what
//! one burst takes, go out. Whoever works on `m` frames at once is dear in just those calls in which a
//! multiple of `m` is passed, and no others, so every `m` foretells a pattern, and the calls say which.

/// A processor that works in blocks of its own.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct BurstFound {
    /// Frames of its own block.
    pub frames: u32,
    /// What a dear call takes beyond the others, in nanoseconds.
    pub ns: f64,
}

/// Dear calls take at least so many times what the others do.
const DEARER: f64 = 3.0;
/// Bursts that have to be seen.
const SEEN: usize = 6;
/// Share of foretold bursts that may be missing; and of other calls that may be as dear, beside them: disturbed ones.
const MISSING: f64 = 0.05;
const OTHERS: f64 = 0.6;

/// Looks for bursts in calls of `block` frames each, the first of which begins with frame 0 of the processor's own block.
#[must_use]
pub fn burst(block: u32, ns: &[f64]) -> Option<BurstFound> {
    let mut sorted = ns.to_vec();
    sorted.sort_by(f64::total_cmp);
    let usual = *sorted.get(sorted.len() / 2)?;
    let top = sorted[sorted.len() - 1 - sorted.len() / 500];
    if top < DEARER * usual.max(1.0) {
        return None;
    }
    let threshold = (usual.max(1.0) * top).sqrt();
    let dear: Vec<usize> = (0..ns.len()).filter(|&i| ns[i] > threshold).collect();
    if dear.len() < SEEN {
        return None;
    }
    // The middle gap is not led astray by a single disturbed call.
    let mut gaps: Vec<usize> = dear.windows(2).map(|w| w[1] - w[0]).collect();
    gaps.sort_unstable();
    let gap = gaps[gaps.len() / 2] as u32;
    if gap < 2 {
        return None;
    }
    // Every size near it foretells which calls are dear; whole sizes and common ones go first where several fit alike.
    let (from, to) = ((gap - 1) * block + 1, (gap + 1) * block);
    let mut best: Option<BurstFit> = None;
    for frames in from..to {
        let foretold = |i: usize| {
            let (before, after) = (i as u64 * u64::from(block), (i as u64 + 1) * u64::from(block));
            after / u64::from(frames) > before / u64::from(frames)
        };
        let (mut missing, mut others, mut all) = (0, 0, 0);
        for (i, took) in ns.iter().enumerate() {
            let (said, is) = (foretold(i), *took > threshold);
            all += usize::from(said);
            missing += usize::from(said && !is);
            others += usize::from(is && !said);
        }
        let fit = BurstFit { frames, missing, others, all };
        if best.as_ref().is_none_or(|b| fit.key() < b.key()) {
            best = Some(fit);
        }
    }
    let best = best?;
    let (missing, others) =
        (best.missing as f64 / best.all.max(1) as f64, best.others as f64 / best.all.max(1) as f64);
    if best.all < SEEN || missing > MISSING || others > OTHERS {
        return None;
    }
    let frames = best.frames;
    let mean = |pick: &dyn Fn(f64) -> bool| {
        let all: Vec<f64> = ns.iter().copied().filter(|t| pick(*t)).collect();
        all.iter().sum::<f64>() / all.len().max(1) as f64
    };
    Some(BurstFound { frames, ns: mean(&|t| t > threshold) - mean(&|t| t <= threshold) })
}

/// How well one size foretells which calls are dear.
struct BurstFit {
    frames: u32,
    missing: usize,
    others: usize,
    all: usize,
}

impl BurstFit {
    fn key(&self) -> (usize, u32) {
        (self.missing + self.others, roundness(self.frames))
    }
}

/// How odd a size is: powers of two first, then what divides by large powers of two.
fn roundness(m: u32) -> u32 {
    if m.is_power_of_two() { 0 } else { 32 - m.trailing_zeros() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_block_of_its_own_is_found_to_the_frame() {
        let mut random = fastrand::Rng::with_seed(4);
        for own in [1024u32, 480, 512, 960, 4096, 1000, 882] {
            for block in [16u32, 32] {
                let ns: Vec<f64> = (0..20_000u32)
                    .map(|i| {
                        let dear = (u64::from(i) + 1) * u64::from(block) / u64::from(own)
                            > u64::from(i) * u64::from(block) / u64::from(own);
                        let disturbed = random.f64() < 0.001;
                        (if dear { 60_000.0 } else { 800.0 }) * (1.0 + 0.2 * random.f64())
                            + if disturbed { 50_000.0 } else { 0.0 }
                    })
                    .collect();
                let found = burst(block, &ns).expect("bursts");
                assert_eq!(found.frames, own, "at {block}");
                assert!((found.ns / 65_000.0 - 1.0).abs() < 0.1, "{found:?}");
            }
        }
    }

    #[test]
    fn even_work_has_none_and_neither_has_a_disturbed_machine() {
        let mut random = fastrand::Rng::with_seed(5);
        let even: Vec<f64> = (0..4000).map(|_| 800.0 * (1.0 + random.f64())).collect();
        assert_eq!(burst(32, &even), None);
        let disturbed: Vec<f64> = even
            .iter()
            .map(|t| t + if random.f64() < 0.02 { 90_000.0 * random.f64() } else { 0.0 })
            .collect();
        assert_eq!(burst(32, &disturbed), None);
        assert_eq!(burst(32, &[]), None);
    }
}
