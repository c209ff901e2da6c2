//! A measured profile into a rig file: `[machine.wake]` is written anew, what stood there moves to
//! `[[machine.earlier_wake]]`; everything else stays as it was written.

use crate::FileError;
use crate::edit::{no_place, parse, replace};
use std::path::Path;
use swiftloop_core::rig::WakeProfile;
use swiftloop_core::units::{Quantity, Range};
use toml_edit::{Array, ArrayOfTables, InlineTable, Item, Table, Value};

/// Earlier profiles that are kept.
const KEPT: usize = 8;

/// Writes `profile` into the rig file at `path`, whose text was `text` when it was read.
///
/// # Errors
/// [`FileError`]: the file cannot be read or written, or has been changed meanwhile; nothing has changed then.
pub fn save_profile(path: &Path, text: &str, profile: &WakeProfile) -> Result<(), FileError> {
    replace(path, text, &with_profile(path, text, profile)?)
}

/// The text of a rig with `profile` in it; `path` is named in errors.
///
/// # Errors
/// [`FileError`], when the text has no place for it.
pub fn with_profile(path: &Path, text: &str, profile: &WakeProfile) -> Result<String, FileError> {
    let refuse = |why: &str| no_place(path, why);
    let mut document = parse(path, text)?;
    let machine = document
        .get_mut("machine")
        .and_then(Item::as_table_mut)
        .ok_or_else(|| refuse("it has no [machine] table of its own"))?;
    if let Some(old) = machine.remove("wake").and_then(|old| old.into_table().ok()) {
        let item = machine.entry("earlier_wake").or_insert(Item::ArrayOfTables(ArrayOfTables::new()));
        let earlier = item
            .as_array_of_tables_mut()
            .ok_or_else(|| refuse("machine.earlier_wake is not a list of [[machine.earlier_wake]] tables"))?;
        earlier.push(detached(&old));
        while earlier.len() > KEPT {
            earlier.remove(0);
        }
    }
    machine.insert("wake", Item::Table(table(profile)));
    Ok(document.to_string())
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
fn bins(key: &str, entries: impl Iterator<Item = (f64, u64)>) -> Value {
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
    let mut table = Table::new();
    table.decor_mut().set_prefix("\n# Measured by swiftloop soak: not to be edited by hand.\n");
    let mut put = |key: &str, value: Value| {
        table.insert(key, Item::Value(value));
    };
    put("date", profile.date.as_str().into());
    if let Some(power) = profile.power {
        put("power", power.word().into());
    }
    for (key, word) in [("kernel", &profile.kernel), ("clocks", &profile.clocks)] {
        if let Some(word) = word {
            put(key, word.as_str().into());
        }
    }
    for (key, flag) in [("realtime", profile.realtime), ("held_awake", profile.held_awake)] {
        if let Some(flag) = flag {
            put(key, flag.into());
        }
    }
    if let Some(speed) = profile.core_speed {
        put("core_speed", round(speed.0).into());
    }
    put("wakes", i64::try_from(profile.wakes).unwrap_or(i64::MAX).into());
    put("threshold_us", round(profile.threshold_us.0).into());
    put("tail_share", range(profile.tail_share));
    put("shape", range(profile.shape));
    put("scale_us", range(profile.scale_us));
    if let Some(variation) = profile.variation {
        put("variation", range(variation));
    }
    for (key, factor) in [("cluster", profile.cluster), ("pace_drift", profile.pace_drift)] {
        if let Some(factor) = factor {
            put(key, round(factor.0).into());
        }
    }
    put("bins", bins("up_to_us", profile.bins.iter().map(|b| (b.up_to_us.0, b.count))));
    if !profile.pace.is_empty() {
        put("pace", bins("up_to", profile.pace.iter().map(|b| (b.up_to.0, b.count))));
    }
    table
}
