//! The sheet as one page for a browser: nothing is fetched, no script runs, and it prints a phase to a page. It is XHTML in form,
//! so that any reader of XML can take it apart.

use super::picture::{escaped, picture};
use super::{Page, Sheet, pages};
use std::fmt::Write;

const STYLE: &str = include_str!("style.css");

pub fn html(sheet: &Sheet<'_>) -> String {
    let title = escaped(&sheet.title);
    let mut out = format!(
        "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"/>\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"/><title>{title}</title>\n<style>\n{STYLE}</style></head>\n\
         <body{}><header><h1>{title}</h1>\n",
        if sheet.several { "" } else { " class=\"one\"" }
    );
    contents(&mut out, sheet);
    out.push_str("</header>\n<main>\n");
    for (k, kind) in sheet.kinds.iter().enumerate() {
        for (i, page) in pages(kind.settings).iter().enumerate() {
            section(&mut out, page, &format!("p{k}-{i}"), sheet.whose(kind).as_deref());
        }
    }
    out.push_str("</main></body></html>\n");
    out
}

fn contents(out: &mut String, sheet: &Sheet<'_>) {
    if sheet.several {
        out.push_str("<h2>Who is set how</h2>\n<div class=\"wide\" tabindex=\"0\" role=\"region\" aria-label=\"Who is set how\"><table><tr><th scope=\"col\">Phase</th>");
        for kind in &sheet.kinds {
            let _ = write!(out, "<th scope=\"col\">{}</th>", escaped(&sheet.whose(kind).unwrap_or_default()));
        }
        out.push_str("</tr>\n");
        for (place, each, differ) in sheet.table() {
            let (class, mark) = if differ { (" class=\"differs\"", " ≠") } else { ("", "") };
            let _ = write!(out, "<tr{class}><th scope=\"row\">{}{mark}</th>", escaped(&place));
            each.iter().for_each(|cell| {
                let _ = write!(out, "<td>{}</td>", escaped(cell));
            });
            out.push_str("</tr>\n");
        }
        out.push_str("</table></div>\n<p class=\"whose\">≠ marks where they differ.</p>\n");
    }
    let all: usize = sheet.kinds.iter().map(|k| k.settings.phases.len()).sum();
    if all < 2 {
        return;
    }
    out.push_str("<nav aria-label=\"Phases\"><ul>\n");
    for (k, kind) in sheet.kinds.iter().enumerate() {
        for (i, page) in pages(kind.settings).iter().enumerate() {
            let whose = sheet.whose(kind).map_or(String::new(), |w| format!(" ({})", escaped(&w)));
            let _ = writeln!(out, "<li><a href=\"#p{k}-{i}\">{}</a>{whose}</li>", escaped(&page.title));
        }
    }
    out.push_str("</ul></nav>");
}

fn section(out: &mut String, page: &Page<'_>, id: &str, whose: Option<&str>) {
    let _ = writeln!(
        out,
        "<section id=\"{id}\" aria-labelledby=\"{id}-h\"><h2 id=\"{id}-h\">{}</h2>",
        escaped(&page.title)
    );
    if let Some(whose) = whose {
        let _ = writeln!(out, "<p class=\"whose\">{}</p>", escaped(whose));
    }
    out.push_str("<dl>");
    for (label, value) in &page.setting {
        let _ = write!(out, "<div><dt>{label}</dt><dd>{}</dd></div>", escaped(value));
    }
    out.push_str("</dl>\n");
    let then = if page.restore.is_empty() { "Do, in this order" } else { "Then, in this order" };
    ticks(out, "Undo first", &page.restore, &format!("{id}-u"));
    ticks(out, then, &page.boxes, &format!("{id}-b"));
    out.push_str(
        "<h3>Who hears it when</h3>\n<table><tr><th scope=\"col\">Who</th><th scope=\"col\">Late</th>\
         <th scope=\"col\">That is</th></tr>",
    );
    for [who, late, said] in &page.who {
        let (who, late, said) = (escaped(who), escaped(late), escaped(said));
        let _ = write!(out, "<tr><th scope=\"row\">{who}</th><td>{late}</td><td>{said}</td></tr>");
    }
    out.push_str("</table>\n<div class=\"cols\"><div><h3>Listen for</h3><ul>");
    for line in &page.listen {
        let _ = write!(out, "<li>{}</li>", escaped(line));
    }
    let _ = writeln!(out, "</ul><p class=\"sure\">{}</p></div>", escaped(&page.sure));
    let drawn = picture(page.demand, id);
    let heading = if drawn.is_empty() { "" } else { "<h3>Why this buffer</h3>" };
    let _ = writeln!(out, "<div>{heading}{drawn}</div></div></section>");
}

fn ticks(out: &mut String, heading: &str, all: &[String], id: &str) {
    if all.is_empty() {
        return;
    }
    let _ = write!(out, "<h3>{heading}</h3><ul class=\"ticks\">");
    for (i, line) in all.iter().enumerate() {
        let _ = write!(
            out,
            "<li><input type=\"checkbox\" id=\"{id}{i}\"/><label for=\"{id}{i}\">{}</label></li>",
            escaped(line)
        );
    }
    out.push_str("</ul>\n");
}
