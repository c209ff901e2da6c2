//! Importing again. The session as it is now, what the last import wrote and what this one would write come in; the session with
//! what changed in the source goes out. Where the session still says what the last import wrote, nobody has
//! touched it, and the source decides; everything else is the user's, and stays.

use super::found::ImportedProject;
use super::write;
use crate::description::session_alone;
use crate::{FileError, FileReason, tables};
use std::path::Path;
use toml_edit::{Array, ArrayOfTables, DocumentMut, InlineTable, Item, TableLike, Value};

/// A session with what was imported.
#[derive(Debug, Clone, PartialEq)]
pub struct Merged {
    pub session: String,
    /// What this import wrote by itself, to tell the user's changes from the source's next time.
    pub written: String,
    /// Ids that are new in it.
    pub added: Vec<String>,
    /// What changed in the source, and so here: places by their ids and keys.
    pub changed: Vec<String>,
    /// Ids that the source has no longer, and nobody had touched.
    pub removed: Vec<String>,
    /// What the source says otherwise, and the user's word stayed.
    pub kept: Vec<String>,
}

/// The session that an import writes: alone, or into the one that is there. `there` is that with its path, `last` what the last
/// import wrote.
///
/// # Errors
/// [`FileError`] when what is there cannot be read, or the two do not go together.
pub fn merged(
    found: &ImportedProject,
    there: Option<(&Path, &str)>,
    last: Option<&str>,
) -> Result<Merged, FileError> {
    let written = write::session(found);
    let mut merged = Merged {
        session: written.clone(),
        written: written.clone(),
        added: Vec::new(),
        changed: Vec::new(),
        removed: Vec::new(),
        kept: Vec::new(),
    };
    let Some((path, text)) = there else {
        session_alone("the imported session", &written, tables())?;
        return Ok(merged);
    };
    let name = path.display().to_string();
    session_alone(&name, text, tables())?;
    let misfit = |what: String, help: &str| FileError::Misfit {
        path: path.into(),
        reason: FileReason::said(what, help),
    };
    let parse = |text: &str| {
        text.replace("\r\n", "\n")
            .parse::<DocumentMut>()
            .map_err(|_| misfit("it is no TOML".into(), "mend the file"))
    };
    let mut now = parse(text)?;
    // A record that somebody damaged is none: then all is the user's.
    let base = last.and_then(|text| parse(text).ok()).unwrap_or_default();
    let new = parse(&written)?;
    for list in ["track", "bus"] {
        if now.get(list).is_some_and(|item| !item.is_array_of_tables()) {
            return Err(misfit(
                format!("its {list}s stand in one line"),
                "write each under a heading of its own: [[track]], [[bus]]",
            ));
        }
        merge_tables(&mut now, &base, &new, list, &mut merged);
    }
    merge_keys(now.as_table_mut(), Some(base.as_table()), new.as_table(), "", &["name"], &mut merged);
    for table in ["deliver", "main"] {
        let Some(Item::Table(theirs)) = new.get(table) else { continue };
        let known = base.get(table).and_then(Item::as_table_like);
        let mine = now.entry(table).or_insert_with(|| Item::Table(toml_edit::Table::new()));
        if let Some(mine) = mine.as_table_like_mut() {
            merge_keys(mine, known, theirs, table, &[], &mut merged);
        }
    }
    merged.session = now.to_string();
    if text.contains("\r\n") {
        merged.session = merged.session.replace('\n', "\r\n");
    }
    session_alone(&name, &merged.session, tables()).map_err(|e| match e {
        FileError::Wrong { reason, .. } => {
            FileError::Misfit { path: path.into(), reason: reason.within("with what is new in the source, ") }
        }
        other @ FileError::Unreadable { .. }
        | other @ FileError::Misfit { .. }
        | other @ FileError::Exists { .. }
        | other @ FileError::Unwritable { .. } => other,
    })?;
    Ok(merged)
}

fn id_of(table: &dyn TableLike) -> Option<&str> {
    table.get("id").and_then(Item::as_str)
}

