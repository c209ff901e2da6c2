//! Settings as a file that can be mailed: comments at its head say what it is and what to do with it.

use crate::FileError;
use std::path::Path;
use swiftloop_core::in_effect::Settings;

/// The text of a file of settings.
///
/// # Errors
/// [`FileError::Misfit`] where a figure has no form in TOML; there should be no such.
pub fn settings_text(path: &Path, settings: &Settings) -> Result<String, FileError> {
    let body = toml::to_string(settings).map_err(|e| FileError::Misfit {
        path: path.into(),
        what: format!("the settings cannot be written as TOML: {e}"),
        help: "report this, with the rig and the session".into(),
    })?;
    let phase = settings.phases.first().map_or("PHASE", |d| d.phase.as_str());
    let head = "# What this computer must be set to, phase by phase; the plan made it.";
    Ok(format!(
        "{head}\n# Is it so?  swiftloop check {} --phase {phase}\n{body}",
        path.file_name().map_or("settings.toml".into(), |n| n.to_string_lossy())
    ))
}
