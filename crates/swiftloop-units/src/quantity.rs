//! The unit types. Each wraps one number, knows its unit's name and an example, and refuses to be read from
//! a file with the wrong sign, as NaN, as infinity, or as text; the refusal names the unit.

use serde::de::{Error, Unexpected, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use std::borrow::Cow;
use std::fmt;

/// A quantity that is one real number inside.
pub trait Quantity: Copy + PartialOrd {
    /// The bare number in the quantity's unit.
    fn raw(self) -> f64;
    /// The quantity from a bare number in its unit.
    fn of(raw: f64) -> Self;
}

macro_rules! real {
    ($(#[$doc:meta])* $name:ident, $what:literal, $min:literal ..= $max:literal) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default, Serialize)]
        pub struct $name(f64);

        impl $name {
            /// From a bare number in this unit. A computed figure may leave the limits of one that is read from a file
            /// (a difference may be below zero, a rate infinite), but is never "not a number".
            #[must_use]
            pub const fn new(raw: f64) -> Self {
                debug_assert!(!raw.is_nan(), "not a number");
                Self(raw)
            }

            /// The bare number in this unit.
            #[must_use]
            pub const fn raw(self) -> f64 {
                self.0
            }

            /// The larger of the two.
            #[must_use]
            pub fn max(self, other: Self) -> Self {
                Self(self.0.max(other.0))
            }

            /// The smaller of the two.
            #[must_use]
            pub fn min(self, other: Self) -> Self {
                Self(self.0.min(other.0))
            }
        }

        impl Quantity for $name {
            fn raw(self) -> f64 {
                self.0
            }
            fn of(raw: f64) -> Self {
                Self::new(raw)
            }
        }

        impl std::ops::Add for $name {
            type Output = Self;
            fn add(self, other: Self) -> Self {
                Self(self.0 + other.0)
            }
        }

        impl std::ops::Sub for $name {
            type Output = Self;
            fn sub(self, other: Self) -> Self {
                Self(self.0 - other.0)
            }
        }

        impl std::ops::Mul<f64> for $name {
            type Output = Self;
            fn mul(self, factor: f64) -> Self {
                Self(self.0 * factor)
            }
        }

        impl std::ops::Div<f64> for $name {
            type Output = Self;
            fn div(self, by: f64) -> Self {
                Self(self.0 / by)
            }
        }

        /// How many times the other this is.
        impl std::ops::Div for $name {
            type Output = f64;
            fn div(self, by: Self) -> f64 {
                self.0 / by.0
            }
        }

        impl std::ops::AddAssign for $name {
            fn add_assign(&mut self, other: Self) {
                self.0 += other.0;
            }
        }

        impl std::ops::SubAssign for $name {
            fn sub_assign(&mut self, other: Self) {
                self.0 -= other.0;
            }
        }

        impl std::iter::Sum for $name {
            fn sum<I: Iterator<Item = Self>>(all: I) -> Self {
                Self(all.map(|q| q.0).sum())
            }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
                from.deserialize_any(RealVisitor { what: $what, min: $min, max: $max }).map(Self)
            }
        }

        impl schemars::JsonSchema for $name {
            fn schema_name() -> Cow<'static, str> {
                stringify!($name).into()
            }
            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                schemars::json_schema!({ "type": "number", "description": $what, "minimum": $min, "maximum": $max })
            }
        }
    };
}

macro_rules! whole {
    ($(#[$doc:meta])* $name:ident, $what:literal, $min:literal ..= $max:literal) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
        pub struct $name(u32);

        impl $name {
            /// From a bare number in this unit, held within the unit's limits: nothing is divided by a rate of zero.
            #[must_use]
            pub const fn new(raw: u32) -> Self {
                if raw < $min { Self($min) } else if raw > $max { Self($max) } else { Self(raw) }
            }

            /// The bare number in this unit.
            #[must_use]
            pub const fn get(self) -> u32 {
                self.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl std::str::FromStr for $name {
            type Err = String;
            /// Reads a plain whole number within the unit's limits.
            fn from_str(text: &str) -> Result<Self, String> {
                match text.trim().parse::<u32>() {
                    Ok(n) if ($min..=$max).contains(&n) => Ok(Self(n)),
                    _ => Err(format!("expected {}, from {} to {}", $what, $min, $max)),
                }
            }
        }

        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
                from.deserialize_any(WholeVisitor { what: $what, min: $min, max: $max }).map(Self)
            }
        }

        impl schemars::JsonSchema for $name {
            fn schema_name() -> Cow<'static, str> {
                stringify!($name).into()
            }
            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                schemars::json_schema!({ "type": "integer", "description": $what, "minimum": $min, "maximum": $max })
            }
        }
    };
}

