//! Failures and how they look: what is wrong, where (with the line), what to do. Exit codes as documented.

use crate::shared::page::{clean, paint, width, wrapped};
use crate::shared::words::Explain;
use std::io::Write;
use std::process::ExitCode;
use swiftloop_files::{FileError, plain_words};

/// Why a command could not answer.
#[derive(Debug)]
pub enum Failure {
    /// A file is at fault.
    File(Box<FileError>),
    /// What was asked makes no sense: what is wrong, and what to do.
    Usage(String, String),
    /// This machine cannot do it: what is missing, and what to do.
    Machine(String, String),
    /// The question cannot be answered as it stands: a page that says what is missing, and how to ask.
    Question(String),
    /// The output could not be written.
    Output(std::io::Error),
}

impl From<FileError> for Failure {
    fn from(e: FileError) -> Self {
        Self::File(Box::new(e))
    }
}

/// What the system refuses; what of it is the answer's way out is told where the answer is written.
impl From<std::io::Error> for Failure {
    fn from(e: std::io::Error) -> Self {
        Self::machine(
            format!("the system refuses: {}", plain_words(&e)),
            "see that there is memory and room on the disk, close other programs, and try again",
        )
    }
}

impl Failure {
    pub fn usage(what: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Usage(what.into(), help.into())
    }

    /// A failure of the machine.
    pub fn machine(what: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Machine(what.into(), help.into())
    }

    /// What the core refuses, about `subject`.
    pub fn refused(subject: impl std::fmt::Display, why: &impl Explain) -> Self {
        Self::usage(format!("{subject}: {}", why.what()), why.help())
    }

    /// What the core refuses.
    pub fn explained(why: &impl Explain) -> Self {
        Self::usage(why.what(), why.help())
    }

    /// Prints the failure to stderr; 2, 3 when the machine cannot, or 0 when whoever read our output went away.
    pub fn report(self) -> ExitCode {
        let code = if matches!(self, Self::Machine(..)) { 3 } else { 2 };
        let text = match self {
            Self::Output(e) if e.kind() == std::io::ErrorKind::BrokenPipe => return ExitCode::SUCCESS,
            Self::Output(e) => {
                simple(&format!("cannot write the output: {}", plain_words(&e)), "check where it goes")
            }
            Self::Question(page) => page,
            Self::Usage(what, help) | Self::Machine(what, help) => simple(&what, &help),
            Self::File(e) => match *e {
                FileError::Wrong { name, text, span, reason } => {
                    located(name, text, span, reason.what(), reason.help())
                }
                other @ FileError::Unreadable { .. }
                | other @ FileError::Misfit { .. }
                | other @ FileError::Exists { .. }
                | other @ FileError::Unwritable { .. } => simple(&other.what(), &other.help()),
            },
        };
        // Where that cannot be written the exit code says it.
        let _ = write!(anstream::stderr(), "{}", paint(&text));
        ExitCode::from(code)
    }
}

fn simple(what: &str, help: &str) -> String {
    format!("{}{}", wrapped("error:  ", what), wrapped("to do:  ", help))
}

/// `FILE:LINE:COLUMN`, the line itself and a mark under the place.
fn located(
    name: String,
    text: String,
    span: Option<std::ops::Range<usize>>,
    what: String,
    help: String,
) -> String {
    let Some(span) = span.filter(|s| s.start <= text.len()) else {
        return simple(&format!("{name}: {what}"), &help);
    };
    let before = text.get(..span.start).unwrap_or("");
    let line_number = before.matches('\n').count() + 1;
    let start = before.rfind('\n').map_or(0, |i| i + 1);
    let line = clean(&text[start..].lines().next().unwrap_or("").replace('\t', " ")).into_owned();
    let column = before[start.min(before.len())..].chars().count();
    let marked = text.get(span.start..span.end.min(text.len())).unwrap_or("");
    let length = marked.lines().next().unwrap_or("").chars().count().clamp(1, 60);
    // A very long line is cut around the place.
    let (from, room) = (column.saturating_sub(30), width().saturating_sub(10).max(20));
    let shown: String = line.chars().skip(from).take(room).collect();
    let mark = format!(
        "{}{}",
        " ".repeat(column - from),
        "^".repeat(length.min(room.saturating_sub(column - from)).max(1))
    );
    let gutter = line_number.to_string();
    let pad = " ".repeat(gutter.len());
    let place = format!("{name}:{line_number}:{}", column + 1);
    format!("{place}\n{pad} |\n{gutter} | {shown}\n{pad} | {mark}\n{}", simple(&what, &help))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(text: &str, marked: &str) -> String {
        let start = text.find(marked).expect("in the text");
        located(
            "f.toml".into(),
            text.into(),
            Some(start..start + marked.len()),
            "wrong".into(),
            "mend it".into(),
        )
    }

    #[test]
    fn the_place_is_counted_in_lines_and_characters() {
        let shown = at("a = 1\nname = \"Brücke\"\nx = ö = 2\n", "= 2");
        assert!(shown.starts_with("f.toml:3:7\n"), "{shown}");
        assert!(shown.contains("3 | x = ö = 2\n  |       ^^^\n"), "{shown}");
    }

    #[test]
    fn windows_line_ends_and_tabs_do_not_move_the_mark() {
        let shown = at("a = 1\r\n\tcoers = 4\r\n", "coers");
        assert!(shown.starts_with("f.toml:2:2\n") && shown.contains("|  ^^^^^"), "{shown}");
    }

    #[test]
    fn a_long_line_is_cut_around_its_place() {
        let text = format!("x = [{}wrong{}]\n", "1, ".repeat(500), ", 1".repeat(500));
        let shown = at(&text, "wrong");
        let mark = shown.lines().find(|l| l.contains('^')).expect("a mark");
        let line = shown.lines().find(|l| l.contains("wrong,")).expect("the line");
        assert_eq!(mark.find('^'), line.find("wrong"));
        assert!(shown.lines().all(|l| l.chars().count() <= width()), "{shown}");
    }

    #[test]
    fn an_error_at_the_very_end_or_without_place_is_still_told() {
        let end = located("f.toml".into(), "a = [".into(), Some(5..5), "unclosed".into(), "close it".into());
        assert!(end.starts_with("f.toml:1:6\n") && end.contains("error:  unclosed"), "{end}");
        let nowhere = located("f.toml".into(), String::new(), None, "empty".into(), "fill it".into());
        assert_eq!(nowhere, "error:  f.toml: empty\nto do:  fill it\n");
    }
}
