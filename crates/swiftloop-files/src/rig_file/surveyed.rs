//! A rig file from what a survey found: written with comments when there is none, else what is missing is added and
//! nothing else touched.

use super::differences::{FigureDifference, Replace, differences as compared};
use super::edit_file;
use super::list::{is_inline, push, tables_mut};
use crate::{FileError, FileReason, Overwrite, rig_from, save};
use std::collections::BTreeSet;
use std::fmt::Write;
use std::path::Path;
use swiftloop_core::survey::{BusyProgram, Card, Inventory, ServerState};
use swiftloop_core::tables::Tables;
use swiftloop_units::Hz;
use toml_edit::{DocumentMut, Item, Table, TableLike};

/// What was added to a rig file.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AddedToRig {
    /// The file is new.
    pub created: bool,
    /// What was added to an old one, for people.
    pub what: Vec<String>,
    /// What an old one says otherwise than the machine.
    pub differences: Vec<FigureDifference>,
}

/// Share of the machine from which a program is worth a line.
const PROGRAM: f64 = 0.02;

/// Writes or completes the rig file at `path`.
///
/// # Errors
/// [`FileError`]; nothing has changed then.
pub fn save_surveyed(
    path: &Path,
    inventory: &Inventory,
    disk_free_gb: Option<f64>,
    replace: &Replace,
    tables: &Tables,
) -> Result<AddedToRig, FileError> {
    let new = text(inventory, disk_free_gb);
    // Whatever was read off the machine, what we write has to be a rig.
    if let Err(FileError::Wrong { reason, .. }) = rig_from("what was found", &new, tables) {
        let reason = FileReason::Within {
            lead: "what was found makes no rig: ",
            reason: Box::new(reason),
            help: Some("describe this computer by hand; `swiftloop new` makes a file to start from"),
        };
        return Err(FileError::Misfit { path: path.into(), reason });
    }
    if path.symlink_metadata().is_err() {
        save(path, new.as_bytes(), Overwrite::Refuse)?;
        return Ok(AddedToRig { created: true, ..AddedToRig::default() });
    }
    let (what, differences) = edit_file(path, tables, &|document| {
        let (mut what, mut differences) = (Vec::new(), Vec::new());
        if let Ok(found) = new.parse::<DocumentMut>() {
            differences = compared(document, &found, replace);
            replace.check(&differences)?;
            complete_machine(document, &found, &mut what);
            complete_interfaces(document, &found, &mut what);
            for (list, key) in [("interface", "id"), ("place", "name"), ("program", "id")] {
                complete_list(document, &found, (list, key), &mut what);
            }
        }
        Ok((what, differences))
    })?;
    Ok(AddedToRig { created: false, what, differences })
}

fn complete_machine(document: &mut DocumentMut, found: &DocumentMut, what: &mut Vec<String>) {
    let Some(new) = found.get("machine").and_then(Item::as_table) else { return };
    let Some(item) = document.get_mut("machine") else { return };
    let on_one_line = is_inline(item);
    let Some(old) = item.as_table_like_mut() else { return };
    for (key, item) in new {
        // A class or power plan that was left out is a choice as well.
        if !old.contains_key(key) && !matches!(key, "class" | "power") {
            let mut item = item.clone();
            if let (true, Some(value)) = (on_one_line, item.as_value_mut()) {
                value.decor_mut().clear();
            }
            old.insert(key, item);
            what.push(format!("machine.{key}"));
        }
    }
}

/// Keys of a known interface that are filled in when they are missing: what the machine knows and nobody chooses.
const FILLED: [&str; 2] = ["channels", "hub"];

/// Fills in what a known interface does not say.
fn complete_interfaces(document: &mut DocumentMut, found: &DocumentMut, what: &mut Vec<String>) {
    let id = |t: &dyn TableLike| t.get("id").and_then(Item::as_str).map(String::from);
    let Some(new) = found.get("interface").and_then(Item::as_array_of_tables) else { return };
    let Some(old) = document.get_mut("interface") else { return };
    for old in tables_mut(old) {
        let Some(called) = id(old) else { continue };
        let Some(now) = new.iter().find(|t| id(*t).as_deref() == Some(&called)) else { continue };
        for key in FILLED {
            if let (None, Some(item)) = (old.get(key), now.get(key)) {
                let mut item = item.clone();
                if let Some(value) = item.as_value_mut() {
                    value.decor_mut().clear();
                }
                old.insert(key, item);
                what.push(format!("interface.{called}.{key}"));
            }
        }
    }
}

