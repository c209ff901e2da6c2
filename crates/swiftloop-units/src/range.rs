//! Low, typical, high: a figure with its doubt; and the origin that says how much to trust it.

use super::Quantity;
use serde::de::{Error, SeqAccess, Visitor};
use serde::{Deserialize, Deserializer, Serialize};
use std::borrow::Cow;
use std::fmt;
use std::marker::PhantomData;

/// Where a figure came from, from the most to the least trustworthy.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Origin {
    /// Measured on this rig.
    Measured,
    /// Written by the user, from a data sheet or a panel.
    Declared,
    /// Claimed by the driver at run time.
    Reported,
    /// From Swift Loop's own tables: true for the kind, not known for this one.
    Assumed,
}

impl Origin {
    /// The word used in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Measured => "measured",
            Self::Declared => "declared",
            Self::Reported => "reported",
            Self::Assumed => "assumed",
        }
    }
}

/// A quantity with its doubt. Invariant: `low ≤ typical ≤ high`, none of them NaN.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Range<T> {
    low: T,
    typical: T,
    high: T,
}

impl<T: Quantity> Range<T> {
    /// A range, or nothing when the three are out of order or not comparable.
    pub fn new(low: T, typical: T, high: T) -> Option<Self> {
        (low <= typical && typical <= high).then_some(Self { low, typical, high })
    }

    /// A range from three numbers in any order: the middle one is the typical.
    #[must_use]
    pub fn spanning(a: T, b: T, c: T) -> Self {
        let mut all = [a, b, c];
        all.sort_by(|x, y| x.raw().total_cmp(&y.raw()));
        Self { low: all[0], typical: all[1], high: all[2] }
    }

    /// A figure without doubt.
    pub fn exact(value: T) -> Self {
        Self { low: value, typical: value, high: value }
    }

    pub fn zero() -> Self {
        Self::exact(T::of(0.0))
    }

    /// The least it can be.
    pub fn low(self) -> T {
        self.low
    }

    pub fn typical(self) -> T {
        self.typical
    }

    /// The most it can be.
    pub fn high(self) -> T {
        self.high
    }

    /// `high − low`.
    pub fn spread(self) -> T {
        T::of(self.high.raw() - self.low.raw())
    }

    /// The range under a function that never falls (a change of unit, a scale).
    #[must_use]
    pub fn map<U: Quantity>(self, rising: impl Fn(T) -> U) -> Range<U> {
        Range::spanning(rising(self.low), rising(self.typical), rising(self.high))
    }

    /// No bound below `least`.
    #[must_use]
    pub fn at_least(self, least: T) -> Self {
        self.map(|t| if t < least { least } else { t })
    }

    /// Each bound times `factor`, which must not be negative.
    #[must_use]
    pub fn times(self, factor: f64) -> Self {
        self.map(|t| T::of(t.raw() * factor))
    }

    /// The sum, bound by bound: doubts add up, since legs of one loop may well err in the same direction.
    #[must_use]
    pub fn plus(self, other: Self) -> Self {
        let add = |a: T, b: T| T::of(a.raw() + b.raw());
        Self {
            low: add(self.low, other.low),
            typical: add(self.typical, other.typical),
            high: add(self.high, other.high),
        }
    }
}

/// A range and where it came from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Figure<T> {
    /// The figure with its doubt.
    pub range: Range<T>,
    pub origin: Origin,
}

impl<T: Quantity> Figure<T> {
    /// What the user wrote, or else what the tables assume.
    pub fn declared_or(declared: Option<Range<T>>, assumed: Range<T>) -> Self {
        match declared {
            Some(range) => Self { range, origin: Origin::Declared },
            None => Self { range: assumed, origin: Origin::Assumed },
        }
    }
}

impl<'de, T: Quantity + Deserialize<'de>> Deserialize<'de> for Range<T> {
    /// A single number (no doubt) or a list `[low, typical, high]`.
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct RangeVisitor<T>(PhantomData<T>);
        impl<'de, T: Quantity + Deserialize<'de>> Visitor<'de> for RangeVisitor<T> {
            type Value = Range<T>;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("one number, or three in rising order: [low, typical, high]")
            }

            fn visit_f64<E: Error>(self, v: f64) -> Result<Self::Value, E> {
                T::deserialize(serde::de::value::F64Deserializer::new(v)).map(Range::exact)
            }

            fn visit_i64<E: Error>(self, v: i64) -> Result<Self::Value, E> {
                T::deserialize(serde::de::value::I64Deserializer::new(v)).map(Range::exact)
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<Self::Value, A::Error> {
                let wrong =
                    || A::Error::custom("expected three numbers in rising order: [low, typical, high]");
                let mut next = || seq.next_element::<T>()?.ok_or_else(wrong);
                let (low, typical, high) = (next()?, next()?, next()?);
                if seq.next_element::<T>()?.is_some() {
                    return Err(wrong());
                }
                Range::new(low, typical, high).ok_or_else(wrong)
            }
        }
        from.deserialize_any(RangeVisitor(PhantomData))
    }
}

impl<T: schemars::JsonSchema> schemars::JsonSchema for Range<T> {
    fn schema_name() -> Cow<'static, str> {
        format!("RangeOf{}", T::schema_name()).into()
    }
    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let item = generator.subschema_for::<T>();
        schemars::json_schema!({
            "description": "one number, or [low, typical, high]",
            "anyOf": [item, { "type": "array", "items": item, "minItems": 3, "maxItems": 3 }]
        })
    }
}
