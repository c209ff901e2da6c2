//! Options of `schema`.

use clap::ValueEnum;

/// Files with a schema.
#[derive(Clone, Copy, ValueEnum)]
pub enum SchemaOf {
    /// rig.toml
    Rig,
    /// session.toml
    Session,
    /// notes.toml
    Notes,
    /// settings.toml, as plan hands it out
    Settings,
}
