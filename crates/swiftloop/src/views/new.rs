//! After `new`: what was written, and what to do with it.

use super::Files;
use crate::page::{answer, command, para, title};

/// `kept`: the rig was there already.
pub fn written(files: &Files, kept: bool) -> String {
    let mut text = if kept {
        let rest = format!("{} was there already and stays as it is.", files.rig);
        format!("{}{}", answer(&format!("Written: {}", files.session)), para(&rest))
    } else {
        answer(&format!("Written: {} and {}", files.rig, files.session))
    };
    text.push_str(&para("Every line has a comment: correct what is not so."));
    text.push_str(&title("Next"));
    text.push_str(&command(&format!("swiftloop plan {}", files.both())));
    text
}
