//! The guided tour: for each step the question, the command, and the lines of its answer that matter; or the whole answer.

use crate::shared::answer::{Detail, quoted};
use crate::shared::page::{Style, command, para, styled, title};
use std::path::Path;

pub struct TourStep {
    /// What somebody wants to know.
    pub question: &'static str,
    pub command: String,
    /// The lines that matter.
    pub lead: Vec<String>,
    /// Everything that the command shows.
    pub whole: String,
}

/// Before the first step.
pub fn opening() -> String {
    para(
        "A folk quintet makes an album in a converted boathouse. What they have stands in rig.toml, what they want in \
         session.toml; some of it is wrong on purpose. (None of it is real: an interface and a laptop that are not \
         there played, recorded and soaked, from fixed seeds.)",
    )
}

/// The question and the command, before anything is worked out.
pub fn asked(number: usize, question: &str, line: &str) -> String {
    format!(
        "{}{}",
        title(&format!("{number}. {question}")),
        styled(Style::Faint, format!("  $ swiftloop {line}\n"))
    )
}

pub fn answered(step: &TourStep, detail: Detail) -> String {
    if detail.is_full() {
        return format!("\n{}", step.whole);
    }
    step.lead.iter().map(|line| crate::shared::page::wrapped("  ", line)).collect()
}

/// After the last step.
pub fn closing(detail: Detail) -> String {
    let mut text = title("Next");
    text.push_str(&para("The same files and recordings to play with, and how to begin with your own:"));
    text.push_str(&command("swiftloop demo my-folder"));
    text.push_str(&command("swiftloop new"));
    if !detail.is_full() {
        text.push_str(&para("Everything these commands show:"));
        text.push_str(&command("swiftloop demo --full"));
    }
    text
}

/// After the files were written.
pub fn written(dir: &Path, soaked: &str, recordings: &[&str]) -> String {
    let at = |name: &str| quoted(&dir.join(name).display().to_string());
    let (rig, session) = (at("rig.toml"), at("session.toml"));
    let list = recordings.join(", ");
    let mut text =
        para(&format!("Written into {}: rig.toml, session.toml, {soaked}, {list}.", dir.display()));
    text.push_str(&title("Next"));
    let lines = [
        format!("swiftloop plan {rig} {session}"),
        format!("swiftloop try {rig} {session} --interface rack --phase tracking"),
        format!("swiftloop plan {} {session}", at(soaked)),
        format!("swiftloop probe read {}", at("loop-128.wav")),
        format!("swiftloop listen {}", at("mix-crackling.wav")),
        "swiftloop survey".into(),
        "swiftloop soak --buffer 128 --work 50".into(),
    ];
    lines.iter().for_each(|line| text.push_str(&command(line)));
    text
}
