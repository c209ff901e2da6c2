//! What to do about a thief: a table by kind and class of driver comes in with who it is, its row goes out.

use super::late::{HolderKind, Who};
use serde::Deserialize;

/// A row of the table.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Advice {
    /// Kinds of thieves it is for.
    pub kinds: Vec<HolderKind>,
    /// The class of driver or program.
    pub class: String,
    /// Parts of names that tell the class; every name when there are none.
    #[serde(default)]
    pub named: Vec<String>,
    #[serde(rename = "do")]
    pub what: String,
    /// A command that does it, to paste; `{name}` stands for the thief's name.
    #[serde(default)]
    pub run: Option<String>,
    /// How to undo it.
    pub undo: String,
    /// What could go wrong.
    pub risk: String,
    pub reason: String,
    /// What to update first.
    #[serde(default)]
    pub update: Option<String>,
    /// What must never be switched off.
    #[serde(default)]
    pub keep: Option<String>,
}

/// The first row that fits. A part of a name counts at the beginning of a word only: `ath` is not in `path`.
#[must_use]
pub fn advice_for<'a>(table: &'a [Advice], who: &Who) -> Option<&'a Advice> {
    let name = who.name.to_lowercase();
    let begins = |part: &str| {
        let part = part.to_lowercase();
        name.match_indices(&part).any(|(at, _)| !name[..at].ends_with(|c: char| c.is_ascii_alphabetic()))
    };
    table.iter().find(|row| {
        row.kinds.contains(&who.kind) && (row.named.is_empty() || row.named.iter().any(|p| begins(p)))
    })
}
