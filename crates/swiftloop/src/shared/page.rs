//! How pages are laid out: headings, paragraphs, commands, tables that stack where they do not fit. A view writes text with
//! marks for its styles; [`paint`] turns the marks into colours at the very end. Whatever came from outside
//! can hold no mark and no control character that reaches the terminal, because everything passes here.

use std::borrow::Cow;
use std::fmt::Write;
use textwrap::core::display_width;

pub mod columns;

pub use columns::{Columns, Head};

/// Width of the output: the terminal's, or `COLUMNS`, or 100; between 60 and 160.
pub fn width() -> usize {
    // Views are tested as they stand on the narrowest ordinary terminal, wherever the tests run.
    if cfg!(test) {
        return 80;
    }
    let terminal = terminal_size::terminal_size().map(|(w, _)| usize::from(w.0));
    let asked = std::env::var("COLUMNS").ok().and_then(|c| c.parse().ok());
    terminal.or(asked).unwrap_or(100).clamp(60, 160)
}

/// How a piece of text is shown; always beside words that say the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Style {
    /// The answer, and headings.
    Strong,
    /// What is less important.
    Faint,
    Good,
    Unsure,
    Bad,
}

/// Marks are variation selectors: no width, and no use in any name.
const END: char = '\u{e0100}';
const MARKS: [(Style, char); 5] = [
    (Style::Strong, '\u{e0101}'),
    (Style::Faint, '\u{e0102}'),
    (Style::Good, '\u{e0103}'),
    (Style::Unsure, '\u{e0104}'),
    (Style::Bad, '\u{e0105}'),
];
/// A space that no line is broken at; shown as an ordinary one.
pub const TIED: char = '\u{a0}';

/// `text` in a style.
pub fn styled(style: Style, text: impl std::fmt::Display) -> String {
    let mark = MARKS.iter().find(|m| m.0 == style).map_or(END, |m| m.1);
    format!("{mark}{text}{END}")
}

/// A figure and its unit, or whatever else is not to be torn apart at a line's end.
pub fn tied(text: &str) -> String {
    text.replace(' ', &TIED.to_string())
}

/// A character that could do something to a terminal, turn text round, break a line where none was written, or that no
/// text may hold (XML, and so SVG, does not take U+FFFE and U+FFFF).
fn is_unsafe(c: char) -> bool {
    (c.is_control() && c != '\n')
        || matches!(c, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{61c}')
        || matches!(c, '\u{2028}' | '\u{2029}' | '\u{fdd0}'..='\u{fdef}')
        || u32::from(c) & 0xfffe == 0xfffe
}

/// Text without such characters, and without marks.
pub fn clean(text: &str) -> Cow<'_, str> {
    let bad = |c: char| is_unsafe(c) || c == END || MARKS.iter().any(|m| m.1 == c);
    if text.contains(bad) { Cow::Owned(text.replace(bad, "\u{fffd}")) } else { Cow::Borrowed(text) }
}

/// JSON text in which such characters are escapes (they can only stand within its strings), tied spaces ordinary ones.
pub fn escaped(json: &str) -> String {
    let mut out = String::with_capacity(json.len());
    for c in json.chars() {
        if c == TIED {
            out.push(' ');
        } else if is_unsafe(c) {
            for half in c.encode_utf16(&mut [0; 2]) {
                let _ = write!(out, "\\u{half:04x}");
            }
        } else {
            out.push(c);
        }
    }
    out
}

/// Marks become colours, tied spaces ordinary ones, unsafe characters `�`.
pub fn paint(text: &str) -> String {
    use anstyle::{AnsiColor, Style as Ansi};
    let mut out = String::with_capacity(text.len() + 64);
    let mut open: Option<Ansi> = None;
    for c in text.chars() {
        if c == END {
            if let Some(style) = open.take() {
                let _ = write!(out, "{style:#}");
            }
        } else if let Some((style, _)) = MARKS.iter().find(|m| m.1 == c) {
            let ansi = match style {
                Style::Strong => Ansi::new().bold(),
                Style::Faint => Ansi::new().dimmed(),
                Style::Good => AnsiColor::Green.on_default(),
                Style::Unsure => AnsiColor::Yellow.on_default(),
                Style::Bad => AnsiColor::Red.on_default().bold(),
            };
            let _ = write!(out, "{ansi}");
            open = Some(ansi);
        } else if c == TIED {
            out.push(' ');
        } else {
            out.push(if is_unsafe(c) { '\u{fffd}' } else { c });
        }
    }
    out
}

