//! Measured round trips into a rig file: those of the same rate and buffer are replaced, others stay.

use super::list::tables_mut;
use super::{Misfit, edit_file};
use crate::FileError;
use std::path::Path;
use swiftloop_core::rig::MeasuredTrip;
use swiftloop_core::tables::Tables;
use toml_edit::{Array, DocumentMut, InlineTable, Item, TableLike, Value};

/// A measured round trip and where it belongs.
#[derive(Debug, Clone)]
pub struct NewTrip {
    /// Interface, by its id.
    pub interface: String,
    /// Driver, by its id or model.
    pub driver: String,
    pub trip: MeasuredTrip,
}

/// Writes measured round trips into a rig file.
///
/// # Errors
/// [`FileError`]: the file cannot be read or written, does not name the interface or driver, or is no rig with these
/// trips in it; nothing has changed then.
pub fn save_trips(path: &Path, tables: &Tables, trips: &[NewTrip]) -> Result<(), FileError> {
    edit_file(path, tables, &|document| {
        for new in trips {
            let driver = find_driver(document, &new.interface, &new.driver).ok_or_else(|| {
                Misfit::new(
                    format!("it has no driver `{}` of an interface `{}`", new.driver, new.interface),
                    "name both as the file does",
                )
            })?;
            put(driver, &new.trip);
        }
        Ok(())
    })
}

fn find_driver<'a>(
    document: &'a mut DocumentMut,
    interface: &str,
    driver: &str,
) -> Option<&'a mut dyn TableLike> {
    let plain = swiftloop_core::rig::plain;
    let says = |t: &dyn TableLike, key: &str, word: &str| {
        t.get(key).and_then(Item::as_str).is_some_and(|own| own == word || plain(own) == plain(word))
    };
    let interfaces = tables_mut(document.get_mut("interface")?);
    let found = interfaces.into_iter().find(|t| says(*t, "id", interface))?;
    let drivers = tables_mut(found.get_mut("driver")?);
    drivers.into_iter().find(|t| says(*t, "id", driver) || t.get("id").is_none() && says(*t, "model", driver))
}

/// The keys that tell one measurement from another.
fn same(table: &InlineTable, trip: &MeasuredTrip) -> bool {
    let number = |key: &str| table.get(key).and_then(Value::as_integer);
    number("rate_hz") == Some(i64::from(trip.rate_hz.get()))
        && number("buffer_frames") == trip.buffer_frames.map(|b| i64::from(b.get()))
        && number("blocks") == trip.blocks.map(i64::from)
        && table.get("speed").and_then(Value::as_str) == trip.speed.as_deref()
}

fn put(driver: &mut dyn TableLike, trip: &MeasuredTrip) {
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
    table.insert("rate_hz", i64::from(trip.rate_hz.get()).into());
    if let Some(blocks) = trip.blocks {
        table.insert("blocks", i64::from(blocks).into());
    }
    if let Some(block) = trip.buffer_frames {
        table.insert("buffer_frames", i64::from(block.get()).into());
    }
    if let Some(speed) = &trip.speed {
        table.insert("speed", speed.as_str().into());
    }
    let range = trip.round_trip_frames;
    // A ten-thousandth of a frame is the probe's own limit.
    let figures = [
        (range.low().raw(), f64::floor as fn(f64) -> f64),
        (range.typical().raw(), f64::round),
        (range.high().raw(), f64::ceil),
    ];
    let list: Array = figures.iter().map(|(x, to)| to(x * 1e4) / 1e4).collect();
    table.insert("round_trip_frames", Value::Array(list));
    table
}
