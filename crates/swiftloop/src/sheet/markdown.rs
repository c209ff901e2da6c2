//! The sheet as Markdown: headings, a table, boxes to tick.

use super::{Sheet, pages};
use crate::shared::page::clean;
use std::fmt::Write;

/// Signs that would mean something.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in clean(text).chars() {
        match c {
            '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '#' | '|' | '~' => {
                out.push('\\');
                out.push(c);
            }
            crate::shared::page::TIED | '\n' => out.push(' '),
            c => out.push(c),
        }
    }
    out
}

pub fn markdown(sheet: &Sheet<'_>) -> String {
    let mut out = format!("# {}\n", escaped(&sheet.title));
    if sheet.several {
        out.push_str("\n## Who is set how\n\n| phase |");
        sheet.kinds.iter().for_each(|k| {
            let _ = write!(out, " {} |", escaped(&sheet.whose(k).unwrap_or_default()));
        });
        let _ = writeln!(out, "\n|{}", " --- |".repeat(sheet.kinds.len() + 1));
        for (place, each, differ) in sheet.table() {
            let mark = if differ { " ≠" } else { "" };
            let cells: Vec<String> = each.iter().map(|c| escaped(c)).collect();
            let _ = writeln!(out, "| {}{mark} | {} |", escaped(&place), cells.join(" | "));
        }
    }
    for kind in &sheet.kinds {
        for page in pages(kind.settings) {
            let _ = writeln!(out, "\n## {}\n", escaped(&page.title));
            if let Some(whose) = sheet.whose(kind) {
                let _ = writeln!(out, "{}\n", escaped(&whose));
            }
            for (label, value) in &page.setting {
                let _ = writeln!(out, "- {label}: **{}**", escaped(value));
            }
            let then = if page.restore.is_empty() { "Do, in this order" } else { "Then, in this order" };
            for (heading, all) in [("Undo first", &page.restore), (then, &page.boxes)] {
                if !all.is_empty() {
                    let _ = writeln!(out, "\n### {heading}\n");
                    all.iter().for_each(|line| {
                        let _ = writeln!(out, "- [ ] {}", escaped(line));
                    });
                }
            }
            out.push_str("\n### Who hears it when\n\n| who | late | that is |\n| --- | --- | --- |\n");
            for [who, late, said] in &page.who {
                let _ = writeln!(out, "| {} | {} | {} |", escaped(who), escaped(late), escaped(said));
            }
            out.push_str("\n### Listen for\n\n");
            page.listen.iter().for_each(|line| {
                let _ = writeln!(out, "- {}", escaped(line));
            });
            let _ = writeln!(out, "\n{}", escaped(&page.sure));
        }
    }
    out
}
