//! Tables: a heading row with a rule, columns two spaces apart. Cells are never broken, except those of a column of prose;
//! where a table is wider than the page each row becomes a few lines of its own instead.

use super::{Style, TIED, options, paint, styled, tied, width, wrapped_to};
use comfy_table::{CellAlignment, ContentArrangement, LineStyle, Table, TableStyle};
use textwrap::core::display_width;

#[derive(Debug, Clone, Copy)]
pub struct Head {
    title: &'static str,
    kind: ColumnKind,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ColumnKind {
    /// Words, at the left.
    Words,
    /// Figures, at the right.
    Figures,
    /// Sentences that may be broken between words.
    Prose,
    /// A bar or a mark, left out when rows are stacked.
    Picture,
}

impl Head {
    /// A column of words.
    pub const fn words(title: &'static str) -> Self {
        Self { title, kind: ColumnKind::Words }
    }
    /// A column of figures.
    pub const fn figures(title: &'static str) -> Self {
        Self { title, kind: ColumnKind::Figures }
    }
    /// A column of sentences.
    pub const fn prose(title: &'static str) -> Self {
        Self { title, kind: ColumnKind::Prose }
    }
    /// A column of bars or marks.
    pub const fn picture(title: &'static str) -> Self {
        Self { title, kind: ColumnKind::Picture }
    }
}

/// A table in the making.
pub struct Columns {
    heads: Vec<Head>,
    rows: Vec<Vec<String>>,
    indent: usize,
}

/// Spaces between two columns.
const GAP: usize = 2;
/// A column of prose is not made narrower.
const NARROWEST: usize = 22;

impl Columns {
    /// With these columns; the first one names the row.
    pub fn new(heads: &[Head]) -> Self {
        Self { heads: heads.to_vec(), rows: Vec::new(), indent: 1 }
    }

    pub fn row<const N: usize>(&mut self, cells: [String; N]) {
        self.rows.push(cells.to_vec());
    }

    /// Adds a row of any length.
    pub fn push(&mut self, cells: Vec<String>) {
        self.rows.push(cells);
    }

    /// The table as text, for the page's width.
    pub fn show(&self) -> String {
        self.show_in(width())
    }

    fn natural(&self, column: usize) -> usize {
        let cells = self.rows.iter().filter_map(|r| r.get(column)).map(|c| display_width(c));
        cells.chain([display_width(self.heads[column].title)]).max().unwrap_or(0)
    }

    fn show_in(&self, page: usize) -> String {
        let mut widths: Vec<usize> = (0..self.heads.len()).map(|c| self.natural(c)).collect();
        let all = |w: &[usize]| self.indent + w.iter().sum::<usize>() + GAP * w.len().saturating_sub(1);
        let too_wide = all(&widths).saturating_sub(page);
        if too_wide > 0 {
            // Prose gives way first, the widest column of it first.
            let mut left = too_wide;
            let mut prose: Vec<usize> =
                (0..widths.len()).filter(|&c| self.heads[c].kind == ColumnKind::Prose).collect();
            prose.sort_by_key(|&c| std::cmp::Reverse(widths[c]));
            for c in prose {
                let less =
                    widths[c].saturating_sub(NARROWEST.max(display_width(self.heads[c].title))).min(left);
                widths[c] -= less;
                left -= less;
            }
            if left > 0 || !self.fits(&widths) {
                return self.stacked(page);
            }
        }
        self.grid(&widths)
    }

    /// No word of the prose is longer than its column.
    fn fits(&self, widths: &[usize]) -> bool {
        let prose = (0..widths.len()).filter(|&c| self.heads[c].kind == ColumnKind::Prose);
        prose.into_iter().all(|c| {
            let cells = self.rows.iter().filter_map(|r| r.get(c));
            cells.flat_map(|cell| cell.split(' ')).all(|word| display_width(word) <= widths[c])
        })
    }

    fn grid(&self, widths: &[usize]) -> String {
        let mut table = Table::new();
        let rule = LineStyle::none().fill('─').junction(' ');
        table
            .load_style(TableStyle::new().header_separator(rule))
            .set_content_arrangement(ContentArrangement::Disabled);
        table.set_header(self.heads.iter().map(|h| h.title));
        for row in &self.rows {
            let cells = row.iter().enumerate().map(|(c, cell)| match self.heads[c].kind {
                ColumnKind::Prose => textwrap::fill(cell, options(widths[c])),
                ColumnKind::Words | ColumnKind::Figures | ColumnKind::Picture => cell.clone(),
            });
            table.add_row(cells);
        }
        for (column, head) in table.column_iter_mut().zip(&self.heads) {
            // With the space between columns that makes two.
            column.set_padding((1, 0));
            if head.kind == ColumnKind::Figures {
                column.set_cell_alignment(CellAlignment::Right);
            }
        }
        table.lines().map(|l| format!("{}\n", l.trim_end())).collect()
    }

    /// Each row as lines of its own: what names it, then the rest with its headings.
    fn stacked(&self, page: usize) -> String {
        let mut text = String::new();
        for row in &self.rows {
            let mut cells = self.heads.iter().zip(row).filter(|(_, cell)| !blank(cell));
            if let Some((_, first)) = cells.next() {
                text.push_str(&wrapped_to(page, " ", first));
            }
            let named = cells.filter(|(h, _)| h.kind != ColumnKind::Picture).map(|(head, cell)| {
                let pair =
                    if head.title.is_empty() { cell.clone() } else { format!("{}: {cell}", head.title) };
                if head.kind == ColumnKind::Prose { pair } else { tied(&pair) }
            });
            let parts: Vec<String> = named.collect();
            if !parts.is_empty() {
                text.push_str(&wrapped_to(page, "    ", &parts.join(&format!("{TIED}· "))));
            }
        }
        text
    }
}

fn blank(cell: &str) -> bool {
    paint(cell).trim().is_empty()
}

/// A faint line under a table that explains its marks.
pub fn legend(text: &str) -> String {
    let shown = super::wrapped("  ", text);
    format!("{}\n", styled(Style::Faint, shown.trim_end()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table() -> Columns {
        let mut t = Columns::new(&[Head::words("what"), Head::figures("ms"), Head::prose("why")]);
        t.row([
            "a rather long name".into(),
            "12.5".into(),
            "because of one thing and then of another".into(),
        ]);
        t.row(["b".into(), "3".into(), "because".into()]);
        t
    }

    #[test]
    fn no_cell_is_lost_or_broken_at_any_width() {
        for page in [30, 45, 60, 80, 200] {
            let shown = paint(&table().show_in(page));
            for cell in ["a rather long name", "12.5", "b", "3"] {
                assert!(shown.contains(cell), "{page}: {shown}");
            }
            let flat = shown.split_whitespace().collect::<Vec<_>>().join(" ");
            assert!(flat.contains("another"), "{page}: {shown}");
            assert!(shown.lines().all(|l| display_width(l) <= page), "{page}: {shown}");
        }
    }
}
