//! Reading `rig.toml` and `session.toml`: text → checked description, or an error with the bytes at fault.

use crate::FileError;
use serde::de::DeserializeOwned;
use std::ops::Range;
use std::path::Path;
use swiftloop_core::rig::{Rig, nearest};
use swiftloop_core::session::{Description, Session};
use swiftloop_core::tables::Tables;
use swiftloop_core::{Invalid, Place};
use toml_edit::{Document, Item};

/// Descriptions are written by hand; anything larger is something else.
const LARGEST: u64 = 16 * 1024 * 1024;
/// Version of both formats that this program writes and reads.
const VERSION: u32 = 1;

/// Reads and checks a rig.
///
/// # Errors
/// See [`FileError`]; every error in the text carries its place.
pub fn read_rig(path: &Path, tables: &Tables) -> Result<Rig, FileError> {
    rig_from(&path.display().to_string(), &read_text(path)?, tables)
}

/// The text of a rig that is to be changed, once it has proved to be one.
///
/// # Errors
/// See [`FileError`].
pub fn read_rig_text(path: &Path, tables: &Tables) -> Result<String, FileError> {
    let text = read_text(path)?;
    rig_from(&path.display().to_string(), &text, tables)?;
    Ok(text)
}

/// Reads and checks a session; interfaces named in it are checked against `rig`.
///
/// # Errors
/// See [`FileError`].
pub fn read_session(path: &Path, rig: &Rig, tables: &Tables) -> Result<Session, FileError> {
    session_from(&path.display().to_string(), &read_text(path)?, rig, tables)
}

/// A rig from its text; `name` is shown in errors.
///
/// # Errors
/// See [`FileError`].
pub fn rig_from(name: &str, text: &str, tables: &Tables) -> Result<Rig, FileError> {
    let rig: Rig = parse(name, text, "swiftloop.rig")?;
    rig.checked(tables).map_err(|e| locate(name, text, e))
}

/// A session from its text; `name` is shown in errors.
///
/// # Errors
/// See [`FileError`].
pub fn session_from(name: &str, text: &str, rig: &Rig, tables: &Tables) -> Result<Session, FileError> {
    let description: Description = parse(name, text, "swiftloop.session")?;
    let session = Session::checked(description, tables).map_err(|e| locate(name, text, e))?;
    session.check_interfaces(rig).map_err(|e| locate(name, text, e))?;
    Ok(session)
}

fn read_text(path: &Path) -> Result<String, FileError> {
    let unreadable =
        |why: String, help: &str| FileError::Unreadable { path: path.into(), why, help: help.into() };
    let about = std::fs::metadata(path)
        .map_err(|e| unreadable(plain(&e), "check the name; `swiftloop new` makes files to start from"))?;
    if about.is_dir() {
        return Err(unreadable("it is a folder".into(), "name the file in it, such as rig.toml"));
    }
    if about.len() > LARGEST {
        let why = format!("it is {} MB large", about.len() / 1_000_000);
        return Err(unreadable(
            why,
            "descriptions are written by hand and stay below 16 MB; is this another file?",
        ));
    }
    let bytes =
        std::fs::read(path).map_err(|e| unreadable(plain(&e), "check the permissions of the file"))?;
    if bytes.contains(&0) {
        return Err(unreadable("it is a binary file".into(), "name a TOML text file"));
    }
    String::from_utf8(bytes).map_err(|e| {
        let good = e.utf8_error().valid_up_to();
        let line = e.as_bytes()[..good].iter().filter(|&&b| b == b'\n').count() + 1;
        unreadable(format!("line {line} is not UTF-8 text"), "save the file as UTF-8")
    })
}

fn plain(e: &std::io::Error) -> String {
    match e.kind() {
        std::io::ErrorKind::NotFound => "there is no such file".into(),
        std::io::ErrorKind::PermissionDenied => "permission denied".into(),
        _ => e.to_string(),
    }
}

