//! What is said of a way over the network, as it stands in a file: floor, variation and loss of both ways, the clocks, and what
//! a receive buffer of any length does. How it comes about is told in `analyse`.

use super::late::PerHourLate;
use super::packet::Spare;
use super::receive::Following;
use serde::{Deserialize, Serialize};

/// A figure with its doubt.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FigureRange {
    /// At the least, in 19 of 20.
    pub low: f64,
    pub typical: f64,
    /// At the most, in 19 of 20.
    pub high: f64,
}

/// How times spread, in milliseconds.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TimeSpread {
    pub floor: f64,
    pub p50: f64,
    /// 9 of 10 are below.
    pub p90: f64,
    /// 99 of 100 are below.
    pub p99: f64,
    /// 999 of 1000 are below.
    pub p999: f64,
    pub max: f64,
}

/// What a receive buffer of one length does to what comes one way.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BySpare {
    pub none: PerHourLate,
    /// With a packet of parity behind four.
    pub parity: PerHourLate,
    pub twice: PerHourLate,
}

impl BySpare {
    /// With these spare packets.
    #[must_use]
    pub fn with(&self, spare: Spare) -> PerHourLate {
        match spare {
            Spare::None => self.none,
            Spare::Parity => self.parity,
            Spare::Twice => self.twice,
        }
    }
}

/// What a receive buffer of one length does.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BufferRow {
    pub ms: f64,
    /// The worse of both ways, each packet once.
    pub late_per_hour: PerHourLate,
    pub forth: BySpare,
    pub back: BySpare,
}

/// What each packet was measured to carry.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Carried {
    /// One every so many milliseconds.
    pub every_ms: f64,
    /// Bytes behind the head of UDP.
    pub bytes: u32,
    /// Line rate one way, heads and gaps included.
    pub line_kbit_s: f64,
    /// Over IP version 6.
    #[serde(default)]
    pub v6: bool,
}

/// What our own side adds, measured within this computer first.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Own {
    /// The kernel noted when packets went and came; else the program did.
    pub kernel_stamps: bool,
    /// Sent by a thread that goes ahead of all others.
    pub real_time: bool,
    /// Round trips within this computer.
    pub round_trip_ms: TimeSpread,
}

/// A stretch of the measurement.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LineStretch {
    /// It begins so many seconds after the first packet.
    pub from_s: f64,
    /// The quickest round trip.
    pub floor_ms: f64,
    /// How much later than the quickest of all 99 of 100 packets are at the most, on the worse of both ways.
    pub p99_ms: f64,
    /// Packets that never came back.
    pub lost: u64,
}

/// A point of the course of delay.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CoursePoint {
    /// Seconds after the first packet.
    pub at_s: f64,
    /// The latest packet there.
    pub forth_ms: f64,
    /// The latest packet back.
    pub back_ms: f64,
    /// Packets that never came back.
    pub lost: u64,
}

/// What other traffic of ours did.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TrafficEffect {
    /// So much was sent beside, one way.
    pub kbit_s: f64,
    /// How late packets were without it.
    pub quiet_ms: TimeSpread,
    pub loaded_ms: TimeSpread,
    /// Share of packets lost with it.
    pub loss: FigureRange,
}

#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct BothWays<T> {
    pub forth: T,
    pub back: T,
}

