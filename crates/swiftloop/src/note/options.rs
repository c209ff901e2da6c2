//! Options of `note`.

use crate::shared::options::{Seen, Shown};
use clap::Args;

/// `note`
#[derive(Args)]
pub struct NoteOptions {
    /// What was seen.
    #[command(flatten)]
    pub seen: Seen,
    /// How much, and for whom.
    #[command(flatten)]
    pub shown: Shown,
}