real!(/// A number of frames, possibly with a fraction.
    Frames, "a number of frames, such as 64", 0.0 ..= 10_000_000.0);
real!(/// Milliseconds.
    Ms, "a time in milliseconds, such as 5.5", 0.0 ..= 1_000_000.0);
real!(/// Microseconds.
    Micros, "a time in microseconds, such as 120", 0.0 ..= 1e9);
real!(/// Nanoseconds of work on the reference core.
    Nanos, "a time in nanoseconds, such as 900", 0.0 ..= 10_000_000.0);
real!(/// Seconds.
    Seconds, "a time in seconds, such as 2.5", 0.0 ..= 1e9);
real!(/// Events per hour: dropouts, misses.
    PerHour, "a rate per hour, such as 0.2", 0.0 ..= 1e12);
real!(/// Metres.
    Metres, "a distance in metres, such as 1.5", 0.0 ..= 1000.0);
real!(/// Kilometres.
    Kilometres, "a distance in kilometres, such as 410", 0.0 ..= 40_000.0);
real!(/// Kilobits (10³ bits) per second.
    KilobitsPerSecond, "a line rate in kilobits per second, such as 10000", 1.0 ..= 1e9);
real!(/// A share of a whole, from 0 to 1.
    Share, "a share from 0 to 1, such as 0.15", 0.0 ..= 1.0);
real!(/// A number of blocks that a driver holds, possibly with a fraction.
    Blocks, "a number of blocks, such as 2", 0.0 ..= 64.0);
real!(/// A bare factor: a speed relative to the reference core, a shape, a variation.
    Factor, "a plain factor, such as 1.2", -10.0 ..= 1000.0);
real!(/// Gigabytes (10⁹ bytes).
    Gigabytes, "a size in gigabytes, such as 16", 0.0 ..= 1e6);
real!(/// Megabytes (10⁶ bytes) per second.
    MegabytesPerSecond, "a throughput in megabytes per second, such as 450", 0.001 ..= 1e6);
real!(/// Decibels: a ratio of amplitudes, 20·log₁₀.
    Decibels, "a ratio in decibels, such as -12", -400.0 ..= 400.0);
real!(/// Parts per million: how much faster one clock runs than another.
    Ppm, "parts per million, such as 20", -1e6 ..= 1e6);
whole!(/// A sample rate in hertz.
    Hz, "a sample rate in hertz, such as 48000", 8000 ..= 768_000);
whole!(/// A block (buffer) size in frames.
    Block, "a block size in frames, such as 128", 1 ..= 65_536);

struct RealVisitor {
    what: &'static str,
    min: f64,
    max: f64,
}

impl Visitor<'_> for RealVisitor {
    type Value = f64;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} (a plain number from {} to {}, the unit is in the key)", self.what, self.min, self.max)
    }

    fn visit_f64<E: Error>(self, v: f64) -> Result<f64, E> {
        if v.is_finite() && v >= self.min && v <= self.max {
            Ok(v)
        } else {
            Err(E::invalid_value(Unexpected::Other(&format!("`{v}`")), &self))
        }
    }

    fn visit_i64<E: Error>(self, v: i64) -> Result<f64, E> {
        self.visit_f64(v as f64)
    }

    fn visit_u64<E: Error>(self, v: u64) -> Result<f64, E> {
        self.visit_f64(v as f64)
    }
}

struct WholeVisitor {
    what: &'static str,
    min: u32,
    max: u32,
}

impl Visitor<'_> for WholeVisitor {
    type Value = u32;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} (a whole number from {} to {}, the unit is in the key)", self.what, self.min, self.max)
    }

    fn visit_i64<E: Error>(self, v: i64) -> Result<u32, E> {
        match u32::try_from(v) {
            Ok(n) if n >= self.min && n <= self.max => Ok(n),
            _ => Err(E::invalid_value(Unexpected::Other(&format!("`{v}`")), &self)),
        }
    }

    fn visit_u64<E: Error>(self, v: u64) -> Result<u32, E> {
        self.visit_i64(i64::try_from(v).unwrap_or(i64::MAX))
    }
}
