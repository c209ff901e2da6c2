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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::units::{Factor, Frames, Metres, Micros, Ms, Nanos, Range};
    use proptest::prelude::*;

    /// Only the figures of disk and memory matter here.
    fn assume() -> Assumptions {
        let (zero, ms) = (Range::<Frames>::zero(), Range::<Ms>::zero());
        Assumptions {
            converter_frames: zero,
            safety_frames: zero,
            resampler_ms: ms,
            direct_mixer_frames: zero,
            key_scan_ms: ms,
            five_pin_bytes: 3,
            usb_poll_ms: ms,
            instrument_ms: ms,
            mic_distance_m: Range::<Metres>::zero(),
            speaker_distance_m: Range::<Metres>::zero(),
            crystal_ppm: Range::exact(Factor(30.0)),
            hidden_in_ms: Ms(0.0),
            hidden_out_ms: Ms(0.0),
            draft_cost: Factor(0.6),
            precision_32_cost: Factor(0.9),
            off_but_loaded_cost: Factor(0.1),
            timeline_us_per_kilotick: Micros(0.0),
            node_overhead_ns: Nanos(0.0),
            plain_track_per_frame_ns: Nanos(0.0),
            disk_stall_ms: Range::spanning(Ms(5.0), Ms(20.0), Ms(100.0)),
            disk_stalls_per_hour: 60.0,
            read_ahead_ms: Ms(500.0),
            swap_dropouts_per_hour_per_gb: 400.0,
            print_memory_gb: 0.05,
            phrase_s: 8.0,
        }
    }

    proptest! {
        #[test]
        fn a_busier_disk_and_a_shorter_read_ahead_break_more(streams in 0.1f64..200.0, more in 0.1f64..100.0, ahead in 50.0f64..2000.0) {
            let a = assume();
            let at = |s: f64, r: f64| disk_dropouts(s, 150.0, r, &a);
            let (less, busy) = (at(streams, ahead), at(streams + more, ahead));
            prop_assert!(less.low <= less.typical && less.typical <= less.high);
            prop_assert!(less.typical <= busy.typical * (1.0 + 1e-12));
            // A disk that keeps up gains by reading ahead.
            prop_assert!(streams >= 150.0 || at(streams, ahead * 2.0).typical <= less.typical);
        }

        #[test]
        fn memory_breaks_in_proportion_to_what_does_not_fit(needed in 0.0f64..64.0) {
            let d = memory_dropouts(needed, 16.0, &assume());
            prop_assert!((d.typical - (needed - 16.0).max(0.0) * 400.0).abs() < 1e-9);
            prop_assert!(d.low <= d.typical && d.typical <= d.high);
        }
    }

    #[test]
    fn an_idle_disk_never_breaks_and_a_stall_is_exponential() {
        let a = assume();
        assert_eq!(disk_dropouts(0.0, 150.0, 500.0, &a).high, 0.0);
        let half = disk_dropouts(75.0, 150.0, 100.0, &a);
        assert!((half.typical - 60.0 * (-100.0f64 * 0.5 / 20.0).exp()).abs() < 1e-12);
    }
}