/// A heading with a rule under it.
pub fn heading(text: &str) -> String {
    let shown = textwrap::fill(text, options(width()));
    let longest = shown.lines().map(display_width).max().unwrap_or(0);
    format!("{}\n{}\n", styled(Style::Strong, shown), styled(Style::Faint, "─".repeat(longest)))
}

pub fn title(text: &str) -> String {
    format!("\n{}\n", styled(Style::Strong, textwrap::fill(text, options(width()))))
}

fn options(width: usize) -> textwrap::Options<'static> {
    textwrap::Options::new(width)
        .word_separator(textwrap::WordSeparator::AsciiSpace)
        .word_splitter(textwrap::WordSplitter::NoHyphenation)
        .break_words(false)
}

/// Text wrapped to the width, with a lead on the first line and as much space on the others. No word, id, path or figure is
/// broken.
pub fn wrapped(lead: &str, text: &str) -> String {
    wrapped_to(width(), lead, text)
}

/// The same, to another width.
pub fn wrapped_to(width: usize, lead: &str, text: &str) -> String {
    let hang = " ".repeat(display_width(lead));
    let with = options(width).initial_indent(lead).subsequent_indent(&hang);
    format!("{}\n", textwrap::fill(text, with))
}

pub fn para(text: &str) -> String {
    wrapped("", text)
}

/// The answer: a paragraph in strong letters.
pub fn answer(text: &str) -> String {
    format!("{}\n", styled(Style::Strong, para(text).trim_end()))
}

/// A command to paste, on a line of its own, never broken.
pub fn command(text: &str) -> String {
    format!("  {text}\n")
}

/// `a, b and c`
pub fn and_list(words: &[String]) -> String {
    match words {
        [] => String::new(),
        [one] => one.clone(),
        [most @ .., last] => format!("{} and {last}", most.join(", ")),
    }
}

/// One thing or several: `1 change`, `3 changes`.
pub fn counted(n: usize, one: &str, several: &str) -> String {
    if n == 1 { format!("1{TIED}{one}") } else { format!("{n}{TIED}{several}") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_from_outside_reaches_the_terminal_as_more_than_text() {
        let name = "a\u{1b}[31mb\u{7}c\u{202e}d\u{9b}e\u{e0105}f\rg";
        let shown = paint(&styled(Style::Bad, clean(name)));
        let text: String =
            shown.split("\u{1b}[").skip(1).map(|part| part.split_once('m').map_or("", |p| p.1)).collect();
        assert_eq!(text, "a\u{fffd}[31mb\u{fffd}c\u{fffd}d\u{fffd}e\u{fffd}f\u{fffd}g");
        // Even what a view forgot to clean carries no control character of its own.
        assert!(
            !paint(name).contains(['\u{1b}', '\u{7}', '\u{202e}', '\u{9b}', '\r'])
                || paint(name).matches('\u{1b}').count() <= 2
        );
    }

    #[test]
    fn lines_break_between_words_only_and_never_within_what_is_tied() {
        let text = format!("look at swiftloop-core/src/{} and {}", "x".repeat(70), tied("12.5 ms late"));
        let shown = paint(&wrapped_to(60, "  ", &text));
        assert!(shown.contains(&"x".repeat(70)) && shown.contains("12.5 ms late"), "{shown}");
    }

    #[test]
    fn lists_read_as_one_speaks() {
        let words = ["a", "b", "c"].map(String::from);
        assert_eq!((and_list(&words[..1]), and_list(&words[..2])), ("a".into(), "a and b".into()));
        assert_eq!(and_list(&words), "a, b and c");
    }
}
