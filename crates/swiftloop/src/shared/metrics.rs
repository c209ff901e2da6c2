//! OpenMetrics text, for the monitoring system that is there already.

use std::fmt::Write;

/// What a family of figures is.
pub fn family(text: &mut String, name: &str, help: &str) {
    let _ = writeln!(text, "# TYPE {name} gauge\n# HELP {name} {help}");
}

/// A label's value: quotes, strokes and line ends as the standard escapes them.
pub fn label(value: &str) -> String {
    crate::shared::page::clean(value).replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n")
}
