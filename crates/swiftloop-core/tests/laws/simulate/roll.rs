//! Two priorities on one set of cores, in steps of a hundredth of a cue period: the cue block that is due runs first, the roll
//! block gets the rest.

/// From release to completion of each roll block.
pub fn responses(cue: &[f64], cue_period: f64, roll: &[f64], roll_period: f64, count: usize) -> Vec<f64> {
    let step = cue_period / 4000.0;
    let (mut cue_left, mut cue_next) = (0.0f64, 0usize);
    let mut waiting: Vec<(f64, f64)> = Vec::new();
    let mut released = 0usize;
    let mut answer = Vec::new();
    let mut tick = 0u64;
    while answer.len() < count {
        let now = tick as f64 * step;
        while cue_next as f64 * cue_period <= now + step * 1e-6 {
            cue_left += cue[cue_next % cue.len()];
            cue_next += 1;
        }
        while released < count && released as f64 * roll_period <= now + step * 1e-6 {
            waiting.push((released as f64 * roll_period, roll[released % roll.len()]));
            released += 1;
        }
        if cue_left > 0.0 {
            cue_left -= step;
        } else if let Some(first) = waiting.first_mut() {
            first.1 -= step;
            if first.1 <= 0.0 {
                let (release, _) = waiting.remove(0);
                answer.push(now + step - release);
            }
        }
        tick += 1;
    }
    answer
}
