//! Bounds by relaxation: a need is covered by items that may be taken in part, which is never dearer than taking them whole.

use super::cheapest_set::EffortBound;

/// Cannot be had: the bound when no gains suffice.
pub(super) const NEVER: u32 = 1_000_000;

/// Least effort of covering `need` when items may be taken in part (a lower bound of taking them whole), rounded up
/// since efforts are whole; with the position of the best value for money.
#[must_use]
pub fn fractional(need: f64, gains: &[(f64, u32)]) -> EffortBound {
    if need <= 0.0 {
        // Nothing is missing by this bound; decide what weighs most.
        let heaviest = (0..gains.len()).max_by(|&a, &b| gains[a].0.total_cmp(&gains[b].0));
        return EffortBound { effort: 0, next: heaviest.unwrap_or(0) };
    }
    let value = |i: &usize| gains[*i].0 / f64::from(gains[*i].1).max(1e-9);
    let mut order: Vec<usize> = (0..gains.len()).filter(|&i| gains[i].0 > 0.0).collect();
    order.sort_by(|a, b| value(b).total_cmp(&value(a)));
    let Some(&best) = order.first() else { return EffortBound { effort: NEVER, next: 0 } };
    let (mut left, mut effort) = (need, 0.0);
    for i in order {
        let (gain, own) = gains[i];
        if gain >= left {
            effort += f64::from(own) * left / gain;
            return EffortBound { effort: (effort - 1e-9).ceil().max(0.0) as u32, next: best };
        }
        left -= gain;
        effort += f64::from(own);
    }
    EffortBound { effort: NEVER, next: best }
}
