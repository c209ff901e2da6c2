//! Changes to a file that somebody wrote by hand: only what has to change changes, comments and order stay.

use crate::{FileError, Overwrite, save};
use std::path::Path;
use swiftloop_core::rig::MeasuredTrip;
use toml_edit::{Array, DocumentMut, InlineTable, Item, Table, Value};

/// A measured round trip and where it belongs.
#[derive(Debug, Clone)]
pub struct NewTrip {
    /// Interface, by its id.
    pub interface: String,
    /// Driver, by its id or model.
    pub driver: String,
    /// The figures.
    pub trip: MeasuredTrip,
}

/// Writes measured round trips into a rig file: those of the same rate and buffer are replaced, others stay.
///
/// # Errors
/// [`FileError`]: the file cannot be read or written, does not name the interface or driver, or has been changed by
/// somebody else since `text` was read; nothing has changed then.
pub fn save_trips(path: &Path, text: &str, trips: &[NewTrip]) -> Result<(), FileError> {
    let mut document = parse(path, text)?;
    for new in trips {
        let driver = find_driver(&mut document, &new.interface, &new.driver).ok_or_else(|| {
            refused(
                path,
                format!("it has no driver `{}` of an interface `{}`", new.driver, new.interface),
                "name both as the file does",
            )
        })?;
        put(driver, &new.trip);
    }
    replace(path, text, &document.to_string())
}

fn refused(path: &Path, why: String, help: &str) -> FileError {
    FileError::Unreadable { path: path.into(), why, help: help.into() }
}

/// The file has no place for what is to be written.
pub(crate) fn no_place(path: &Path, why: &str) -> FileError {
    refused(path, why.into(), "mend the file, or save into another")
}

/// A text that can be changed line by line.
pub(crate) fn parse(path: &Path, text: &str) -> Result<DocumentMut, FileError> {
    text.parse().map_err(|e: toml_edit::TomlError| no_place(path, &e.to_string()))
}

/// Puts `new` in the place of `text`, unless somebody else was there in between.
pub(crate) fn replace(path: &Path, text: &str, new: &str) -> Result<(), FileError> {
    let now = std::fs::read_to_string(path).map_err(|e| refused(path, e.to_string(), "check the file"))?;
    if now != text {
        return Err(refused(path, "it has been changed meanwhile".into(), "run the command again"));
    }
    save(path, new.as_bytes(), Overwrite::Allow)
}

fn find_driver<'a>(document: &'a mut DocumentMut, interface: &str, driver: &str) -> Option<&'a mut Table> {
    let says = |t: &Table, key: &str, word: &str| t.get(key).and_then(Item::as_str) == Some(word);
    let interfaces = document.get_mut("interface")?.as_array_of_tables_mut()?;
    let found = interfaces.iter_mut().find(|t| says(t, "id", interface))?;
    let drivers = found.get_mut("driver")?.as_array_of_tables_mut()?;
    drivers.iter_mut().find(|t| says(t, "id", driver) || t.get("id").is_none() && says(t, "model", driver))
}

/// The keys that tell one measurement from another.
fn same(table: &InlineTable, trip: &MeasuredTrip) -> bool {
    let number = |key: &str| table.get(key).and_then(Value::as_integer);
    number("rate_hz") == Some(i64::from(trip.rate_hz.0))
        && number("buffer_frames") == trip.buffer_frames.map(|b| i64::from(b.0))
        && table.get("speed").and_then(Value::as_str) == trip.speed.as_deref()
}

fn put(driver: &mut Table, trip: &MeasuredTrip) {
    // Tables of their own become a list: one form, whatever it was.
    if let Some(tables) = driver.get("measured").and_then(Item::as_array_of_tables) {
        let list: Array = tables.iter().map(|t| Value::InlineTable(t.clone().into_inline_table())).collect();
        driver.insert("measured", Item::Value(Value::Array(list)));
    }
    let item = driver.entry("measured").or_insert(Item::Value(Value::Array(Array::new())));
    let Some(list) = item.as_array_mut() else { return };
    let entry = entry(trip);
    let old = list.iter().position(|v| v.as_inline_table().is_some_and(|t| same(t, trip)));
    if let Some(value) = old.and_then(|at| list.get_mut(at)) {
        let decor = value.decor().clone();
        *value = Value::InlineTable(entry);
        *value.decor_mut() = decor;
        return;
    }
    let mut value = Value::InlineTable(entry);
    value.decor_mut().set_prefix("\n  ");
    list.push_formatted(value);
    list.set_trailing("\n");
    list.set_trailing_comma(true);
}

fn entry(trip: &MeasuredTrip) -> InlineTable {
    let mut table = InlineTable::new();
    table.insert("rate_hz", i64::from(trip.rate_hz.0).into());
    if let Some(block) = trip.buffer_frames {
        table.insert("buffer_frames", i64::from(block.0).into());
    }
    if let Some(speed) = &trip.speed {
        table.insert("speed", speed.as_str().into());
    }
    let range = trip.round_trip_frames;
    // A ten-thousandth of a frame is the probe's own limit.
    let figures = [
        (range.low().0, f64::floor as fn(f64) -> f64),
        (range.typical().0, f64::round),
        (range.high().0, f64::ceil),
    ];
    let list: Array = figures.iter().map(|(x, to)| to(x * 1e4) / 1e4).collect();
    table.insert("round_trip_frames", Value::Array(list));
    table
}
