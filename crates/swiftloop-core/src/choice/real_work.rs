//! The work of a block as a machine can be given it to do: for each distinct block of the cycle, microseconds on the
//! reference core for every worker.

use super::Ground;

/// Share of blocks, and the work of each worker in µs on the reference core. The first worker is given what the whole
/// block takes at the most (Graham's bound), the others share what is left of the total, so that the sum is that of the
/// session. Other programs are left out: on a real machine they run themselves.
#[must_use]
pub fn reference_work(ground: &Ground<'_, '_>, chosen: &[usize]) -> Vec<(f64, Vec<f64>)> {
    let applied = ground.apply(chosen, &[]);
    let slowness = ground.slowness(&applied);
    let workers = ground.arrangement.workers.max(1) as usize;
    let split = |w: super::ground::Worked| {
        let others = workers - 1;
        let left = (w.total_us - w.bound_us).max(0.0) / others.max(1) as f64;
        let each = std::iter::once(w.bound_us).chain(std::iter::repeat_n(left, others));
        (w.weight, each.map(|us| us / slowness).collect())
    };
    ground.worked(&ground.cue, &applied).into_iter().map(split).collect()
}