fn tables_of<'d>(document: &'d DocumentMut, list: &str) -> Vec<&'d toml_edit::Table> {
    document.get(list).and_then(Item::as_array_of_tables).map(|all| all.iter().collect()).unwrap_or_default()
}

/// Tracks or buses, one by one.
fn merge_tables(now: &mut DocumentMut, base: &DocumentMut, new: &DocumentMut, list: &str, told: &mut Merged) {
    let (known, fresh) = (tables_of(base, list), tables_of(new, list));
    let find = |all: &[&toml_edit::Table], id: &str| {
        all.iter().find(|t| id_of(**t as &dyn TableLike) == Some(id)).map(|t| (*t).clone())
    };
    // Who is named elsewhere cannot go.
    let named = names_in(now);
    let item = now.entry(list).or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    let Some(mine) = item.as_array_of_tables_mut() else { return };
    let mut gone = Vec::new();
    for (i, table) in mine.iter_mut().enumerate() {
        let Some(id) = id_of(table).map(String::from) else { continue };
        let was = find(&known, &id);
        match (find(&fresh, &id), was) {
            (Some(theirs), was) => {
                let was = was.as_ref().map(|w| w as &dyn TableLike);
                merge_keys(table, was, &theirs, &id, &[], told);
            }
            (None, Some(was)) if same_table(table, &was) && !named.contains(&id) => gone.push((i, id)),
            (None, Some(_)) => told.kept.push(format!("{id}, which the source has no longer")),
            (None, None) => {}
        }
    }
    for (i, id) in gone.into_iter().rev() {
        mine.remove(i);
        told.removed.push(id);
    }
    for table in fresh {
        let Some(id) = id_of(table) else { continue };
        // Who took it out of the session does not want it back.
        let there = mine.iter().any(|t| id_of(t) == Some(id));
        if !there && find(&known, id).is_none() {
            let mut table = table.clone();
            table.set_position(None);
            mine.push(table);
            told.added.push(id.to_string());
        }
    }
    if mine.is_empty() {
        now.remove(list);
    }
}

/// Ids that performers, phases, outputs and sends of the session name.
fn names_in(document: &DocumentMut) -> Vec<String> {
    let mut all = Vec::new();
    let mut words = |item: Option<&Item>| {
        for value in item.and_then(Item::as_array).into_iter().flatten() {
            let of_send = value.as_inline_table().and_then(|t| t.get("to"));
            all.extend(value.as_str().or(of_send.and_then(Value::as_str)).map(String::from));
        }
        all.extend(item.and_then(Item::as_str).map(String::from));
    };
    for (list, keys) in [
        ("performer", &["hears", "cue"][..]),
        ("phase", &["keep"]),
        ("track", &["to", "sends"]),
        ("bus", &["to", "sends"]),
    ] {
        for table in tables_of(document, list) {
            keys.iter().for_each(|key| words(table.get(key)));
        }
    }
    all
}

/// Keys of one table: `only` these, or all that an import writes.
fn merge_keys(
    mine: &mut dyn TableLike,
    base: Option<&dyn TableLike>,
    new: &dyn TableLike,
    place: &str,
    only: &[&str],
    told: &mut Merged,
) {
    let mut keys: Vec<String> = new.iter().map(|(k, _)| k.to_string()).collect();
    keys.extend(base.into_iter().flat_map(|b| b.iter()).map(|(k, _)| k.to_string()));
    keys.sort();
    keys.dedup();
    for key in keys.iter().filter(|k| if only.is_empty() { *k != "id" } else { only.contains(&k.as_str()) }) {
        let was = base.and_then(|b| b.get(key));
        let is = new.get(key);
        let whole = format!("{place}{}{key}", if place.is_empty() { "" } else { "." });
        if key == "processor" && base.is_some() {
            merge_processors(mine, was, is, place, told);
            continue;
        }
        let (theirs, known, own) = (is.map(plain), was.map(plain), mine.get(key).map(plain));
        if own == theirs {
            continue;
        }
        if base.is_none() {
            // Nobody knows who wrote it.
            if own.is_some() {
                told.kept.push(whole);
            }
            continue;
        }
        if own == known {
            match is {
                // Where it stands the user's comments stay.
                Some(item) => match (mine.get_mut(key).and_then(Item::as_value_mut), item.as_value()) {
                    (Some(old), Some(value)) => {
                        let decor = old.decor().clone();
                        *old = value.clone();
                        *old.decor_mut() = decor;
                    }
                    _ => {
                        mine.insert(key, item.clone());
                    }
                },
                None => {
                    mine.remove(key);
                }
            }
            told.changed.push(whole);
        } else if theirs != known {
            told.kept.push(whole);
        }
    }
}

