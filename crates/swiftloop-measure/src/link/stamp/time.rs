//! Times in a packet: 64 bits as NTP counts them (RFC 5905) or as PTP does (IEEE 1588, its lower 64 bits), and how good the
//! clock is (RFC 4656, 4.1.2, as RFC 8762 takes it over).

/// Seconds from 1900 (NTP's beginning) to 1970.
const NTP_TO_UNIX_S: i64 = 2_208_988_800;
const NANOS: i64 = 1_000_000_000;
/// Seconds after which the 32 bits of a timestamp begin anew.
const ERA_S: i64 = 1 << 32;

/// How a clock writes its time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TimeFormat {
    /// Seconds since 1900 and 2⁻³² seconds.
    Ntp,
    /// Seconds since 1970 and nanoseconds.
    Ptp,
}

/// A timestamp as it stands in a packet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Stamp {
    /// Whole seconds.
    pub seconds: u32,
    /// The rest, in the format's own unit.
    pub fraction: u32,
}

impl Stamp {
    /// From nanoseconds since 1970.
    #[must_use]
    pub fn from_unix_ns(ns: i64, format: TimeFormat) -> Self {
        let (seconds, rest) = (ns.div_euclid(NANOS), ns.rem_euclid(NANOS));
        match format {
            TimeFormat::Ntp => Self {
                seconds: (seconds + NTP_TO_UNIX_S).rem_euclid(ERA_S) as u32,
                // Rounded up, so that reading it gives the same nanosecond.
                fraction: (((rest as u128) << 32).div_ceil(NANOS as u128)) as u32,
            },
            TimeFormat::Ptp => Self { seconds: seconds.rem_euclid(ERA_S) as u32, fraction: rest as u32 },
        }
    }

    /// Nanoseconds since 1970, in the era of timestamps that lies around `near` (NTP's first ends in 2036).
    #[must_use]
    pub fn unix_ns(self, format: TimeFormat, near: i64) -> i64 {
        let (seconds, rest) = match format {
            TimeFormat::Ntp => (
                i64::from(self.seconds) - NTP_TO_UNIX_S,
                ((u128::from(self.fraction) * NANOS as u128) >> 32) as i64,
            ),
            TimeFormat::Ptp => (i64::from(self.seconds), i64::from(self.fraction)),
        };
        let eras = (near.div_euclid(NANOS) - seconds + ERA_S / 2).div_euclid(ERA_S);
        (seconds + eras * ERA_S).saturating_mul(NANOS).saturating_add(rest)
    }
}

/// How good a clock is, as it says itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ErrorEstimate {
    /// It follows the world's time.
    pub synchronised: bool,
    /// How it writes its time.
    pub format: TimeFormat,
    /// The error is `multiplier · 2^(scale − 32)` seconds.
    pub scale: u8,
    pub multiplier: u8,
}

impl ErrorEstimate {
    /// A clock that is good for about a millisecond, and claims nothing more.
    #[must_use]
    pub fn unsynchronised(format: TimeFormat) -> Self {
        Self { synchronised: false, format, scale: 22, multiplier: 1 }
    }

    pub(super) fn bits(self) -> u16 {
        let format = match self.format {
            TimeFormat::Ntp => 0,
            TimeFormat::Ptp => 1,
        };
        u16::from(self.synchronised) << 15
            | format << 14
            | u16::from(self.scale & 0x3f) << 8
            | u16::from(self.multiplier)
    }

    pub(super) fn read(bits: u16) -> Option<Self> {
        let multiplier = (bits & 0xff) as u8;
        let format = if bits & 0x4000 == 0 { TimeFormat::Ntp } else { TimeFormat::Ptp };
        let synchronised = bits & 0x8000 != 0;
        (multiplier > 0).then_some(Self {
            synchronised,
            format,
            scale: ((bits >> 8) & 0x3f) as u8,
            multiplier,
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_nanosecond_survives_both_formats_and_every_era(
            ns in -1_000_000_000_000_000_000i64..8_000_000_000_000_000_000, off in -60_000_000_000i64..60_000_000_000,
        ) {
            for format in [TimeFormat::Ntp, TimeFormat::Ptp] {
                prop_assert_eq!(Stamp::from_unix_ns(ns, format).unix_ns(format, ns.saturating_add(off)), ns);
            }
        }

        #[test]
        fn an_estimate_survives_its_bits(bits in any::<u16>()) {
            match ErrorEstimate::read(bits) {
                Some(read) => prop_assert_eq!(read.bits(), bits),
                None => prop_assert_eq!(bits & 0xff, 0),
            }
        }
    }

    #[test]
    fn the_first_second_of_1970_is_what_rfc_5905_says() {
        assert_eq!(Stamp::from_unix_ns(0, TimeFormat::Ntp), Stamp { seconds: 2_208_988_800, fraction: 0 });
        let half = Stamp::from_unix_ns(500_000_000, TimeFormat::Ntp);
        assert_eq!(half.fraction, 0x8000_0000);
    }
}