fn parse<T: DeserializeOwned>(name: &str, text: &str, format: &str) -> Result<T, FileError> {
    let wrong = |span, what: String, help: String| FileError::Wrong {
        name: name.into(),
        text: text.into(),
        span,
        what,
        help,
    };
    let start = format!("begin with: format = \"{format}/{VERSION}\"");
    if text.trim().is_empty() {
        return Err(wrong(None, "the file is empty".into(), start));
    }
    let document = Document::parse(text).map_err(|e| {
        let what = e.message().lines().collect::<Vec<_>>().join("; ");
        wrong(e.span(), what, "TOML wants `key = value` lines and [tables]; text stands in quotes".into())
    })?;
    match document.get("format") {
        None => {
            return Err(wrong(
                Some(0..text.find('\n').unwrap_or(text.len())),
                "the key `format` is missing".into(),
                start,
            ));
        }
        Some(item) => {
            let found = item.as_str().unwrap_or("");
            let (kind, version) = found.split_once('/').unwrap_or((found, ""));
            if kind != format {
                let what = format!("this is not a {format} file: its format is `{found}`");
                return Err(wrong(item.span(), what, start));
            }
            match version.parse::<u32>() {
                Ok(v) if v == VERSION => {}
                Ok(v) if v > VERSION => {
                    let what = format!("the file is of version {v}; this program reads version {VERSION}");
                    return Err(wrong(item.span(), what, "use a newer swiftloop, or an older file".into()));
                }
                _ => return Err(wrong(item.span(), format!("`{found}` names no version"), start)),
            }
        }
    }
    toml::from_str(text).map_err(|e| {
        let (what, help) = explain(e.message());
        wrong(e.span(), what, help)
    })
}

/// Turns the parser's message into ours: unknown words get the nearest known one.
fn explain(message: &str) -> (String, String) {
    let message = message.trim();
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    let unknown = ["unknown field", "unknown variant"].iter().position(|start| message.starts_with(start));
    match (unknown, quoted.split_first()) {
        (Some(kind), Some((word, known))) => {
            let thing = ["key", "word"][kind];
            let what = format!("unknown {thing} `{word}`");
            let stem = |w: &str| w.rsplit_once('_').map_or(w.to_string(), |(s, _)| s.to_string());
            let same_stem = known.iter().find(|k| kind == 0 && k.contains('_') && stem(k) == stem(word));
            let help = match (same_stem, nearest(word, known)) {
                (Some(near), _) => format!("the unit is part of the key: did you mean `{near}`?"),
                (None, Some(near)) => format!("did you mean `{near}`?"),
                (None, None) if known.is_empty() => "remove it".into(),
                (None, None) => format!("known here: {}", known.join(", ")),
            };
            (what, help)
        }
        _ if message.starts_with("missing field") => (
            message.replace("missing field", "a key is missing:"),
            "add it; `swiftloop schema rig` and `swiftloop schema session` list every key".into(),
        ),
        _ => {
            let (what, expected) = message.split_once(", expected ").unwrap_or((message, ""));
            let help = match expected {
                "" => "`swiftloop schema rig` and `swiftloop schema session` list every key".to_string(),
                e => format!("expected {e}"),
            };
            (
                what.replace("invalid type:", "wrong kind of value:")
                    .replace("invalid value:", "out of range:"),
                help,
            )
        }
    }
}

/// Gives a contradiction found by the core its place in the text.
fn locate(name: &str, text: &str, invalid: Invalid) -> FileError {
    let span = Document::parse(text).ok().and_then(|d| span_of(d.as_item(), &invalid.path));
    FileError::Wrong { name: name.into(), text: text.into(), span, what: invalid.what, help: invalid.help }
}

/// The bytes of the value at `path`, or of the innermost table on the way to it that has a place.
fn span_of(root: &Item, path: &[Place]) -> Option<Range<usize>> {
    let mut at = root;
    let mut span = None;
    for place in path {
        let next = match place {
            Place::Key(key) => at.get(*key),
            Place::Named(key) => at.get(key.as_str()),
            Place::At(i) => match at {
                Item::ArrayOfTables(tables) => {
                    let table = tables.get(*i)?;
                    span = table.span().or(span);
                    return span_in_table(
                        table,
                        &path[path.iter().position(|p| std::ptr::eq(p, place))? + 1..],
                    )
                    .or(span);
                }
                _ => at.get(*i),
            },
        };
        match next {
            Some(item) => {
                at = item;
                span = item.span().or(span);
            }
            None => {
                // Values inside arrays are not items: step into them by hand.
                if let (Place::At(i), Some(array)) = (place, at.as_array()) {
                    span = array.get(*i).and_then(toml_edit::Value::span).or(span);
                }
                break;
            }
        }
    }
    span
}

fn span_in_table(table: &toml_edit::Table, rest: &[Place]) -> Option<Range<usize>> {
    let [first, after @ ..] = rest else { return table.span() };
    let item = match first {
        Place::Key(key) => table.get(key),
        Place::Named(key) => table.get(key.as_str()),
        Place::At(_) => None,
    }?;
    span_of(item, after).or_else(|| item.span())
}
