//! Reading `rig.toml` and `session.toml`: text → checked description, or an error with the bytes at fault.

use crate::explain::explain;
use crate::link_file::read_link;
use crate::tables;
use crate::{FileError, FileReason, plain_words};
use serde::de::DeserializeOwned;
use std::ops::Range;
use std::path::Path;
use swiftloop_core::catalogue::{Catalogue, PlannedMachine, Used, fill};
use swiftloop_core::in_effect::Settings;
use swiftloop_core::notes::{self, Note};
use swiftloop_core::rig::{self, Rig};
use swiftloop_core::session::{self, Session};
use swiftloop_core::tables::Tables;
use swiftloop_core::{Invalid, PathStep};
use toml_edit::{Document, Item};

/// Descriptions are written by hand; anything larger is something else.
const LARGEST: u64 = 16 * 1024 * 1024;
/// Version of both formats that this program writes and reads.
const VERSION: u32 = 1;

/// The two kinds of description.
#[derive(Clone, Copy, PartialEq, Eq)]
enum FileKind {
    Rig,
    Session,
    Notes,
    Settings,
}

impl FileKind {
    fn format(self) -> &'static str {
        match self {
            Self::Rig => "swiftloop.rig",
            Self::Session => "swiftloop.session",
            Self::Notes => "swiftloop.notes",
            Self::Settings => "swiftloop.settings",
        }
    }

    fn word(self) -> &'static str {
        match self {
            Self::Rig => "rig",
            Self::Session => "session",
            Self::Notes => "notes",
            Self::Settings => "settings",
        }
    }

    fn of(format: &str) -> Option<Self> {
        [Self::Rig, Self::Session, Self::Notes, Self::Settings]
            .into_iter()
            .find(|kind| kind.format() == format)
    }
}

/// Reads and checks a rig.
///
/// # Errors
/// See [`FileError`]; every error in the text carries its place.
pub fn read_rig(path: &Path, tables: &Tables) -> Result<Rig, FileError> {
    rig_from(&path.display().to_string(), &read_text(path)?, tables)
}

/// Settings that a plan handed out.
///
/// # Errors
/// See [`FileError`].
pub fn read_settings(path: &Path) -> Result<Settings, FileError> {
    let text = read_text(path)?;
    let mut settings: Settings = parse(&path.display().to_string(), unmarked(&text), FileKind::Settings)?;
    for demand in &mut settings.phases {
        demand.server = tables().driver_model(&demand.driver).and_then(|model| model.server);
    }
    Ok(settings)
}

