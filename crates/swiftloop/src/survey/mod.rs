//! What a survey shows: how many findings, the gravest with its cure, all of them in a line each; the inventory.

mod inventory;
pub mod options;
pub mod run;

use crate::shared::answer::{Detail, quoted};
use crate::shared::page::{Columns, Head, Style, answer, clean, command, heading, styled, title, wrapped};
use crate::shared::words::survey::tell_on;
use inventory::{brief, machine, sound};
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_core::survey::{Grade, GradedFinding, Inventory, System};
use swiftloop_files::{AddedToRig, FigureDifference};

/// Everything about one survey.
pub struct Surveyed<'a> {
    pub inventory: &'a Inventory,
    pub findings: Vec<GradedFinding>,
    pub root: Option<&'a Path>,
    pub saved: Option<(&'a Path, &'a AddedToRig)>,
}

impl Surveyed<'_> {
    /// The command that shows this again.
    fn again(&self) -> String {
        self.root.map_or("swiftloop survey".into(), |r| {
            format!("swiftloop survey --root {}", quoted(&r.display().to_string()))
        })
    }
}

/// Findings told with their cure on one screen.
const TOLD: usize = 3;

pub fn show(s: &Surveyed<'_>, detail: Detail) -> String {
    let title_line = match s.root {
        Some(root) => format!("The computer copied to {}", clean(&root.display().to_string())),
        None => "This computer".into(),
    };
    let mut text = heading(&title_line);
    text.push_str(&answer(&if s.inventory.sound_unseen && s.findings.is_empty() {
        "What hurts audio here is not known yet: on this system a script has to look.".into()
    } else {
        lead(&s.findings)
    }));
    if detail.is_full() {
        s.findings.iter().for_each(|f| text.push_str(&told(s.inventory.system, f)));
        text.push_str(&format!("\n{}", heading("What there is")));
        text.push_str(&sound(s.inventory));
        text.push_str(&machine(s.inventory));
    } else {
        text.push_str(&first(s.inventory.system, &s.findings));
        text.push_str(&title("What there is"));
        text.push_str(&brief(s.inventory));
    }
    text.push_str(&next(s, detail));
    text
}

pub fn lead(findings: &[GradedFinding]) -> String {
    let count = |grade| findings.iter().filter(|f| f.grade == grade).count();
    let parts: Vec<String> = [Grade::Severe, Grade::Costly, Grade::Mild]
        .into_iter()
        .filter(|g| count(*g) > 0)
        .map(|g| format!("{} {}", count(g), g.as_str()))
        .collect();
    match findings.len() {
        0 => styled(Style::Good, "Nothing was found that hurts audio."),
        1 => format!("1 thing hurts audio here: {}.", parts.join(", ")),
        n => format!("{n} things hurt audio here: {}.", parts.join(", ")),
    }
}

fn grade(g: Grade) -> String {
    let style = match g {
        Grade::Severe => Style::Bad,
        Grade::Costly => Style::Unsure,
        Grade::Mild => Style::Faint,
    };
    styled(style, g.as_str())
}

/// The gravest with their cures, the others in a line each.
fn first(system: System, findings: &[GradedFinding]) -> String {
    let mut text = String::new();
    for (n, f) in findings.iter().take(TOLD).enumerate() {
        let told = tell_on(system, &f.finding);
        text.push_str(&format!(
            "\n{}",
            wrapped(&format!("{}. ", n + 1), &format!("{} ({})", told.what, grade(f.grade)))
        ));
        text.push_str(&wrapped("   ", &format!("{} {}", told.costs, told.cure)));
        told.commands.iter().for_each(|c| text.push_str(&command(c)));
    }
    if findings.len() > TOLD {
        text.push_str(&title("Then"));
    }
    for f in findings.iter().skip(TOLD) {
        text.push_str(&wrapped("  ", &format!("{} {}", grade(f.grade), tell_on(system, &f.finding).what)));
    }
    text
}

fn told(system: System, f: &GradedFinding) -> String {
    let told = tell_on(system, &f.finding);
    let mut text = format!("\n{}", wrapped(&format!("{} ", grade(f.grade)), &told.what));
    text.push_str(&wrapped("       costs  ", told.costs));
    text.push_str(&wrapped("       seen   ", &told.evidence));
    text.push_str(&wrapped("       cure   ", &told.cure));
    told.commands.iter().for_each(|c| text.push_str(&format!("{}\n", textwrap::indent(c, "         "))));
    text.push_str(&wrapped("       risk   ", told.risk));
    text.push_str(&wrapped("       undo   ", &told.undo));
    text
}

