//! What an event says after its name: `key=value` pairs, in which a thread's name may hold anything.

use super::line::number;

/// What stands behind `key`, up to the end.
pub(super) fn after<'a>(text: &'a [u8], key: &[u8]) -> Option<&'a [u8]> {
    // Keys are short and lines too: looking for the first letter costs less than preparing a search.
    let first = *key.first()?;
    let mut from = 0;
    while let Some(at) = memchr::memchr(first, &text[from..]) {
        if text[from + at..].starts_with(key) {
            return Some(&text[from + at + key.len()..]);
        }
        from += at + 1;
    }
    None
}

/// What stands behind the last `key`: what is searched from the end no name can hide.
pub(super) fn last<'a>(text: &'a [u8], key: &[u8]) -> Option<(&'a [u8], &'a [u8])> {
    let first = *key.first()?;
    let mut to = text.len();
    while let Some(at) = memchr::memrchr(first, &text[..to]) {
        if text[at..].starts_with(key) {
            return Some((&text[..at], &text[at + key.len()..]));
        }
        to = at;
    }
    None
}

/// The number behind `key`.
pub(super) fn unsigned(text: &[u8], key: &[u8]) -> Option<u64> {
    number(after(text, key)?).map(|n| n.0)
}

/// The number behind `key`, which may be below zero.
pub(super) fn signed(text: &[u8]) -> Option<i64> {
    match text.strip_prefix(b"-") {
        Some(rest) => number(rest).and_then(|n| i64::try_from(n.0).ok()).map(|n| -n),
        None => number(text).and_then(|n| i64::try_from(n.0).ok()),
    }
}

/// The word behind `key`, up to a space.
pub(super) fn word<'a>(text: &'a [u8], key: &[u8]) -> Option<&'a [u8]> {
    let value = after(text, key)?;
    Some(&value[..memchr::memchr(b' ', value).unwrap_or(value.len())])
}
