//! Two more ways to break: the disk does not deliver in time, or memory runs out and the system swaps.

use super::Dropouts;
use crate::tables::Assumptions;
use swiftloop_units::{Gigabytes, MegabytesPerSecond, Ms, PerHour};

/// Dropouts per hour from a disk whose stalls last so long in the mean. What is read ahead is kept full as long as the
/// streams take less than the disk gives; a stall breaks when it lasts longer than that, and stalls are taken as
/// exponential: `exp(−read-ahead / mean stall)`, however busy the disk is. (A stream refills between stalls: they come
/// minutes apart, refilling takes moments.) A disk that gives less than the streams take runs dry again and again, whatever
/// it stalls.
#[must_use]
pub fn disk_rate(
    streams: MegabytesPerSecond,
    throughput: MegabytesPerSecond,
    read_ahead: Ms,
    stall: Ms,
    assume: &Assumptions,
) -> PerHour {
    if streams.raw() <= 0.0 {
        return PerHour::new(0.0);
    }
    // What the disk gives of a second's sound in a second.
    let gives = throughput / streams;
    let ahead = read_ahead.raw().max(1.0);
    let stalled = assume.disk_stalls_per_hour * (-(read_ahead / stall)).exp();
    // Nothing is refilled at all: each stall uses up its share of what was read ahead.
    let used_up = if gives <= 1.0 { assume.disk_stalls_per_hour * stall.raw() / ahead } else { 0.0 };
    let dry = (1.0 - gives).max(0.0) * MS_PER_HOUR / ahead;
    PerHour::new(stalled + used_up + dry)
}

/// The same with all that is assumed of stalls.
#[must_use]
pub fn disk_dropouts(
    streams: MegabytesPerSecond,
    throughput: MegabytesPerSecond,
    read_ahead: Ms,
    assume: &Assumptions,
) -> Dropouts {
    let at = |stall| disk_rate(streams, throughput, read_ahead, stall, assume);
    let stall = assume.disk_stall_ms;
    Dropouts { low: at(stall.low()), typical: at(stall.typical()), high: at(stall.high()) }
}

const MS_PER_HOUR: f64 = 3.6e6;

/// Dropouts per hour from swapping: none while everything fits, in proportion to what does not.
#[must_use]
pub fn memory_dropouts(needed: Gigabytes, memory: Gigabytes, assume: &Assumptions) -> Dropouts {
    let short = (needed - memory).raw().max(0.0);
    let rate = PerHour::new(short * assume.swap_dropouts_per_hour_per_gb);
    let doubt = assume.swap_doubt.raw();
    Dropouts { low: rate / doubt, typical: rate, high: rate * doubt }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use swiftloop_units::{Factor, Frames, Metres, Micros, Nanos, Range};

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
            crystal_ppm: Range::exact(Factor::new(30.0)),
            hidden_in_ms: Ms::new(0.0),
            hidden_out_ms: Ms::new(0.0),
            figure_cost_doubt: Factor::new(1.3),
            measured_cost_doubt: Factor::new(1.05),
            class_speed_doubt: Factor::new(1.3),
            declared_speed_doubt: Factor::new(1.1),
            measured_speed_doubt: Factor::new(1.03),
            crowding: Range::exact(Factor::new(0.1)),
            paced_cost: Range::exact(Factor::new(1.0)),
            draft_cost: Factor::new(0.6),
            precision_32_cost: Factor::new(0.9),
            off_but_loaded_cost: Factor::new(0.1),
            timeline_us_per_kilotick: Micros::new(0.0),
            node_overhead_ns: Nanos::new(0.0),
            plain_track_per_frame_ns: Nanos::new(0.0),
            disk_stall_ms: Range::spanning(Ms::new(5.0), Ms::new(20.0), Ms::new(100.0)),
            disk_stalls_per_hour: 60.0,
            read_ahead_ms: Ms::new(500.0),
            listener_doubt: Factor::new(1.2),
            comfortable_start_ms: Ms::new(100.0),
            swap_doubt: Factor::new(5.0),
            swap_dropouts_per_hour_per_gb: 400.0,
            glass_km_per_ms: 200.0,
            detour: Range::exact(Factor::new(1.0)),
            wireless_ms: ms,
            wireless_buffer_ms: ms,
            traffic_buffer_ms: ms,
            way_share: Range::zero(),
            mixing_ms: ms,
            phrase_s: 8.0,
        }
    }

    fn disk(streams: f64, read_ahead: f64) -> Dropouts {
        let of = MegabytesPerSecond::new;
        disk_dropouts(of(streams), of(150.0), Ms::new(read_ahead), &assume())
    }

    proptest! {
        #[test]
        fn a_busier_disk_and_a_shorter_read_ahead_break_more(streams in 0.1f64..200.0, more in 0.1f64..100.0, ahead in 50.0f64..2000.0) {
            let (less, busy) = (disk(streams, ahead), disk(streams + more, ahead));
            prop_assert!(less.low <= less.typical && less.typical <= less.high);
            prop_assert!(less.typical.raw() <= busy.typical.raw() * (1.0 + 1e-12));
            // A disk that keeps up gains by reading ahead.
            prop_assert!(streams >= 150.0 || disk(streams, ahead * 2.0).typical <= less.typical);
        }

        #[test]
        fn memory_breaks_in_proportion_to_what_does_not_fit(needed in 0.0f64..64.0) {
            let d = memory_dropouts(Gigabytes::new(needed), Gigabytes::new(16.0), &assume());
            prop_assert!((d.typical.raw() - (needed - 16.0).max(0.0) * 400.0).abs() < 1e-9);
            prop_assert!(d.low <= d.typical && d.typical <= d.high);
        }
    }

    #[test]
    fn an_idle_disk_never_breaks_and_a_stall_is_exponential() {
        assert_eq!(disk(0.0, 500.0), Dropouts::NONE);
        let said = |streams| disk(streams, 100.0).typical.raw();
        assert!((said(75.0) - 60.0 * (-100.0f64 / 20.0).exp()).abs() < 1e-12);
        // Whatever the share in use.
        assert_eq!(said(1.5), said(149.0));
        // Twice as much as the disk gives: half of what was read ahead is gone after as long as all of it lasts.
        assert!((said(300.0) - 0.5 * 3.6e6 / 100.0 - 60.0 * 20.0 / 100.0).abs() < 1.0);
    }
}