/// A chain of processors, one by one; new ones stand where the source has them.
fn merge_processors(
    mine: &mut dyn TableLike,
    was: Option<&Item>,
    is: Option<&Item>,
    place: &str,
    told: &mut Merged,
) {
    let empty = Array::new();
    let chain = |item: Option<&Item>| item.and_then(Item::as_array).cloned().unwrap_or_else(|| empty.clone());
    let (known, fresh) = (chain(was), chain(is));
    if mine.get("processor").is_none() {
        if known.is_empty() && !fresh.is_empty() {
            mine.insert("processor", Item::Value(Value::Array(fresh)));
            told.changed.push(format!("{place}.processor"));
        }
        return;
    }
    let Some(own) = mine.get_mut("processor").and_then(Item::as_array_mut) else { return };
    let find = |all: &Array, id: &str| {
        all.iter().filter_map(Value::as_inline_table).find(|t| id_of(*t) == Some(id)).cloned()
    };
    let mut gone = Vec::new();
    for (i, value) in own.iter_mut().enumerate() {
        let Some(table) = value.as_inline_table_mut() else { continue };
        let Some(id) = id_of(table).map(String::from) else { continue };
        match (find(&fresh, &id), find(&known, &id)) {
            (Some(theirs), was) => {
                let was = was.as_ref().map(|w| w as &dyn TableLike);
                merge_keys(table, was, &theirs, &id, &[], told);
            }
            (None, Some(was)) if same_table(table, &was) => gone.push((i, id)),
            (None, Some(_)) => told.kept.push(format!("{id}, which the source has no longer")),
            (None, None) => {}
        }
    }
    for (i, id) in gone.into_iter().rev() {
        own.remove(i);
        told.removed.push(id);
    }
    let ids = |all: &Array| -> Vec<String> {
        all.iter().filter_map(Value::as_inline_table).filter_map(|t| id_of(t).map(String::from)).collect()
    };
    let fresh_ids = ids(&fresh);
    for (at, id) in fresh_ids.iter().enumerate() {
        if ids(own).contains(id) || find(&known, id).is_some() {
            continue;
        }
        let Some(table) = find(&fresh, id) else { continue };
        // Behind the one that stands before it in the source.
        let before = fresh_ids[..at].iter().rev().find_map(|b| ids(own).iter().position(|o| o == b));
        let value = Value::InlineTable(table).decorated("\n  ", "");
        own.insert_formatted(before.map_or(0, |b| b + 1), value);
        told.added.push(id.clone());
    }
}

fn same_table(a: &dyn TableLike, b: &dyn TableLike) -> bool {
    plain_table(a) == plain_table(b)
}

/// What an item says, without how it is written.
fn plain(item: &Item) -> String {
    match item {
        Item::Value(value) => plain_value(value),
        Item::Table(table) => plain_table(table),
        Item::None | Item::ArrayOfTables(_) => item.to_string(),
    }
}

fn plain_table(table: &dyn TableLike) -> String {
    let mut all: Vec<String> = table.iter().map(|(k, v)| format!("{k}={}", plain(v))).collect();
    all.sort();
    format!("{{{}}}", all.join(","))
}

fn plain_value(value: &Value) -> String {
    match value {
        Value::Array(array) => format!("[{}]", array.iter().map(plain_value).collect::<Vec<_>>().join(",")),
        Value::InlineTable(table) => plain_table(table as &InlineTable),
        Value::String(s) => format!("{:?}", s.value()),
        Value::Integer(i) => i.value().to_string(),
        Value::Float(f) => f.value().to_string(),
        Value::Boolean(b) => b.value().to_string(),
        Value::Datetime(d) => d.value().to_string(),
    }
}
