//! What a machine says now against what its rig file says: two documents come in, every figure that differs goes out with
//! its key, and those that were asked for are put into the file. A survey knows what is now, a file what
//! somebody meant; neither is right by itself, so each difference is named and nothing is changed unasked.

use super::Misfit;
use super::list::tables_mut;
use toml_edit::{DocumentMut, Item, TableLike, Value};

/// One figure that differs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FigureDifference {
    /// Its key, such as `machine.cores` or `interface.box.channels`.
    pub key: String,
    /// What the file says.
    pub file: String,
    /// What the machine says.
    pub machine: String,
    /// The file has the machine's figure now.
    pub replaced: bool,
}

/// Which figures of the file give way.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Replace {
    #[default]
    Nothing,
    Keys(Vec<String>),
    All,
}

impl Replace {
    fn has(&self, key: &str) -> bool {
        match self {
            Self::Nothing => false,
            Self::Keys(keys) => keys.iter().any(|k| k == key),
            Self::All => true,
        }
    }

    /// Every key that was asked for has to differ.
    pub(super) fn check(&self, found: &[FigureDifference]) -> Result<(), Misfit> {
        let Self::Keys(keys) = self else { return Ok(()) };
        let known: Vec<&str> = found.iter().map(|d| d.key.as_str()).collect();
        let Some(odd) = keys.iter().find(|k| !known.contains(&k.as_str())) else { return Ok(()) };
        let help = match swiftloop_core::rig::nearest(odd, &known) {
            _ if known.is_empty() => "the file and the machine agree: leave --replace out".into(),
            Some(near) => format!("write: --replace {near}"),
            None => format!("these differ: {}", known.join(", ")),
        };
        Err(Misfit::new(format!("{odd} does not differ between the file and the machine"), help))
    }
}

/// Keys that change by the minute, or that people choose: no difference.
const PASSING: [&str; 5] = ["id", "name", "class", "load", "kind"];
/// Figures this near are one, as a share.
const NEAR: [(&str, f64); 4] =
    [("core_speed", 0.05), ("memory_gb", 0.08), ("disk_free_gb", 0.1), ("disk_mb_per_s", 0.1)];

/// Names every difference, and puts those that `replace` asks for into `file`.
pub fn differences(file: &mut DocumentMut, found: &DocumentMut, replace: &Replace) -> Vec<FigureDifference> {
    let mut all = Vec::new();
    if let (Some(old), Some(new)) = (
        file.get_mut("machine").and_then(Item::as_table_like_mut),
        found.get("machine").and_then(Item::as_table_like),
    ) {
        of_table("machine", old, new, replace, &mut all);
    }
    for (list, name) in [("interface", "id"), ("place", "name")] {
        let (Some(old), Some(new)) = (file.get_mut(list), found.get(list)) else { continue };
        of_list(list, old, new, name, replace, &mut all);
    }
    all
}

fn of_list(
    path: &str,
    old: &mut Item,
    new: &Item,
    name: &str,
    replace: &Replace,
    all: &mut Vec<FigureDifference>,
) {
    let word = |t: &dyn TableLike| t.get(name).and_then(Item::as_str).map(String::from);
    let Some(new) = new.as_array_of_tables() else { return };
    for old in tables_mut(old) {
        let Some(called) = word(old) else { continue };
        let Some(now) = new.iter().find(|t| word(*t).as_deref() == Some(&called)) else { continue };
        let path = format!("{path}.{called}");
        of_table(&path, old, now, replace, all);
        if let (Some(old), Some(now)) = (old.get_mut("driver"), now.get("driver")) {
            of_list(&format!("{path}.driver"), old, now, "model", replace, all);
        }
    }
}

fn of_table(
    path: &str,
    old: &mut dyn TableLike,
    new: &dyn TableLike,
    replace: &Replace,
    all: &mut Vec<FigureDifference>,
) {
    for (key, item) in new.iter() {
        let Some(now) = item.as_value().filter(|v| !PASSING.contains(&key) && !is_assumed(v)) else {
            continue;
        };
        let Some(before) = old.get_mut(key).and_then(Item::as_value_mut) else { continue };
        if same(key, before, now) {
            continue;
        }
        let at = format!("{path}.{key}");
        let difference = FigureDifference {
            replaced: replace.has(&at),
            file: plain(before),
            machine: plain(now),
            key: at,
        };
        if difference.replaced {
            let decor = before.decor().clone();
            *before = now.clone();
            *before.decor_mut() = decor;
        }
        all.push(difference);
    }
}

/// A guess of ours is no news.
fn is_assumed(value: &Value) -> bool {
    let after = value.decor().suffix().and_then(|s| s.as_str());
    after.is_some_and(|s| s.contains("assumed"))
}

fn same(key: &str, a: &Value, b: &Value) -> bool {
    let number = |v: &Value| v.as_float().or_else(|| v.as_integer().map(|i| i as f64));
    if let (Some(a), Some(b)) = (number(a), number(b)) {
        let near = NEAR.iter().find(|n| n.0 == key).map_or(1e-9, |n| n.1);
        return (a - b).abs() <= near * a.abs().max(b.abs());
    }
    plain(a) == plain(b)
}

/// A value without comments and white space around it.
fn plain(value: &Value) -> String {
    let mut value = value.clone();
    value.decor_mut().clear();
    let text = value.to_string();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}
