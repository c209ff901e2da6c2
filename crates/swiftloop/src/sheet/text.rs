//! The sheet as plain text.

use super::{Page, Sheet, pages};
use crate::shared::page::{Columns, Head, Style, heading, styled, title, wrapped};

pub fn text(sheet: &Sheet<'_>) -> String {
    let mut out = String::new();
    if sheet.several {
        out.push_str(&heading(&format!("{}: who is set how", sheet.title)));
        let mut t = Columns::new(&[Head::words("computers"), Head::words("phase"), Head::prose("setting")]);
        for (place, each, differ) in sheet.table() {
            for (kind, cell) in sheet.kinds.iter().zip(each) {
                let mark = if differ { "≠ " } else { "" };
                t.row([sheet.whose(kind).unwrap_or_default(), place.clone(), format!("{mark}{cell}")]);
            }
        }
        out.push_str(&t.show());
        out.push('\n');
    }
    for kind in &sheet.kinds {
        for page in pages(kind.settings) {
            show(&mut out, &page, sheet.whose(kind));
        }
    }
    out
}

fn show(out: &mut String, page: &Page<'_>, whose: Option<String>) {
    out.push_str(&heading(&page.title));
    if let Some(whose) = whose {
        out.push_str(&wrapped("", &whose));
    }
    for (label, value) in &page.setting {
        out.push_str(&wrapped(&format!("{label}: "), &styled(Style::Strong, value)));
    }
    let then = if page.restore.is_empty() { "Do, in this order" } else { "Then, in this order" };
    for (name, all) in [("Undo first", &page.restore), (then, &page.boxes)] {
        if !all.is_empty() {
            out.push_str(&title(name));
            all.iter().for_each(|line| out.push_str(&wrapped("  □ ", line)));
        }
    }
    out.push_str(&title("Who hears it when"));
    for [who, late, said] in &page.who {
        out.push_str(&wrapped("  ", &format!("{who}: {late}, {said}")));
    }
    out.push_str(&title("Listen for"));
    page.listen.iter().for_each(|line| out.push_str(&wrapped("  – ", line)));
    out.push_str(&wrapped("  ", &page.sure));
    out.push('\n');
}