/// What was done to a file that was there.
fn in_an_old_file(file: &str, added: &AddedToRig) -> String {
    let replaced: Vec<&str> =
        added.differences.iter().filter(|d| d.replaced).map(|d| d.key.as_str()).collect();
    let new = format!("Added to {file}: {}.", added.what.join(", "));
    let instead = format!("Replaced in {file}: {}.", replaced.join(", "));
    match (added.what.is_empty(), replaced.is_empty(), added.differences.is_empty()) {
        (true, true, true) => format!("{file} holds all of this already; nothing was changed."),
        (true, true, false) => format!("Nothing was changed in {file}."),
        (false, true, _) => format!("{new} What stood there was not touched."),
        (true, false, _) => format!("{instead} Nothing else was touched."),
        (false, false, _) => format!("{new} {instead} Nothing else was touched."),
    }
}

/// What the file says otherwise than the machine.
fn differing(s: &Surveyed<'_>, file: &str, all: &[FigureDifference]) -> String {
    if all.is_empty() {
        return String::new();
    }
    let left = all.iter().filter(|d| !d.replaced).count();
    let mut text = title(&format!("The machine says otherwise than {file}"));
    let mut t = Columns::new(&[
        Head::words("key"),
        Head::words("file"),
        Head::words("machine now"),
        Head::words("kept"),
    ]);
    for d in all {
        let kept = if d.replaced { "machine" } else { "file" };
        t.row([
            clean(&d.key).into_owned(),
            clean(&d.file).into_owned(),
            clean(&d.machine).into_owned(),
            kept.into(),
        ]);
    }
    text.push_str(&t.show());
    if let Some(first) = all.iter().find(|d| !d.replaced) {
        let one = if left == 1 {
            "The file was kept. To take the machine's figure:"
        } else {
            "The file was kept. To take the machine's figures, one by one or all:"
        };
        text.push_str(&wrapped("  ", one));
        let again = format!("{} --save {} --replace", s.again(), quoted(file));
        text.push_str(&command(&format!("{again} {}", quoted(&first.key))));
        if left > 1 {
            text.push_str(&command(&format!("{again} all")));
        }
    }
    text
}

fn next(s: &Surveyed<'_>, detail: Detail) -> String {
    let mut text = String::new();
    match s.saved {
        Some((path, added)) => {
            let file = path.display().to_string();
            let said = if added.created {
                format!("Written: {file}. Look through it: what was assumed says so.")
            } else {
                in_an_old_file(&file, added)
            };
            text.push_str(&format!("\n{}", wrapped("", &said)));
            text.push_str(&differing(s, &file, &added.differences));
            text.push_str(&title("Next: measure this computer's wake-ups"));
            text.push_str(&command(&format!("swiftloop soak --buffer 128 --save {}", quoted(&file))));
        }
        None if s.inventory.sound_unseen => {
            text.push_str(&title("Next: let a script read the rest, then look at the copy that it makes"));
            let (system, file, run) = match s.inventory.system {
                System::Windows => {
                    ("windows", "collect.ps1", "powershell -ExecutionPolicy Bypass -File collect.ps1")
                }
                System::MacOs => ("macos", "collect.sh", "sh collect.sh"),
                System::Linux => ("linux", "collect.sh", "sh collect.sh"),
            };
            text.push_str(&command(&format!("swiftloop collect {system} --out {file}")));
            text.push_str(&command(run));
            text.push_str(&command("swiftloop survey --root copy-NAME"));
        }
        None if s.inventory.is_silent() => {}
        None => {
            text.push_str(&title("Next: mend what is worth it, look again, then begin a rig file"));
            text.push_str(&command(&format!("{} --save rig.toml", s.again())));
        }
    }
    if !detail.is_full() {
        text.push_str(&title("Everything, with evidence and the way back"));
        text.push_str(&command(&format!("{} --full", s.again())));
    }
    text
}

/// `survey --json`
pub fn json(s: &Surveyed<'_>) -> Result<Value, std::io::Error> {
    let value = |v: serde_json::Result<Value>| v.map_err(std::io::Error::other);
    let finding = |f: &GradedFinding| {
        let told = tell_on(s.inventory.system, &f.finding);
        let cure = std::iter::once(told.cure).chain(told.commands).filter(|c| !c.is_empty());
        object!({
            "id": f.finding.id(),
            "grade": f.grade,
            "what": told.what,
            "costs": told.costs,
            "evidence": told.evidence,
            "cure": cure.collect::<Vec<_>>().join(" "),
            "risk": told.risk,
            "undo": told.undo,
        })
    };
    Ok(object!({
        "format": "swiftloop.survey/2",
        "findings": s.findings.iter().map(finding).collect::<Vec<_>>(),
        "rates": value(serde_json::to_value(s.inventory.places()))?,
        "inventory": value(serde_json::to_value(s.inventory))?,
        "saved": s.saved.map(|(path, added)| object!({ "path": path.display().to_string(), "added": added.what, "differences": added.differences.iter().map(|d| object!({
            "key": d.key, "file": d.file, "machine": d.machine, "replaced": d.replaced,
        })).collect::<Vec<_>>() })),
    }))
}
