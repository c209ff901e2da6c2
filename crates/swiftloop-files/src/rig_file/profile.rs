//! A measured profile into a rig file: `[machine.wake]` is written anew, what stood there moves to
//! `[[machine.earlier_wake]]`; everything else stays as it was written.

use super::list::{inline, is_inline, push, tables_mut};
use super::{Misfit, edit_file, edited, try_edit};
use crate::FileError;
use std::path::Path;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::soak::{Provenance, Samples, ValueCounts, learn};
use swiftloop_core::tables::Tables;
use swiftloop_units::{Factor, Quantity, Range};
use toml_edit::{Array, DocumentMut, InlineTable, Item, Table, TableLike, Value};

/// Earlier profiles that are kept.
const KEPT: usize = 8;

/// Writes `profile` into the rig file at `path`.
///
/// # Errors
/// [`FileError`]: the file cannot be read or written, or has no place for it; nothing has changed then.
pub fn save_profile(path: &Path, tables: &Tables, profile: &WakeProfile) -> Result<(), FileError> {
    edit_file(path, tables, &|document| put(document, profile))
}

/// Writes how much dearer weighed processors are in a chain into the rig file at `path`.
///
/// # Errors
/// As for [`save_profile`].
pub fn save_paced(path: &Path, tables: &Tables, times: Range<Factor>) -> Result<(), FileError> {
    edit_file(path, tables, &|document| {
        let no_place = || Misfit::new("it has no [machine]", "write the computer as a [machine] table");
        let machine = document.get_mut("machine").and_then(Item::as_table_like_mut).ok_or_else(no_place)?;
        machine.insert("paced_cost", Item::Value(range(times)));
        Ok(())
    })
}

/// Whether a profile would go into the file: to be asked before an hour of measuring begins.
///
/// # Errors
/// As for [`save_profile`].
pub fn check_profile_fits(path: &Path, tables: &Tables) -> Result<(), FileError> {
    let some =
        Samples { wakes: ValueCounts::new((0..1000).map(|i| (f64::from(i), 1))), ..Samples::default() };
    match learn(&some, &Provenance { date: "2000-01-01".into(), ..Provenance::default() }) {
        Some(profile) => try_edit(path, tables, &|document| put(document, &profile)),
        None => Ok(()),
    }
}

/// The text of a rig with `profile` in it; `path` is named in errors.
///
/// # Errors
/// [`FileError`], when the text has no place for it.
pub fn with_profile(
    path: &Path,
    text: &str,
    tables: &Tables,
    profile: &WakeProfile,
) -> Result<String, FileError> {
    edited(path, text, tables, &|document| put(document, profile)).map(|(text, ())| text)
}

fn put(document: &mut DocumentMut, profile: &WakeProfile) -> Result<(), Misfit> {
    let no_place =
        |what: &str| Misfit::new(what, "write the computer as a [machine] table, or save into another file");
    let item = document.get_mut("machine").ok_or_else(|| no_place("it has no [machine]"))?;
    let on_one_line = is_inline(item);
    let machine = item.as_table_like_mut().ok_or_else(|| no_place("its `machine` is no table"))?;
    if let Some(old) = machine.remove("wake").and_then(|old| old.into_table().ok()) {
        if !push(machine, "earlier_wake", detached(&old), on_one_line) {
            return Err(no_place("its machine.earlier_wake is no list of tables"));
        }
        while machine.get_mut("earlier_wake").is_some_and(|all| tables_mut(all).len() > KEPT) {
            forget_first(machine);
        }
    }
    let new = table(profile);
    machine.insert("wake", if on_one_line { Item::Value(inline(new)) } else { Item::Table(new) });
    Ok(())
}

fn forget_first(machine: &mut dyn TableLike) {
    match machine.get_mut("earlier_wake") {
        Some(Item::ArrayOfTables(all)) => drop(all.remove(0)),
        Some(Item::Value(Value::Array(all))) => drop(all.remove(0)),
        Some(Item::None | Item::Value(_) | Item::Table(_)) | None => {}
    }
}

/// A copy that takes its place anew instead of where it stood.
fn detached(old: &Table) -> Table {
    let mut table = Table::new();
    for (key, item) in old {
        table.insert(key, item.clone());
    }
    table
}

/// Four digits after the point, nine for what is small: far below what a clock tells.
fn round(x: f64) -> f64 {
    if x.abs() < 0.1 { (x * 1e9).round() / 1e9 } else { (x * 1e4).round() / 1e4 }
}

fn range<T: Quantity>(r: Range<T>) -> Value {
    let list: Array = [r.low(), r.typical(), r.high()].iter().map(|x| round(x.raw())).collect();
    Value::Array(list)
}

/// A list with a line for each entry; those whose bounds are written the same are one.
fn binned(key: &str, entries: impl Iterator<Item = (f64, u64)>) -> Value {
    let mut written: Vec<(f64, u64)> = Vec::new();
    for (bound, count) in entries.map(|(bound, count)| (round(bound), count)) {
        match written.last_mut() {
            Some(last) if last.0 >= bound => last.1 += count,
            _ => written.push((bound, count)),
        }
    }
    let mut list = Array::new();
    for (bound, count) in written {
        let mut entry = InlineTable::new();
        entry.insert(key, bound.into());
        entry.insert("count", i64::try_from(count).unwrap_or(i64::MAX).into());
        let mut value = Value::InlineTable(entry);
        value.decor_mut().set_prefix("\n  ");
        list.push_formatted(value);
    }
    list.set_trailing("\n");
    list.set_trailing_comma(true);
    Value::Array(list)
}

fn table(profile: &WakeProfile) -> Table {
    // Taken apart whole: a new field of a profile does not compile until it is written here.
    let WakeProfile {
        date,
        wakes,
        bins,
        threshold_us,
        tail_share,
        shape,
        scale_us,
        variation,
        cluster,
        pace,
        pace_drift,
        core_speed,
        power,
        kernel,
        clocks,
        realtime,
        held_awake,
    } = profile;
    let mut table = Table::new();
    table.decor_mut().set_prefix("\n# Measured by swiftloop soak: not to be edited by hand.\n");
    let mut put = |key: &str, value: Option<Value>| {
        if let Some(value) = value {
            table.insert(key, Item::Value(value));
        }
    };
    put("date", Some(date.as_str().into()));
    put("power", power.map(|p| p.as_str().into()));
    put("kernel", kernel.as_deref().map(Value::from));
    put("clocks", clocks.as_deref().map(Value::from));
    put("realtime", realtime.map(Value::from));
    put("held_awake", held_awake.map(Value::from));
    put("core_speed", core_speed.map(|s| round(s.raw()).into()));
    put("wakes", Some(i64::try_from(*wakes).unwrap_or(i64::MAX).into()));
    put("threshold_us", Some(round(threshold_us.raw()).into()));
    put("tail_share", Some(range(*tail_share)));
    put("shape", Some(range(*shape)));
    put("scale_us", Some(range(*scale_us)));
    put("variation", variation.map(range));
    put("cluster", cluster.map(|c| round(c.raw()).into()));
    put("pace_drift", pace_drift.map(|d| round(d.raw()).into()));
    put("bins", Some(binned("up_to_us", bins.iter().map(|b| (b.up_to_us.raw(), b.count)))));
    let paces = || binned("up_to", pace.iter().map(|b| (b.up_to.raw(), b.count)));
    put("pace", (!pace.is_empty()).then(paces));
    table
}
