//! What a sample of a WAV file is.

/// How samples are stored.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// 16-bit integers.
    Int16,
    /// 24-bit integers.
    Int24,
    /// 32-bit integers.
    Int32,
    /// 32-bit floats.
    Float32,
}

impl Depth {
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Int16 => "16 bit",
            Self::Int24 => "24 bit",
            Self::Int32 => "32 bit",
            Self::Float32 => "32 bit float",
        }
    }

    /// The smallest step between two values; of floats, what 24 bits leave of it.
    #[must_use]
    pub fn step(self) -> f32 {
        match self {
            Self::Int16 => 1.0 / 32_768.0,
            Self::Int24 | Self::Int32 | Self::Float32 => 1.0 / 8_388_608.0,
        }
    }

    pub(super) fn bytes(self) -> usize {
        match self {
            Self::Int16 => 2,
            Self::Int24 => 3,
            Self::Int32 | Self::Float32 => 4,
        }
    }
}