/// Adds the tables of a list whose key is not in it yet.
fn complete_list(
    document: &mut DocumentMut,
    found: &DocumentMut,
    (list, key): (&str, &str),
    what: &mut Vec<String>,
) {
    let word = |t: &dyn TableLike| t.get(key).and_then(Item::as_str).map(String::from);
    let Some(new) = found.get(list).and_then(Item::as_array_of_tables) else { return };
    let known: Vec<Option<String>> = document
        .get_mut(list)
        .map_or(Vec::new(), |old| tables_mut(old).into_iter().map(|t| word(t)).collect());
    for table in new {
        let Some(word) = word(table).filter(|w| !known.contains(&Some(w.clone()))) else { continue };
        let mut copy: Table = table.clone();
        copy.set_position(None);
        for (_, inner) in copy.iter_mut() {
            if let Some(tables) = inner.as_array_of_tables_mut() {
                tables.iter_mut().for_each(|t| t.set_position(None));
            }
        }
        if push(document.as_table_mut(), list, copy, false) {
            what.push(format!("{list} {word}"));
        }
    }
}

fn text(i: &Inventory, disk_free_gb: Option<f64>) -> String {
    let mut out = String::from(
        "# What swiftloop survey found. Ranges are [low, typical, high]; the unit is part of each key.\n\
         # Lines that say assumed are guesses: replace them with what you know, or measure.\n\
         format = \"swiftloop.rig/1\"\n\n",
    );
    machine(&mut out, i, disk_free_gb);
    let ids = ids(i.cards.iter().map(|c| c.id.as_str()));
    for (card, id) in i.cards.iter().zip(&ids) {
        interface(&mut out, card, id, &i.servers);
    }
    if i.cards.is_empty() && !i.servers.is_empty() {
        out.push_str(
            "\n# ---- no card of its own was seen: what the audio server plays through\n[[interface]]\nid = \"server\"\n\
             connection = \"built-in\"      # assumed\n",
        );
        drivers(&mut out, &i.servers);
    }
    places(&mut out, i, &ids);
    programs(&mut out, i);
    out
}

fn machine(out: &mut String, i: &Inventory, disk_free_gb: Option<f64>) {
    let class = if i.power.has_battery { "laptop" } else { "desktop" };
    let power = i.power_plan().as_str();
    let cores = i.processor.cores.or(i.processor.threads).unwrap_or(1).max(1);
    let threads = i.processor.threads.filter(|t| *t >= cores && *t <= cores * 8);
    let _ = write!(out, "[machine]\nclass = \"{class}\"\npower = \"{power}\"\ncores = {cores}\n");
    if let Some(threads) = threads {
        let _ = writeln!(out, "threads = {threads}");
    }
    if let Some(model) = i.processor.model.as_deref().filter(|m| !m.is_empty()) {
        let _ = writeln!(out, "processor = {}", toml_edit::Value::from(model));
    }
    if let Some(speed) = i.processor.speed.filter(|s| (0.01..100.0).contains(s)) {
        if let (Some(allowed), Some(most)) = (i.processor.allowed_mhz, i.processor.most_mhz)
            && allowed < most * 0.98
        {
            let _ = writeln!(
                out,
                "# the clock is held to {allowed:.0} of {most:.0} MHz now: so is the speed below"
            );
        }
        let _ = writeln!(
            out,
            "core_speed = {speed:.2}         # measured over a second, beside a 2020 desktop core at 4 GHz"
        );
    }
    match i.memory.total_gb.filter(|g| *g > 0.05) {
        Some(g) => {
            let _ = writeln!(out, "memory_gb = {g:.1}");
        }
        None => out.push_str("memory_gb = 8             # assumed\n"),
    }
    out.push_str("disk_mb_per_s = 400       # assumed: sustained, reading and writing mixed\n");
    match disk_free_gb {
        Some(g) => {
            let _ = writeln!(out, "disk_free_gb = {g:.1}");
        }
        None => out.push_str("disk_free_gb = 50         # assumed\n"),
    }
}

/// Each word as an id, made different where two are the same.
fn ids<'a>(words: impl Iterator<Item = &'a str>) -> Vec<String> {
    let mut ids: Vec<String> = Vec::new();
    for word in words.map(plain) {
        let mut id = word.clone();
        let mut n = 1;
        while ids.contains(&id) {
            n += 1;
            id = format!("{word}-{n}");
        }
        ids.push(id);
    }
    ids
}

