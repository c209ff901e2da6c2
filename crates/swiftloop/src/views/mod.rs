//! What people and programs see. A view takes what the core computed and returns text; it computes nothing.

pub mod fileless;
pub mod json;
pub mod legs;
pub mod listen;
pub mod picture;
pub mod plan;
pub mod probe;
pub mod probe_fit;
pub mod soak;
pub mod soak_meter;
pub mod survey;
pub mod svg;
pub mod timeline;
pub mod trial;
pub mod two_plans;
pub mod words;

use anstyle::{AnsiColor, Style};
use comfy_table::{ContentArrangement, LineStyle, Table, TableStyle};

/// Width of the output: the terminal's, or `COLUMNS`, or 100; between 60 and 160.
pub fn width() -> usize {
    let terminal = terminal_size::terminal_size().map(|(w, _)| usize::from(w.0));
    let asked = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok());
    terminal.or(asked).unwrap_or(100).clamp(60, 160)
}

/// The answer, and headings.
pub const STRONG: Style = Style::new().bold();
/// What is less important.
pub const FAINT: Style = Style::new().dimmed();
/// Good; always beside a word that says so.
pub const GOOD: Style = AnsiColor::Green.on_default();
/// Doubtful; always beside a word that says so.
pub const UNSURE: Style = AnsiColor::Yellow.on_default();
/// Bad; always beside a word that says so.
pub const BAD: Style = AnsiColor::Red.on_default().bold();

/// `text` in a style.
pub fn styled(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{style:#}")
}

/// A heading with a rule under it.
pub fn heading(text: &str) -> String {
    let rule = "─".repeat(textwrap::core::display_width(text).min(width()));
    format!("{}\n{}\n", styled(STRONG, text), styled(FAINT, rule))
}

/// Text wrapped to the width, with a lead on the first line and as much space on the others.
pub fn wrapped(lead: &str, text: &str) -> String {
    let hang = " ".repeat(textwrap::core::display_width(lead));
    let options = textwrap::Options::new(width()).initial_indent(lead).subsequent_indent(&hang);
    format!("{}\n", textwrap::fill(text, options))
}

/// A table without frames: a heading row with a rule, columns two spaces apart.
pub fn table(columns: &[&str]) -> Table {
    let mut table = Table::new();
    let rule = LineStyle::none().fill('─').junction(' ');
    table
        .load_style(TableStyle::new().header_separator(rule))
        .set_content_arrangement(ContentArrangement::Dynamic)
        .set_width(u16::try_from(width()).unwrap_or(100));
    table.set_header(columns.iter().copied());
    table
}

/// Right-aligns columns of figures.
pub fn right(table: &mut Table, columns: &[usize]) {
    for &c in columns {
        if let Some(column) = table.column_mut(c) {
            column.set_cell_alignment(comfy_table::CellAlignment::Right);
        }
    }
}

/// The table as text, without spaces at the ends of lines.
pub fn lines(table: &Table) -> String {
    table.lines().map(|l| format!("{}\n", l.trim_end())).collect()
}
