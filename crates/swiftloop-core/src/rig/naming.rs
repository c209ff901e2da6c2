//! Names that are there twice, or lead nowhere; and the nearest that leads somewhere.

use crate::Invalid;
use crate::contradiction::{Contradiction, Thing};
use crate::tables::plain;

/// An id that stands twice.
pub(crate) fn twice(thing: Thing, id: &str) -> Invalid {
    Invalid::new(Contradiction::Twice { thing, id: id.into() })
}

/// A reference that leads nowhere; names what there is.
pub(crate) fn missing(thing: Thing, id: &str, known: &[&str]) -> Invalid {
    Invalid::new(Contradiction::Missing {
        thing,
        id: id.into(),
        known: known.iter().map(ToString::to_string).collect(),
        nearest: nearest(id, known).map(Into::into),
    })
}

/// The known word with the fewest edits to `word`, if it is near at all (a third of its letters).
#[must_use]
pub fn nearest<'a>(word: &str, known: &[&'a str]) -> Option<&'a str> {
    if word.is_empty() {
        return None;
    }
    let far = (word.chars().count() / 3).max(1) + 1;
    let word = plain(word);
    known
        .iter()
        .map(|k| (strsim::damerau_levenshtein(&word, &plain(k)), *k))
        .filter(|(d, k)| *d <= far || (k.len() > 2 && (k.starts_with(&word) || word.starts_with(*k))))
        .min()
        .map(|(_, k)| k)
}
