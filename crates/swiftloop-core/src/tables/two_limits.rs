//! A limit of delay in two figures: where it begins to be noticed, and where playing in time fails.

use serde::de::{Error, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use std::borrow::Cow;
use std::fmt;
use swiftloop_units::{Ms, Quantity};

/// Two delays, the first no longer than the second; one where no difference is made.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct TwoLimits {
    noticed: Ms,
    fails: Ms,
}

impl TwoLimits {
    /// Both; nothing when they are in the wrong order, or not above zero.
    #[must_use]
    pub fn new(noticed: Ms, fails: Ms) -> Option<Self> {
        (noticed.raw() > 0.0 && noticed <= fails).then_some(Self { noticed, fails })
    }

    /// Up to here nothing is noticed.
    #[must_use]
    pub fn noticed(self) -> Ms {
        self.noticed
    }

    /// Up to here one can play in time.
    #[must_use]
    pub fn fails(self) -> Ms {
        self.fails
    }
}

impl<'de> Deserialize<'de> for TwoLimits {
    /// One number, or a list of two.
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Limits;
        fn both<E: Error>(noticed: f64, fails: f64) -> Result<TwoLimits, E> {
            if !(noticed > 0.0 && fails.is_finite()) {
                return Err(E::custom("a limit is above zero, expected milliseconds, such as 8"));
            }
            let wrong = || {
                E::custom(
                    "the first of two limits is the smaller one, expected [noticed, too late], such as [6, 12]",
                )
            };
            TwoLimits::new(Ms::of(noticed), Ms::of(fails)).ok_or_else(wrong)
        }
        impl<'de> Visitor<'de> for Limits {
            type Value = TwoLimits;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("milliseconds, such as 8, or two: [noticed, too late], such as [6, 12]")
            }

            fn visit_f64<E: Error>(self, v: f64) -> Result<TwoLimits, E> {
                both(v, v)
            }

            fn visit_i64<E: Error>(self, v: i64) -> Result<TwoLimits, E> {
                both(v as f64, v as f64)
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<TwoLimits, A::Error> {
                let wrong = || {
                    A::Error::custom(
                        "a limit has one figure or two, expected [noticed, too late], such as [6, 12]",
                    )
                };
                let noticed: f64 = seq.next_element()?.ok_or_else(wrong)?;
                let fails: f64 = seq.next_element()?.ok_or_else(wrong)?;
                if seq.next_element::<f64>()?.is_some() {
                    return Err(wrong());
                }
                both(noticed, fails)
            }
        }
        from.deserialize_any(Limits)
    }
}

impl schemars::JsonSchema for TwoLimits {
    fn schema_name() -> Cow<'static, str> {
        "TwoLimits".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({
            "description": "milliseconds, or two: where delay begins to be noticed, and where playing in time fails",
            "anyOf": [
                { "type": "number", "exclusiveMinimum": 0 },
                { "type": "array", "items": { "type": "number", "exclusiveMinimum": 0 }, "minItems": 2, "maxItems": 2 }
            ]
        })
    }
}
