//! After `new`: what was written, and what to do with it.

use crate::shared::answer::Files;
use crate::shared::page::{answer, command, para, title};

/// `written`: the files, by their names; `noted`: what the meter shows was noted beside the session.
pub fn written(files: &Files, written: &[&str], noted: bool) -> String {
    let at = |name: &str| if name == "rig.toml" { files.rig.as_str() } else { files.session.as_str() };
    let all: Vec<&str> = written.iter().map(|name| at(name)).collect();
    let mut text = answer(&format!("Written: {}", all.join(" and ")));
    for name in ["rig.toml", "session.toml"].iter().filter(|name| !written.contains(name)) {
        text.push_str(&para(&format!("{} was there already and stays as it is.", at(name))));
    }
    if noted {
        text.push_str(&para("What the meter shows is noted beside the session, in notes.toml."));
    }
    text.push_str(&para("Every line has a comment: correct what is not so."));
    text.push_str(&title("Next"));
    text.push_str(&command(&format!("swiftloop plan {}", files.both())));
    text
}