/// What is said of a way.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Measured {
    /// Always `swiftloop.link-measure/1`.
    pub format: String,
    /// With whom, as it was named.
    #[serde(default)]
    pub host: String,
    /// The day, as year-month-day.
    #[serde(default)]
    pub date: String,
    /// It was broken off; this is what there was.
    #[serde(default)]
    pub interrupted: bool,
    /// What each packet carried.
    pub packet: Carried,
    /// With what it was measured.
    pub with: Own,
    pub sent: u64,
    pub received: u64,
    pub seconds: f64,
    /// Share of packets that never came back.
    pub loss: FigureRange,
    /// The same by way, where that can be told.
    pub loss_by_way: Option<BothWays<FigureRange>>,
    /// How many were lost in a row, and how often.
    pub loss_runs: Vec<(u64, u64)>,
    /// There and back, without the time within the reflector.
    pub round_trip_ms: TimeSpread,
    /// How much later than the quickest, each way.
    pub variation_ms: BothWays<TimeSpread>,
    /// Answers that were overtaken.
    pub reordered: u64,
    /// Answers that came twice.
    pub duplicates: u64,
    /// Answers that were none.
    pub strays: u64,
    /// How much faster their clock runs than ours.
    pub clock_ppm: FigureRange,
    /// How often a clock was set meanwhile.
    pub clock_steps: u64,
    /// How often this computer slept meanwhile.
    pub pauses: u64,
    /// Packets are cut into pieces on the way: no more bytes, with the head of IP, go in one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cut_at_bytes: Option<u32>,
    /// The line carries the stream: delay does not grow, and hardly anything is lost.
    pub carries_it: bool,
    /// Other traffic, where some was sent.
    pub with_load: Option<TrafficEffect>,
    /// Minute by minute, or less.
    pub stretches: Vec<LineStretch>,
    /// The course of delay.
    pub course: Vec<CoursePoint>,
    /// What each length of the receive buffer does.
    pub receive_buffer: Vec<BufferRow>,
    /// The same with other traffic.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub receive_buffer_with_load: Vec<BufferRow>,
    /// For how many independent events one late packet counts, at the worse of both sides.
    pub crowd: f64,
    /// What a buffer that follows does, at the worse of both sides.
    pub following: Vec<Following>,
    /// Packets an hour that were allowed to be late or lost.
    pub allowed_per_hour: f64,
    /// The receive buffer to set; none where no length keeps to what is allowed.
    pub recommended_ms: Option<f64>,
    /// Whether that is sure (in 19 of 20), or only to be expected.
    pub recommended_is_sure: bool,
}

/// The word in `format`.
pub const FORMAT: &str = "swiftloop.link-measure/1";

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Towards {
    /// From us to them.
    Them,
    /// From them to us.
    Us,
}

impl Measured {
    /// Packets an hour that are late or lost with a receive buffer of a length, on one way: between two lengths that were looked
    /// at by their logarithms. With other traffic where that was measured and is wanted.
    #[must_use]
    pub fn late(&self, towards: Towards, spare: Spare, buffer_ms: f64, loaded: bool) -> PerHourLate {
        let rows = self.rows(loaded);
        let of = |row: &BufferRow| match towards {
            Towards::Them => row.forth.with(spare),
            Towards::Us => row.back.with(spare),
        };
        let above = rows.partition_point(|r| r.ms < buffer_ms);
        match (above.checked_sub(1).and_then(|k| rows.get(k)), rows.get(above)) {
            (_, Some(next)) if next.ms <= buffer_ms => of(next),
            (Some(below), Some(next)) => {
                let share = (buffer_ms - below.ms) / (next.ms - below.ms);
                of(below).with(of(next), |a, b| {
                    if a > 0.0 && b > 0.0 { a * (b / a).powf(share) } else { a + (b - a) * share }
                })
            }
            (Some(last), None) => of(last),
            (None, Some(first)) => of(first),
            (None, None) => PerHourLate::default(),
        }
    }

    /// What each length of the buffer does, with other traffic where that was measured and is wanted.
    #[must_use]
    pub fn rows(&self, loaded: bool) -> &[BufferRow] {
        if loaded && !self.receive_buffer_with_load.is_empty() {
            &self.receive_buffer_with_load
        } else {
            &self.receive_buffer
        }
    }

    #[must_use]
    pub fn per_second(&self) -> f64 {
        1000.0 / self.packet.every_ms
    }

    /// What is wrong with it, if a file says what cannot be.
    #[must_use]
    pub fn fault(&self) -> Option<&'static str> {
        let figures = [self.round_trip_ms.floor, self.seconds, self.crowd, self.packet.line_kbit_s];
        let rows = self.receive_buffer.iter().chain(&self.receive_buffer_with_load);
        let sound = |r: &BufferRow| {
            [r.forth, r.back].iter().all(|s| Spare::ALL.iter().all(|k| s.with(*k).is_sound())) && r.ms >= 0.0
        };
        let rising = |rows: &[BufferRow]| rows.windows(2).all(|w| w[0].ms < w[1].ms);
        if self.format != FORMAT {
            Some("its format is not that of a measured way")
        } else if !figures.iter().all(|f| f.is_finite() && (0.0..1e9).contains(f)) {
            Some("a time, or what the line carries, is below zero or without end")
        } else if !(0.05..=1000.0).contains(&self.packet.every_ms) {
            Some("packets come from every 0.05 to every 1000 ms")
        } else if self.receive_buffer.is_empty() {
            Some("it says of no receive buffer what it does")
        } else if !rows.clone().all(sound)
            || !rising(&self.receive_buffer)
            || !rising(&self.receive_buffer_with_load)
        {
            Some("what it says of receive buffers cannot be true")
        } else {
            None
        }
    }
}
