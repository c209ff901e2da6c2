//! What holds of every answer, whatever was asked.

use crate::common::Answer;
use serde_json::Value;

/// Characters that could do something to a terminal, or that no text may hold.
fn unsafe_in(text: &str) -> Option<char> {
    let bad = |c: char| {
        (c.is_control() && c != '\n')
            || matches!(c, '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
            || u32::from(c) & 0xfffe == 0xfffe
    };
    text.chars().find(|c| bad(*c))
}

/// Exit code, characters, figures: of an answer in words or in JSON.
pub fn hold(answer: &Answer, about: &str) {
    assert!((0..=3).contains(&answer.code), "{about}: exit {}: {}", answer.code, answer.err);
    for said in [&answer.out, &answer.err] {
        assert_eq!(unsafe_in(said), None, "{about}: {said:?}");
    }
    let is_word = |word: &str| ["NaN", "inf", "-inf", "null"].contains(&word);
    let words = |text: &str| text.split(|c: char| !c.is_alphanumeric() && c != '-').any(is_word);
    if answer.out.starts_with('{') {
        let value: Value = serde_json::from_str(&answer.out).unwrap_or_else(|e| panic!("{about}: {e}"));
        figures(&value, "", about);
    } else {
        assert!(!words(&answer.out), "{about}: {}", answer.out);
        let below_zero = answer.out.split_whitespace().collect::<Vec<_>>();
        let negative = below_zero.windows(2).find(|w| {
            let number = w[0].strip_prefix(['-', '−']).and_then(|n| n.parse::<f64>().ok());
            number.is_some() && w[1].trim_end_matches([',', '.', ';']) == "ms"
        });
        assert_eq!(negative, None, "{about}: {}", answer.out);
    }
    if answer.code == 2 {
        assert!(answer.out.is_empty() && !answer.err.is_empty(), "{about}: {}", answer.out);
    }
}

/// No null; and no time below zero, where it is not a difference.
fn figures(value: &Value, path: &str, about: &str) {
    match value {
        Value::Null => panic!("{about}: {path} is null"),
        Value::Object(object) => {
            for (key, value) in object {
                let path = format!("{path}.{key}");
                let differs = ["over", "shift", "offset", "headroom", "later", "drift", "difference"];
                let lasts = ["_ms", "_us", "_ns", "_s", "_frames", "_per_hour"]
                    .iter()
                    .any(|unit| key.ends_with(unit));
                if lasts && !differs.iter().any(|d| path.contains(d)) {
                    assert!(value.as_f64().is_none_or(|x| x >= 0.0), "{about}: {path} is {value}");
                }
                figures(value, &path, about);
            }
        }
        Value::Array(list) => list.iter().for_each(|value| figures(value, &format!("{path}[]"), about)),
        Value::Bool(_) | Value::Number(_) | Value::String(_) => {}
    }
}

/// A drawing can be read by whoever reads XML, and shows no character that none may show.
pub fn drawing(svg: &str, about: &str) {
    assert_eq!(unsafe_in(svg), None, "{about}");
    roxmltree::Document::parse(svg).unwrap_or_else(|e| panic!("{about}: {e}"));
}
