//! Two more ways to break: the disk does not deliver in time, or memory runs out and the system swaps.

use super::Dropouts;
use crate::tables::Assumptions;

/// Dropouts per hour from the disk. A stall empties the read-ahead; what the streams leave of the throughput
/// refills it. Stalls are taken as exponential with the assumed mean, so one breaks with
/// `exp(−read-ahead × (1 − utilisation) / mean stall)`.
#[must_use]
pub fn disk_dropouts(
    streams_mb_s: f64,
    throughput_mb_s: f64,
    read_ahead_ms: f64,
    assume: &Assumptions,
) -> Dropouts {
    if streams_mb_s <= 0.0 {
        return Dropouts { low: 0.0, typical: 0.0, high: 0.0 };
    }
    let spare = (1.0 - streams_mb_s / throughput_mb_s).max(0.0);
    let at = |stall: f64| {
        let per_stall = (-read_ahead_ms * spare / stall).exp();
        // A disk that cannot keep up at all fails each time the read-ahead runs dry.
        let dry = if spare <= 0.0 { 3.6e6 / read_ahead_ms.max(1.0) } else { 0.0 };
        assume.disk_stalls_per_hour * per_stall + dry
    };
    let stall = assume.disk_stall_ms;
    Dropouts { low: at(stall.low().0), typical: at(stall.typical().0), high: at(stall.high().0) }
}

/// Dropouts per hour from swapping: none while everything fits, in proportion to what does not.
#[must_use]
pub fn memory_dropouts(needed_gb: f64, memory_gb: f64, assume: &Assumptions) -> Dropouts {
    let short = (needed_gb - memory_gb).max(0.0);
    let rate = short * assume.swap_dropouts_per_hour_per_gb;
    Dropouts { low: rate * 0.2, typical: rate, high: rate * 5.0 }
}
