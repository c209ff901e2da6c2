//! Settings as a file that can be mailed: comments at its head say what it is and what to do with it, figures have the few digits
//! that mean something, and what belongs together stands in a line.

use crate::{FileError, FileReason};
use std::path::Path;
use swiftloop_core::in_effect::Settings;
use toml_edit::{Array, DocumentMut, Formatted, Item, Table, Value};

/// Digits that mean something.
const DIGITS: i32 = 4;

/// The text of a file of settings.
///
/// # Errors
/// [`FileError::Misfit`] where a figure has no form in TOML; there should be no such.
pub fn settings_text(path: &Path, settings: &Settings) -> Result<String, FileError> {
    let misfit = |why: String| FileError::Misfit {
        path: path.into(),
        reason: FileReason::said(
            format!("the settings cannot be written as TOML: {why}"),
            "report this, with the rig and the session",
        ),
    };
    let text = toml::to_string(settings).map_err(|e| misfit(e.to_string()))?;
    let mut document: DocumentMut = text.parse().map_err(|e: toml_edit::TomlError| misfit(e.to_string()))?;
    shorten(document.as_table_mut(), 0);
    let phase = settings.phases.first().map_or("PHASE", |d| d.phase.as_str());
    let name = path.file_name().map_or("settings.toml".into(), |n| n.to_string_lossy());
    // A comment is one line, whatever stands in names.
    let (phase, name) = (phase.replace(char::is_control, " "), name.replace(char::is_control, " "));
    Ok(format!(
        "# What this computer must be set to, phase by phase; the plan made it.\n\
         # Is it so?  swiftloop check {name} --phase {phase}\n{document}"
    ))
}

/// Lists of tables within a phase become lists of lines, and figures short.
fn shorten(table: &mut Table, depth: u32) {
    for (_, item) in table.iter_mut() {
        if let (2.., Item::ArrayOfTables(tables)) = (depth, &*item) {
            let list: Array =
                tables.iter().map(|t| Value::InlineTable(t.clone().into_inline_table())).collect();
            *item = Item::Value(Value::Array(list));
        }
        match item {
            Item::Table(inner) => shorten(inner, depth + 1),
            Item::ArrayOfTables(all) => all.iter_mut().for_each(|t| shorten(t, depth + 2)),
            Item::Value(value) => round(value),
            Item::None => {}
        }
    }
}

fn round(value: &mut Value) {
    match value {
        Value::Float(figure) => *figure = Formatted::new(short(*figure.value())),
        Value::Array(list) => list.iter_mut().for_each(round),
        Value::InlineTable(table) => table.iter_mut().for_each(|(_, value)| round(value)),
        Value::String(_) | Value::Integer(_) | Value::Boolean(_) | Value::Datetime(_) => {}
    }
}

/// A figure with few digits.
fn short(x: f64) -> f64 {
    if x == 0.0 || !x.is_finite() {
        return x;
    }
    // Through text, so that what is written is as short as it can be.
    format!("{x:.*e}", (DIGITS - 1) as usize).parse().unwrap_or(x)
}

#[cfg(test)]
mod tests {
    use super::short;

    #[test]
    fn figures_keep_the_digits_that_mean_something() {
        for (x, y) in [
            (0.000_176_457_2, 0.000_176_5),
            (9.201_583_9, 9.202),
            (87_019.05, 87_020.0),
            (0.0, 0.0),
            (-2.5, -2.5),
        ] {
            assert!((short(x) - y).abs() <= y.abs() * 1e-12, "{x}");
        }
    }
}
