//! How the costs of a session's processors are known: from the catalogue, of this machine or another, or not at all.

use super::{Files, quoted};
use crate::shared::page::{clean, command, counted, title, wrapped};
use serde_json::{Value, json as object};
use swiftloop_core::catalogue::Used;

/// A few lines; nothing where no processor says what it is.
pub fn show(used: &[Used], files: &Files) -> String {
    let count = |kind: &Used| used.iter().filter(|u| *u == kind).count();
    let (here, elsewhere, missing) = (count(&Used::Here), count(&Used::Elsewhere), missing(used));
    if used.is_empty() {
        return String::new();
    }
    let mut text = title("Processors");
    let of = |n: usize| counted(n, "processor", "processors");
    let mut say = |line: String| text.push_str(&wrapped("  ", &clean(&line)));
    if here > 0 {
        say(format!("{} with the cost and the delay weighed on this machine.", of(here)));
    }
    if elsewhere > 0 {
        say(format!(
            "{} with what was weighed on another machine, in wider ranges (or the rig does not say what its \
             processor is).",
            of(elsewhere)
        ));
    }
    if !missing.is_empty() {
        say(match missing.len() {
            1 => format!("{} was never weighed, so a class of cost stands for it:", missing[0]),
            n => format!("{n} kinds were never weighed, so a class of cost stands for each:"),
        });
        let kept =
            files.catalogue.as_deref().map_or(String::new(), |c| format!(" --catalogue {}", quoted(c)));
        text.push_str(&command(&format!("swiftloop weigh --session {}{kept}", quoted(&files.session))));
    }
    text
}

pub fn json(used: &[Used]) -> Value {
    let count = |kind: &Used| used.iter().filter(|u| *u == kind).count();
    object!({
        "weighed_on_this_machine": count(&Used::Here),
        "weighed_elsewhere": count(&Used::Elsewhere),
        "never_weighed": missing(used),
    })
}

fn missing(used: &[Used]) -> Vec<&str> {
    let mut all: Vec<&str> = used
        .iter()
        .filter_map(|u| match u {
            Used::Missing(is) => Some(is.as_str()),
            Used::Here | Used::Elsewhere => None,
        })
        .collect();
    all.sort_unstable();
    all.dedup();
    all
}