/// Lower case, letters, digits and dashes.
fn plain(word: &str) -> String {
    let word: String =
        word.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
    if word.is_empty() { "card".into() } else { word }
}

/// A name from the machine as TOML text.
fn quoted(name: &str) -> String {
    toml_edit::Value::from(name).to_string()
}

fn interface(out: &mut String, card: &Card, id: &str, servers: &[ServerState]) {
    let channels =
        |capture| card.streams.iter().filter(|s| s.capture == capture).map(|s| s.channels).max().unwrap_or(0);
    let _ = write!(
        out,
        "\n# ---- card {}, driver {} of the kernel\n[[interface]]\nid = \"{id}\"\nname = {}\nconnection = \"{}\"\n",
        card.index,
        card.driver.replace(char::is_control, " "),
        quoted(&card.name),
        card.connection
    );
    if card.usb.as_ref().is_some_and(|u| u.hubs > 0) {
        out.push_str("hub = true\n");
    }
    let _ = writeln!(out, "channels = {{ inputs = {}, outputs = {} }}", channels(true), channels(false));
    let rates = rates(card.streams.iter().flat_map(|s| &s.rates_hz));
    let _ = write!(
        out,
        "\n[[interface.driver]]\nmodel = \"alsa\"\nrates_hz = {rates}\nbuffers = {{ powers = [32, 4096] }}   # assumed\n"
    );
    drivers(out, servers);
}

/// A list of rates in rising order, each once.
fn rates<'a>(all: impl Iterator<Item = &'a Hz>) -> String {
    let all: BTreeSet<u32> = all.map(|r| r.get()).collect();
    let list: Vec<String> = all.iter().map(u32::to_string).collect();
    if list.is_empty() {
        "[48000]        # assumed: it did not say".into()
    } else {
        format!("[{}]", list.join(", "))
    }
}

/// The servers as drivers of the interface above.
fn drivers(out: &mut String, servers: &[ServerState]) {
    for server in servers {
        let rates = rates(server.allowed_rates_hz.iter().chain(&server.rate_hz));
        if let Some(forced) = server.forced_buffer_frames.filter(|b| (16..=8192).contains(b)) {
            let _ = write!(
                out,
                "\n[[interface.driver]]\nmodel = \"{}\"\nrates_hz = {rates}\nbuffers = {{ frames = [{forced}] }}   # forced on everybody now\n",
                server.kind.to_ascii_lowercase(),
            );
            continue;
        }
        let (least, most) = server.buffer_range_frames.unwrap_or((32, 4096));
        let (least, most) =
            (least.clamp(16, 4096).next_power_of_two(), most.clamp(16, 8192).next_power_of_two());
        let _ = write!(
            out,
            "\n[[interface.driver]]\nmodel = \"{}\"\nrates_hz = {rates}\nbuffers = {{ powers = [{}, {}] }}\n",
            server.kind.to_ascii_lowercase(),
            least.min(most),
            most.max(least)
        );
    }
}

fn places(out: &mut String, i: &Inventory, ids: &[String]) {
    for place in i.places() {
        let kind = match (place.card, place.capture) {
            (None, _) => "program",
            (Some(_), true) => "system-recording",
            (Some(_), false) => "system-playback",
        };
        let interface = ids.get(place.card.unwrap_or(0)).map_or("server", String::as_str);
        let _ = write!(
            out,
            "\n[[place]]\nname = {}\nkind = \"{kind}\"\ninterface = \"{interface}\"\nrate_hz = {}\n",
            quoted(&place.name),
            place.rate_hz
        );
    }
}

fn programs(out: &mut String, i: &Inventory) {
    let threads = f64::from(i.processor.threads.unwrap_or(1).max(1));
    let load = |b: &BusyProgram| (b.core_share / threads).min(1.0);
    let busy: Vec<&BusyProgram> = i.busy.iter().filter(|b| load(b) >= PROGRAM).collect();
    for (busy, id) in busy.iter().zip(ids(busy.iter().map(|b| b.name.as_str()))) {
        let load = load(busy);
        let _ = write!(
            out,
            "\n[[program]]\nid = \"{id}\"\nname = {}\nload = {load:.2}               # seen during the survey\n",
            quoted(&busy.name)
        );
    }
}
