//! The parser's messages in our words: what is wrong, and the smallest edit that mends it, with the user's own key in it.

use std::ops::Range;
use swiftloop_core::rig::nearest;

/// What is wrong and what to do.
pub struct Explained {
    pub what: String,
    pub help: String,
}

/// Where all keys are listed.
const ALL_KEYS: &str = "`swiftloop schema rig` and `swiftloop schema session` list every key";

/// Explains a message of the deserialiser about `text[span]`.
pub fn explain(message: &str, text: &str, span: Option<Range<usize>>) -> Explained {
    let message = message.trim();
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    if let (true, Some((word, known))) = (message.starts_with("unknown field"), quoted.split_first()) {
        return Explained { what: format!("unknown key `{word}`"), help: unknown_key(word, known) };
    }
    if let (true, Some((word, known))) = (message.starts_with("unknown variant"), quoted.split_first()) {
        let help = match nearest(word, known) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("known here: {}", known.join(", ")),
        };
        return Explained { what: format!("unknown word `{word}`"), help };
    }
    if let Some(rest) = message.strip_prefix("missing field ") {
        let what = format!("a key is missing: {rest}");
        return Explained { what, help: format!("add it; {ALL_KEYS}") };
    }
    if message.starts_with("duplicate key") {
        return Explained { what: "this key stands here twice".into(), help: "keep one of them".into() };
    }
    let (what, expected) = message.split_once(", expected ").unwrap_or((message, ""));
    let found = what.strip_prefix("invalid type: ");
    let written = Written::at(text, span);
    let help = match (found, expected) {
        (Some(found), expected) => right_form(&written, found, expected),
        (None, "") => None,
        (None, expected) => Some(format!("expected {expected}")),
    };
    let what = match found {
        Some(found) => {
            format!("{} is {}, not {}", written.subject(), kind_found(found), kind_expected(expected))
        }
        None => what
            .replace("invalid value:", "out of range:")
            .replace("data did not match any variant", "no form of this"),
    };
    Explained { what, help: help.unwrap_or_else(|| ALL_KEYS.into()) }
}

fn unknown_key(word: &str, known: &[&str]) -> String {
    let stem = |w: &str| w.rsplit_once('_').map_or(w.to_string(), |(s, _)| s.to_string());
    let same_stem = known.iter().find(|k| k.contains('_') && stem(k) == stem(word));
    match (same_stem, nearest(word, known)) {
        (Some(near), _) => format!("the unit is part of the key: did you mean `{near}`?"),
        (None, Some(near)) => format!("did you mean `{near}`?"),
        (None, None) if known.is_empty() => "remove it".into(),
        (None, None) => format!("known here: {}", known.join(", ")),
    }
}

/// What somebody wrote: the key and its value.
struct Written {
    key: Option<String>,
    value: String,
}

impl Written {
    fn at(text: &str, span: Option<Range<usize>>) -> Self {
        let Some(span) = span.filter(|s| s.end <= text.len()) else {
            return Self { key: None, value: String::new() };
        };
        let value = text.get(span.clone()).unwrap_or("").lines().next().unwrap_or("").trim().to_string();
        let before = text.get(..span.start).unwrap_or("");
        let line = before.rsplit(['\n', '{', ',']).next().unwrap_or("");
        let key = line.trim().strip_suffix('=').map(|k| k.trim().to_string());
        Self { key: key.filter(|k| !k.is_empty()), value }
    }

    fn subject(&self) -> String {
        self.key.as_ref().map_or("this".into(), |k| format!("`{k}`"))
    }

    fn with(&self, value: &str) -> String {
        match &self.key {
            Some(key) => format!("write: {key} = {value}"),
            None => format!("write: {value}"),
        }
    }
}

