//! A fluid disk: what was read ahead drains while the disk stalls, and fills again as fast as the disk's spare speed allows.

/// Dropouts per hour: read-ahead and mean stall in milliseconds, the share of the disk's speed that the streams take.
pub fn dropouts_per_hour(read_ahead: f64, stall: f64, used: f64, stalls_per_hour: f64, hours: f64) -> f64 {
    let mut random = fastrand::Rng::with_seed(5);
    let mut exponential = |mean: f64| -mean * (1.0 - random.f64()).ln();
    let (mut level, mut passed, mut dropouts) = (read_ahead, 0.0, 0u32);
    while passed < hours * 3.6e6 {
        let gap = exponential(3.6e6 / stalls_per_hour);
        level = (level + gap * (1.0 / used - 1.0)).min(read_ahead);
        let lasts = exponential(stall);
        if lasts > level {
            dropouts += 1;
            level = 0.0;
        } else {
            level -= lasts;
        }
        passed += gap + lasts;
    }
    f64::from(dropouts) / hours
}
