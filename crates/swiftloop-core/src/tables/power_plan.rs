//! The power plans that tables and rigs tell apart.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Power plan of the operating system.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum PowerPlan {
    /// Clocks high, idle shallow.
    Performance,
    /// As the system comes.
    #[default]
    Balanced,
    /// Battery first.
    Saving,
}

impl PowerPlan {
    /// The plan that a clock governor of Linux amounts to, where it is plain: only `performance` is.
    #[must_use]
    pub fn of_governor(word: &str) -> Option<Self> {
        (word == "performance").then_some(Self::Performance)
    }

    /// The word used in files and tables.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Performance => "performance",
            Self::Balanced => "balanced",
            Self::Saving => "saving",
        }
    }
}