/// `string "ada"` → a word in quotes.
fn kind_found(found: &str) -> &'static str {
    match found.split_whitespace().next().unwrap_or("") {
        "string" => "text in quotes",
        "integer" => "a whole number",
        "floating" => "a number",
        "boolean" => "true or false",
        "sequence" => "a list",
        "map" => "a table",
        _ => "something else",
    }
}

fn kind_expected(expected: &str) -> String {
    let plain = match expected {
        "a sequence" => "a list",
        "a string" => "text in quotes",
        "a boolean" => "true or false",
        e if e.starts_with("struct") || e == "a map" => "a table",
        "u32" | "u64" | "i64" | "usize" => "a whole number",
        "f64" => "a number",
        e => e,
    };
    plain.into()
}

/// The value in its right form.
fn right_form(written: &Written, found: &str, expected: &str) -> Option<String> {
    let value = written.value.as_str();
    let inner = value.trim_matches(['"', '\'']);
    let is_text = found.starts_with("string");
    let digits: String =
        inner.chars().take_while(|c| c.is_ascii_digit() || matches!(c, '.' | '-' | '_')).collect();
    let key = written.key.as_deref().unwrap_or("");
    if key == "buffers" {
        let sizes = if digits.is_empty() { "64, 128, 256".to_string() } else { digits };
        return Some(written.with(&format!("{{ frames = [{sizes}] }}")));
    }
    match expected {
        "a sequence" => Some(written.with(&format!("[{value}]"))),
        "a string" if !value.starts_with('[') => Some(written.with(&format!("\"{inner}\""))),
        "a string" => {
            Some(written.with(value.trim_matches(['[', ']']).split(',').next().unwrap_or("").trim()))
        }
        "a boolean" => {
            let yes = !matches!(inner.to_lowercase().as_str(), "no" | "off" | "0" | "false");
            Some(written.with(if yes { "true" } else { "false" }))
        }
        "u32" | "u64" | "i64" | "usize" | "f64" if is_text && !digits.is_empty() => {
            Some(written.with(&digits))
        }
        e if e.starts_with("struct") && e.contains("Channels") => {
            Some(written.with("{ inputs = 2, outputs = 2 }"))
        }
        e if e.starts_with("struct") && e.contains("Send") => {
            Some(format!("write: sends = [{{ to = {value} }}]"))
        }
        e if is_text && !digits.is_empty() && e.contains("number") => {
            Some(format!("{} ({e})", written.with(&digits)))
        }
        "" => None,
        e if e.starts_with("struct") || e == "a map" => None,
        e => Some(format!("expected {e}")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn said(message: &str, text: &str, marked: &str) -> (String, String) {
        let start = text.find(marked).unwrap();
        let e = explain(message, text, Some(start..start + marked.len()));
        (e.what, e.help)
    }

    #[test]
    fn a_wrong_kind_of_value_gets_the_right_form_with_the_users_own_key() {
        let (what, help) =
            said("invalid type: string \"ada\", expected a sequence", "performers = \"ada\"\n", "\"ada\"");
        assert_eq!(what, "`performers` is text in quotes, not a list");
        assert_eq!(help, "write: performers = [\"ada\"]");
        let (_, help) = said("invalid type: integer `4`, expected a string", "id = 4\n", "4");
        assert_eq!(help, "write: id = \"4\"");
        let (_, help) =
            said("invalid type: string \"yes\", expected a boolean", "{ a = 1, hub = \"yes\" }", "\"yes\"");
        assert_eq!(help, "write: hub = true");
        let (_, help) =
            said("invalid type: string \"128\", expected struct Buffers", "buffers = \"128\"\n", "\"128\"");
        assert_eq!(help, "write: buffers = { frames = [128] }");
    }

    #[test]
    fn unknown_words_get_the_nearest() {
        let (what, help) =
            said("unknown field `coers`, expected one of `cores`, `class`", "coers = 4", "coers");
        assert_eq!((what.as_str(), help.as_str()), ("unknown key `coers`", "did you mean `cores`?"));
    }
}
