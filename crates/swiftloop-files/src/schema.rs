//! JSON Schemas of the files people write, made from the very types that read them.

use swiftloop_core::{in_effect, notes, rig, session};

/// The schema of `rig.toml`.
#[must_use]
pub fn rig_schema() -> serde_json::Value {
    schemars::schema_for!(rig::Description).to_value()
}

/// The schema of `session.toml`.
#[must_use]
pub fn session_schema() -> serde_json::Value {
    schemars::schema_for!(session::Description).to_value()
}

/// The schema of `notes.toml`.
#[must_use]
pub fn notes_schema() -> serde_json::Value {
    schemars::schema_for!(notes::Description).to_value()
}

/// The schema of the settings that `plan` hands out.
#[must_use]
pub fn settings_schema() -> serde_json::Value {
    schemars::schema_for!(in_effect::Settings).to_value()
}
