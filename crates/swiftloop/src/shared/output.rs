//! The one way out: a page, a JSON object or bytes to stdout, a drawing to a file, yes or no as the exit code.

use crate::shared::answer::Detail;
use crate::shared::failure::Failure;
use crate::shared::options::{Drawing, Shown};
use crate::shared::page::{clean, escaped, paint};
use std::io::Write;
use std::process::ExitCode;
use swiftloop_files::{FileError, Overwrite, save};

/// Prints a page to stdout, colours as the terminal and the options allow.
pub fn print(text: &str) -> Result<ExitCode, Failure> {
    let mut out = anstream::stdout().lock();
    out.write_all(paint(text).as_bytes()).and_then(|()| out.flush()).map_err(Failure::Output)?;
    Ok(ExitCode::SUCCESS)
}

/// Says something beside the answer, in a line on stderr. Where that cannot be written nobody reads it, and the work goes on.
pub fn aside(line: &str) {
    let _ = writeln!(std::io::stderr(), "{line}");
}

/// Prints bytes that are not for people.
pub fn raw(bytes: &[u8]) -> Result<ExitCode, Failure> {
    let mut out = std::io::stdout().lock();
    out.write_all(bytes).and_then(|()| out.flush()).map_err(Failure::Output)?;
    Ok(ExitCode::SUCCESS)
}

/// What is not known, or does not apply, has no key: a null would have to be told from a figure by everybody who reads it.
fn without_nothing(value: &mut serde_json::Value) {
    match value {
        serde_json::Value::Object(object) => {
            object.retain(|_, value| !value.is_null());
            object.values_mut().for_each(without_nothing);
        }
        serde_json::Value::Array(list) => list.iter_mut().for_each(without_nothing),
        serde_json::Value::Null
        | serde_json::Value::Bool(_)
        | serde_json::Value::Number(_)
        | serde_json::Value::String(_) => {}
    }
}

/// The JSON of what is kept in a file: as it would be printed, in one line.
pub fn kept_json(mut value: serde_json::Value) -> String {
    without_nothing(&mut value);
    format!("{}\n", escaped(&value.to_string()))
}

/// Prints a JSON object. What could do something to a terminal stands in it as an escape.
fn print_json(mut value: serde_json::Value) -> Result<ExitCode, Failure> {
    without_nothing(&mut value);
    let text = serde_json::to_string_pretty(&value).map_err(std::io::Error::other)?;
    raw(format!("{}\n", escaped(&text)).as_bytes())
}

/// Prints the answer as text or as JSON.
pub fn answer(
    shown: &Shown,
    text: impl FnOnce(Detail) -> String,
    value: impl FnOnce() -> serde_json::Value,
) -> Result<(), Failure> {
    if shown.json { print_json(value()) } else { print(&text(Detail::of(shown.full))) }.map(|_| ())
}

/// Saves a drawing, if one is wanted.
pub fn draw(drawing: &Drawing, svg: impl FnOnce() -> Result<String, FileError>) -> Result<(), Failure> {
    let Some(file) = &drawing.svg else { return Ok(()) };
    Ok(save(file, clean(&svg()?).as_bytes(), Overwrite::forced(drawing.force))?)
}

/// 0 for yes, 1 for no.
pub fn yes_or_no(yes: bool) -> ExitCode {
    if yes { ExitCode::SUCCESS } else { ExitCode::from(1) }
}
