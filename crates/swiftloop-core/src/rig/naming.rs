//! Names that are there twice, or lead nowhere; and the nearest that leads somewhere.

use crate::Invalid;
use crate::tables::plain;

/// An id that stands twice.
pub(crate) fn twice(kind: &str, id: &str) -> Invalid {
    Invalid::new(format!("two {kind}s are called `{id}`"), "give each its own id")
}

/// A reference that leads nowhere; names what there is.
pub(crate) fn missing(kind: &str, id: &str, known: &[&str]) -> Invalid {
    let nearest = nearest(id, known);
    let help = match nearest {
        Some(near) => format!("did you mean `{near}`?"),
        None if known.is_empty() => format!("there is no {kind} yet; add one"),
        None => format!("there are: {}", known.join(", ")),
    };
    Invalid::new(format!("there is no {kind} called `{id}`"), help)
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
