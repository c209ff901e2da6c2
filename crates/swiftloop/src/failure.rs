//! Failures and how they look: what is wrong, where (with the line), what to do. Exit codes as documented.

use std::process::ExitCode;
use swiftloop_files::FileError;

/// Why a command could not answer.
#[derive(Debug)]
pub enum Failure {
    /// A file is at fault.
    File(Box<FileError>),
    /// What was asked makes no sense: what is wrong, and what to do.
    Usage(String, String),
    /// The output could not be written.
    Output(std::io::Error),
}

impl From<FileError> for Failure {
    fn from(e: FileError) -> Self {
        Self::File(Box::new(e))
    }
}

impl From<std::io::Error> for Failure {
    fn from(e: std::io::Error) -> Self {
        Self::Output(e)
    }
}

impl Failure {
    /// A usage failure.
    pub fn usage(what: impl Into<String>, help: impl Into<String>) -> Self {
        Self::Usage(what.into(), help.into())
    }

    /// Prints the failure to stderr; 2, or 0 when whoever read our output went away.
    pub fn report(self) -> ExitCode {
        let text = match self {
            Self::Output(e) if e.kind() == std::io::ErrorKind::BrokenPipe => return ExitCode::SUCCESS,
            Self::Output(e) => simple(&format!("cannot write the output: {e}"), "check where it goes"),
            Self::Usage(what, help) => simple(&what, &help),
            Self::File(e) => match *e {
                FileError::Wrong { name, text, span, what, help } => located(name, text, span, what, help),
                other => simple(&other.to_string(), other.help()),
            },
        };
        anstream::eprint!("{text}");
        ExitCode::from(2)
    }
}

fn simple(what: &str, help: &str) -> String {
    let width = crate::views::width();
    let fill = |lead: &str, text: &str| {
        textwrap::fill(text, textwrap::Options::new(width).initial_indent(lead).subsequent_indent("        "))
    };
    format!("{}\n{}\n", fill("error:  ", what), fill("to do:  ", help))
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
    let line = text[start..].lines().next().unwrap_or("").replace('\t', " ");
    let column = before[start.min(before.len())..].chars().count();
    let marked = text.get(span.start..span.end.min(text.len())).unwrap_or("");
    let length = marked.lines().next().unwrap_or("").chars().count().clamp(1, 60);
    // A very long line is cut around the place.
    let (from, room) = (column.saturating_sub(30), crate::views::width().saturating_sub(10).max(20));
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
