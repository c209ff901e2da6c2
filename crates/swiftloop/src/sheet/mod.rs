//! The sheet for the wall: a page for each phase on each interface. Settings come in; [`Page`]s, which say the same whether they
//! are shown as a page of a browser, as Markdown or as text, go out. A page is read from a metre away by somebody
//! with both hands full, so the setting comes first and large, and all that is done is a box to tick.

mod html;
mod markdown;
pub mod options;
mod pdf;
mod picture;
pub mod run;
mod text;

pub use html::html;
pub use markdown::markdown;
pub use text::text;

use crate::shared::page::{TIED, clean};
use crate::shared::words::differences::place;
use crate::shared::words::figures::{in_ms, ms, of_hundred, plain, rate};
use crate::shared::words::warnings::capital;
use swiftloop_core::in_effect::{Demand, Hears, KindOfComputer, Settings};
use swiftloop_core::rig::PowerPlan;

pub struct Page<'a> {
    pub demand: &'a Demand,
    pub title: String,
    /// What to set, large: label and value.
    pub setting: Vec<(&'static str, String)>,
    /// Who hears themselves when: who, how late, what that means.
    pub who: Vec<[String; 3]>,
    pub restore: Vec<String>,
    /// Then do, in this order.
    pub boxes: Vec<String>,
    pub listen: Vec<String>,
    /// How sure all of this is.
    pub sure: String,
}

pub struct Sheet<'a> {
    pub title: String,
    pub kinds: Vec<KindOfComputer<'a>>,
    /// Whether there are several computers.
    pub several: bool,
}

impl Sheet<'_> {
    /// For which computers a kind is, where there are several.
    pub fn whose(&self, kind: &KindOfComputer<'_>) -> Option<String> {
        self.several.then(|| {
            let names: Vec<String> = kind.names.iter().map(|n| clean(n).into_owned()).collect();
            format!("For {}", crate::shared::page::and_list(&names))
        })
    }

    /// Rows of the table of who differs: phase and interface, and the setting of each kind; and whether they differ.
    pub fn table(&self) -> Vec<(String, Vec<String>, bool)> {
        let mut rows: Vec<(String, Vec<String>, bool)> = Vec::new();
        let places = self.kinds.iter().flat_map(|k| &k.settings.phases);
        let mut seen: Vec<(&str, &str)> = Vec::new();
        for d in places {
            if seen.contains(&(&d.phase, &d.interface)) {
                continue;
            }
            seen.push((&d.phase, &d.interface));
            let of = |k: &KindOfComputer<'_>| {
                let mut own = k.settings.of(&d.phase, Some(&d.interface));
                own.next().map_or("–".to_string(), brief)
            };
            let each: Vec<String> = self.kinds.iter().map(of).collect();
            let differ = each.windows(2).any(|w| w[0] != w[1]);
            rows.push((place(d), each, differ));
        }
        rows
    }
}

/// The setting and what is done beside it, in a cell.
fn brief(d: &Demand) -> String {
    let power = if d.power == PowerPlan::Performance { "" } else { ", saving power" };
    let more = match d.by_hand.len() {
        0 => String::new(),
        1 => ", 1 thing by hand".into(),
        n => format!(", {n} things by hand"),
    };
    spaced(&format!("{} {}{power}{more}", clean(&d.driver), buffer(d)))
}

/// The buffer with its unit, as it stands on the panel.
fn buffer(d: &Demand) -> String {
    let figures = d.buffer.chars().all(|c| c.is_ascii_digit());
    if figures { format!("{} frames", d.buffer) } else { clean(&d.buffer).into_owned() }
}

fn spaced(text: &str) -> String {
    text.replace(TIED, " ")
}

/// The pages of one kind of computer.
pub fn pages(settings: &Settings) -> Vec<Page<'_>> {
    settings.phases.iter().map(page).collect()
}

fn page(d: &Demand) -> Page<'_> {
    Page {
        demand: d,
        title: spaced(&place(d)),
        setting: setting(d),
        who: d.hears.iter().map(who).collect(),
        restore: d.restore.iter().map(|r| capital(&clean(r))).collect(),
        boxes: boxes(d),
        listen: listen(d),
        sure: sure(d),
    }
}

fn setting(d: &Demand) -> Vec<(&'static str, String)> {
    let mut all = vec![
        ("Buffer", buffer(d)),
        ("Rate", format!("{} Hz", d.rate_hz)),
        ("Driver", clean(&d.driver).into_owned()),
    ];
    if let Some(roll) = d.roll_frames {
        all.push(("Rendered ahead in", format!("{roll} frames")));
    }
    all
}

fn who(h: &Hears) -> [String; 3] {
    let late = spaced(&in_ms(h.late_ms.typical()));
    let (low, high) = (ms(h.late_ms.low()), ms(h.late_ms.high()));
    let range = if low == high { late } else { format!("{late} ({low} to {high})") };
    let said = match (h.verdict.as_str(), h.noticed_from_ms, h.fails_from_ms) {
        ("cursor", ..) => "after the cursor; nobody performs".into(),
        (verdict, Some(noticed), Some(fails)) if noticed != fails => {
            format!(
                "{verdict}: noticed from {}, too late from {} ms",
                plain(noticed.raw()),
                plain(fails.raw())
            )
        }
        (verdict, Some(limit), _) => format!("{verdict}: limit {} ms", plain(limit.raw())),
        (verdict, None, _) => verdict.into(),
    };
    let name = if h.verdict == "cursor" { "The mix".into() } else { clean(&h.who).into_owned() };
    [name, range, said]
}

/// What is done, in order: the computer, the interface, the software, the rest.
fn boxes(d: &Demand) -> Vec<String> {
    let mut all = Vec::new();
    all.extend(d.quit.iter().map(|p| format!("Quit {}", clean(p))));
    if d.power == PowerPlan::Performance {
        all.push("Power plan: performance; mains plugged in".into());
    }
    all.push(format!("Rate {} Hz in every place: system, panel, software", d.rate_hz));
    if let Some(clock) = d.clock.as_deref().filter(|c| *c != "internal") {
        all.push(format!("Clock source: {}", clean(clock)));
    }
    all.push(format!("Driver {}, buffer {}", clean(&d.driver), buffer(d)));
    if let (Some(inputs), Some(outputs)) = (d.open_inputs, d.open_outputs) {
        all.push(format!("Open {inputs} inputs and {outputs} outputs, no more"));
    }
    all.extend(d.by_hand.iter().map(|t| capital(&clean(t))));
    all
}

/// What to listen for, and what to do when it is heard.
fn listen(d: &Demand) -> Vec<String> {
    let mut all = Vec::new();
    for h in d.hears.iter().filter(|h| h.verdict != "cursor") {
        let name = clean(h.who.split(',').next().unwrap_or(&h.who)).into_owned();
        let question = match h.verdict.as_str() {
            "immediate" => continue,
            "playable" => format!("{name}: noticeable, but in time? If not, note it as late."),
            _ => format!("{name}: does it feel late? It cannot be told yet; ask, and note the answer."),
        };
        all.push(question);
    }
    let allowed = plain(d.allowed_per_hour.raw());
    all.push(spaced(&format!(
        "Clicks and gaps: expected {}; you allow {allowed} an hour.",
        rate(d.dropouts_per_hour.typical())
    )));
    all
}

fn sure(d: &Demand) -> String {
    let share = spaced(&of_hundred(d.sound_share));
    format!("Everybody in time and the sound whole {share} rigs like this.")
}