/// The file is one of settings, as far as its first keys tell; what cannot be read is none.
#[must_use]
pub fn holds_settings(path: &Path) -> bool {
    let text = read_text(path).unwrap_or_default();
    let document = Document::parse(unmarked(&text)).ok();
    let format = document.as_ref().and_then(|d| d.get("format")?.as_str());
    format.is_some_and(|f| f.starts_with(FileKind::Settings.format()))
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
/// ```
/// use swiftloop_files::{rig_from, tables};
///
/// let text = r#"
/// format = "swiftloop.rig/1"
/// machine = { cores = 4, memory_gb = 16, disk_mb_per_s = 400, disk_free_gb = 100 }
/// [[interface]]
/// id = "box"
/// connection = "usb2"
/// driver = [{ model = "alsa", rates_hz = [48000], buffers = { powers = [32, 1024] } }]
/// "#;
/// let rig = rig_from("rig.toml", text, tables())?;
/// assert_eq!(rig.interfaces[0].drivers[0].model, "alsa");
/// # Ok::<(), swiftloop_files::FileError>(())
/// ```
///
/// # Errors
/// See [`FileError`].
pub fn rig_from(name: &str, text: &str, tables: &Tables) -> Result<Rig, FileError> {
    let text = unmarked(text);
    let description = with_far_files(name, text, parse(name, text, FileKind::Rig)?, WhoseRig::Ours)?;
    Rig::checked(description, tables).map_err(|e| locate(name, text, e))
}

/// Whose rig is read: far sides of a far side's rig are none of ours.
#[derive(Clone, Copy, PartialEq, Eq)]
enum WhoseRig {
    Ours,
    Theirs,
}

/// The files that far sides and meeting points name, read: they lie beside the rig.
fn with_far_files(
    name: &str,
    text: &str,
    mut description: rig::Description,
    depth: WhoseRig,
) -> Result<rig::Description, FileError> {
    if depth == WhoseRig::Theirs {
        (description.fars, description.meetings) = (Vec::new(), Vec::new());
        return Ok(description);
    }
    let beside = |file: &str| Path::new(name).with_file_name(file);
    // The place is that of the line which names the file.
    let placed = |e: FileError, list: &'static str, index: usize, key: &'static str| {
        let path = [PathStep::Key(list), PathStep::At(index), PathStep::Key(key)];
        placed_at(name, text, &path, FileReason::Names(Box::new(e)))
    };
    for (i, far) in description.fars.iter_mut().enumerate() {
        if let Some(file) = &far.link {
            let measured = read_link(&beside(file), None).map_err(|e| placed(e, "far", i, "link"))?;
            far.measured = Some(std::sync::Arc::new(measured));
        }
        if let Some(file) = &far.rig {
            let path = beside(file);
            let their_name = path.display().to_string();
            let their_text = read_text(&path).map_err(|e| placed(e, "far", i, "rig"))?;
            let their: rig::Description = parse(&their_name, unmarked(&their_text), FileKind::Rig)?;
            far.their_rig =
                Some(Box::new(with_far_files(&their_name, &their_text, their, WhoseRig::Theirs)?));
        }
    }
    for (i, meeting) in description.meetings.iter_mut().enumerate() {
        if let Some(file) = &meeting.link {
            let measured = read_link(&beside(file), None).map_err(|e| placed(e, "meeting", i, "link"))?;
            meeting.measured = Some(std::sync::Arc::new(measured));
        }
    }
    Ok(description)
}

/// Reads and checks a session whose processors get the figures that were weighed; and what became of each that says what it is.
///
/// # Errors
/// See [`FileError`].
pub fn read_session_weighed(
    path: &Path,
    rig: &Rig,
    tables: &Tables,
    catalogue: &Catalogue,
) -> Result<(Session, Vec<Used>), FileError> {
    session_weighed_from(&path.display().to_string(), &read_text(path)?, rig, tables, catalogue)
}

/// The same from its text; `name` is shown in errors.
///
/// # Errors
/// See [`FileError`].
pub fn session_weighed_from(
    name: &str,
    text: &str,
    rig: &Rig,
    tables: &Tables,
    catalogue: &Catalogue,
) -> Result<(Session, Vec<Used>), FileError> {
    let text = unmarked(text);
    let mut description: session::Description = parse(name, text, FileKind::Session)?;
    let used = fill(&mut description, catalogue, &PlannedMachine::of(rig, tables));
    let session = Session::checked(description, tables).map_err(|e| locate(name, text, e))?;
    session.check_interfaces(rig).map_err(|e| locate(name, text, e))?;
    Ok((session, used))
}

/// A session from its text; `name` is shown in errors.
///
/// # Errors
/// See [`FileError`].
pub fn session_from(name: &str, text: &str, rig: &Rig, tables: &Tables) -> Result<Session, FileError> {
    let session = session_alone(name, text, tables)?;
    session.check_interfaces(rig).map_err(|e| locate(name, unmarked(text), e))?;
    Ok(session)
}

/// A session from its text, whatever the rig.
///
/// # Errors
/// See [`FileError`].
pub fn session_alone(name: &str, text: &str, tables: &Tables) -> Result<Session, FileError> {
    let text = unmarked(text);
    let description: session::Description = parse(name, text, FileKind::Session)?;
    Session::checked(description, tables).map_err(|e| locate(name, text, e))
}

/// Notes from their text, checked against rig and session; `today` is an ISO 8601 date.
///
/// # Errors
/// See [`FileError`].
pub fn notes_from(
    name: &str,
    text: &str,
    (rig, session): (&Rig, &Session),
    today: &str,
) -> Result<Vec<Note>, FileError> {
    let text = unmarked(text);
    let description: notes::Description = parse(name, text, FileKind::Notes)?;
    notes::checked(&description, rig, session, today).map_err(|e| locate(name, text, e))
}

/// A text without the byte order mark that some editors put before it.
fn unmarked(text: &str) -> &str {
    text.strip_prefix('\u{feff}').unwrap_or(text)
}

/// The text of a description.
///
/// # Errors
/// [`FileError::Unreadable`].
pub fn read_text(path: &Path) -> Result<String, FileError> {
    let unreadable =
        |why: String, help: &str| FileError::Unreadable { path: path.into(), why, help: help.into() };
    let about = std::fs::metadata(path).map_err(|e| FileError::unreadable(path, &e))?;
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
        std::fs::read(path).map_err(|e| unreadable(plain_words(&e), "check the permissions of the file"))?;
    text_of(path, &bytes)
}

/// The text that a file holds, if it is one.
pub(crate) fn text_of(path: &Path, bytes: &[u8]) -> Result<String, FileError> {
    let unreadable =
        |why: String, help: &str| FileError::Unreadable { path: path.into(), why, help: help.into() };
    if bytes.contains(&0) {
        return Err(unreadable("it is a binary file".into(), "name a TOML text file"));
    }
    String::from_utf8(bytes.to_vec()).map_err(|e| {
        let good = e.utf8_error().valid_up_to();
        let line = e.as_bytes()[..good].iter().filter(|&&b| b == b'\n').count() + 1;
        unreadable(format!("line {line} is not UTF-8 text"), "save the file as UTF-8")
    })
}

fn parse<T: DeserializeOwned>(name: &str, text: &str, kind: FileKind) -> Result<T, FileError> {
    let wrong = |span, what: String, help: String| FileError::Wrong {
        name: name.into(),
        text: text.into(),
        span,
        reason: FileReason::said(what, help),
    };
    let start = format!("begin with: format = \"{}/{VERSION}\"", kind.format());
    if text.trim().is_empty() {
        return Err(wrong(None, "the file is empty".into(), start));
    }
    let document = Document::parse(text).map_err(|e| {
        let (what, help) = syntax(e.message());
        wrong(e.span(), what, help)
    })?;
    let Some(item) = document.get("format") else {
        let first = 0..text.find('\n').unwrap_or(text.len());
        return Err(wrong(Some(first), "the key `format` is missing".into(), start));
    };
    let found = item.as_str().unwrap_or("");
    let (format, version) = found.split_once('/').unwrap_or((found, ""));
    if let Some(other) = FileKind::of(format).filter(|other| *other != kind) {
        let what = format!("this is a {} file where a {} file belongs", other.word(), kind.word());
        return Err(wrong(item.span(), what, "name the rig first, then the session".into()));
    }
    if format != kind.format() {
        let what = format!("this is not a {} file: its format is `{found}`", kind.word());
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
    toml::from_str(text).map_err(|e| {
        let said = explain(e.message(), text, e.span());
        wrong(e.span(), said.what, said.help)
    })
}

/// What breaks the form of a TOML file, and how it is mended.
fn syntax(message: &str) -> (String, String) {
    let first = message.lines().next().unwrap_or("").trim();
    let twice = first.contains("duplicate key");
    let help = match () {
        () if twice => "keep one of them",
        () if message.contains("newline") && message.contains("expected") => "one `key = value` a line",
        () if first.contains("string") => "close the quotes: name = \"rack\"",
        () if first.contains("array") => "close the list: rates_hz = [44100, 48000]",
        () if first.contains("inline table") => "close the table: { inputs = 2, outputs = 2 }",
        () => "write `key = value` lines under [tables]; text stands in quotes",
    };
    let what = if twice { "this key stands here twice".to_string() } else { first.to_string() };
    (what, help.into())
}

/// Gives a contradiction found by the core its place in the text.
fn locate(name: &str, text: &str, invalid: Invalid) -> FileError {
    placed_at(name, text, &invalid.path, FileReason::Contradicts(Box::new(invalid.why)))
}

fn placed_at(name: &str, text: &str, path: &[PathStep], reason: FileReason) -> FileError {
    let span = Document::parse(text).ok().and_then(|d| span_of(d.as_item(), path));
    FileError::Wrong { name: name.into(), text: text.into(), span, reason }
}

/// The bytes of the value at `path`, or of the innermost table on the way to it that has a place.
fn span_of(root: &Item, path: &[PathStep]) -> Option<Range<usize>> {
    let mut at = root;
    let mut span = None;
    for place in path {
        let next = match place {
            PathStep::Key(key) => at.get(*key),
            PathStep::Named(key) => at.get(key.as_str()),
            PathStep::At(i) => match at {
                Item::ArrayOfTables(tables) => {
                    let table = tables.get(*i)?;
                    span = table.span().or(span);
                    return span_in_table(
                        table,
                        &path[path.iter().position(|p| std::ptr::eq(p, place))? + 1..],
                    )
                    .or(span);
                }
                Item::None | Item::Value(_) | Item::Table(_) => at.get(*i),
            },
        };
        match next {
            Some(item) => {
                at = item;
                span = item.span().or(span);
            }
            None => {
                // Values inside arrays are not items: step into them by hand.
                if let (PathStep::At(i), Some(array)) = (place, at.as_array()) {
                    span = array.get(*i).and_then(toml_edit::Value::span).or(span);
                }
                break;
            }
        }
    }
    span
}

fn span_in_table(table: &toml_edit::Table, rest: &[PathStep]) -> Option<Range<usize>> {
    let [first, after @ ..] = rest else { return table.span() };
    let item = match first {
        PathStep::Key(key) => table.get(key),
        PathStep::Named(key) => table.get(key.as_str()),
        PathStep::At(_) => None,
    }?;
    span_of(item, after).or_else(|| item.span())
}
