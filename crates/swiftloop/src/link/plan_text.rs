//! `link plan`: can you play together, with what, and why not with less.

use super::measure_text::json as measured_json;
use crate::shared::answer::json::{merge, report, setting as setting_json};
use crate::shared::answer::{Detail, legs, lines, quoted};
use crate::shared::page::{Columns, Head, Style, answer, command, styled, tied, title, wrapped};
use crate::shared::words::figures::{in_ms, ms, percent};
use crate::shared::words::settings::setting;
use crate::shared::words::{reasons, remedies};
use serde_json::{Value, json as object};
use std::path::PathBuf;
use swiftloop_core::doubt::DelayVerdict;
use swiftloop_core::loops::{Context, LegKind, Loop, LoopKind};
use swiftloop_core::plan::Choice;
use swiftloop_measure::link::measured::Measured;
use swiftloop_measure::link::packet::{PacketChoice, WhyNotPacket};
use swiftloop_units::{Block, Ms};

/// One far side with the sizes of packets.
pub struct Side {
    pub title: String,
    pub measured: Option<Measured>,
    pub packets: Vec<PacketChoice>,
}

/// A plan without a session.
pub struct PlanWithoutSession<'a> {
    pub context: &'a Context<'a>,
    pub chosen: &'a Choice,
    pub sides: &'a [Side],
    pub files: &'a [PathBuf],
    pub show: Option<f64>,
}

impl PlanWithoutSession<'_> {
    fn together(&self) -> Vec<&Loop> {
        self.chosen.report.loops.iter().filter(|l| l.kind == LoopKind::Together).collect()
    }

    /// Everybody can play in time with everybody, on lines that hold.
    pub fn is_yes(&self) -> bool {
        let r = &self.chosen.report;
        let in_time = |l: &&Loop| matches!(l.verdict(), DelayVerdict::Immediate | DelayVerdict::Playable);
        r.forbidden.is_empty() && self.together().iter().all(in_time) && !r.lines.iter().any(|l| l.breaks())
    }
}

pub fn show(p: &PlanWithoutSession<'_>, detail: Detail) -> String {
    let (context, r) = (p.context, &p.chosen.report);
    let together = p.together();
    let mut text = String::new();
    for f in &r.forbidden {
        text.push_str(&answer(&lines::forbids(context, f)));
    }
    if let Some(l) = together.first() {
        let said = crate::shared::words::figures::how_late(l);
        let yes = match l.verdict() {
            DelayVerdict::Immediate | DelayVerdict::Playable => "Yes",
            DelayVerdict::Open => "Perhaps",
            DelayVerdict::Late => "No",
        };
        let far = l.far.map_or("the far side", |f| context.rig.far(f).title());
        text.push_str(&answer(&format!("{yes}: you and {far} hear each other {said}")));
    }
    for line in lines::sentences(context, r).iter().skip(r.forbidden.len()) {
        text.push_str(&wrapped("", line));
    }
    if r.forbidden.len() == p.context.rig.fars.len() {
        text.push_str(&wrapped("", "No setting is proposed: none changes that. Talk, listen to each other, or record one after the other."));
        return text;
    }
    text.push_str(&title(if p.is_yes() {
        "Set at both ends"
    } else {
        "Set at both ends, what comes nearest"
    }));
    text.push_str(&wrapped("  ", &format!("{}.", setting(context, &p.chosen.arrangement))));
    for far in &p.chosen.arrangement.link.fars {
        let line = remedies::line_to(context, far);
        text.push_str(&wrapped("  ", &format!("{}.", crate::shared::words::warnings::capital(&line))));
    }
    for m in &r.arranged {
        text.push_str(&wrapped(
            "  ",
            &format!("{}.", crate::shared::words::warnings::capital(&remedies::does(context, m))),
        ));
    }
    text.push_str(&next(p));
    for l in together.iter().take(if detail.is_full() { 9 } else { 1 }) {
        let far = l.far.map_or("the far side", |f| context.rig.far(f).title());
        let comes = l.legs.iter().any(|leg| leg.kind == LegKind::FarIn);
        let (from, to) = if comes { (far, "you") } else { ("you", far) };
        text.push_str(&title(&format!("The whole way from {from} to {to}")));
        text.push_str(&legs::show(context, l, detail.is_full()));
        if let Some(reason) =
            l.limit.as_ref().map(crate::shared::words::legs::limit_reason).filter(|_| detail.is_full())
        {
            text.push_str(&wrapped("  ", reason));
        }
    }
    for side in p.sides.iter().take(if detail.is_full() { 9 } else { 1 }) {
        let far = p.context.rig.far_ids().find(|(_, f)| f.title() == side.title).map(|(at, _)| at);
        let set = p.chosen.arrangement.link.fars.iter().find(|f| Some(f.far) == far);
        text.push_str(&packets(side, set.map(|f| f.packet)));
    }
    text
}

/// What to do now.
fn next(p: &PlanWithoutSession<'_>) -> String {
    let mut text = title("Next");
    match p.files {
        [] => {
            text.push_str(&wrapped(
                "  ",
                "A distance says how long at the least, not how uneven the line is. They answer, you measure, for a minute:",
            ));
            text.push_str(&command("swiftloop link reflect --listen [::]:8620"));
            text.push_str(&command("swiftloop link measure THEIR-ADDRESS:8620 --save link.json"));
            text.push_str(&command("swiftloop link plan link.json"));
        }
        files => {
            text.push_str(&wrapped(
                "  ",
                "With your own interfaces and session: write this into your rig, then plan.",
            ));
            for file in files.iter().take(1) {
                text.push_str(&command("[[far]]"));
                text.push_str(&command("id = \"loft\""));
                text.push_str(&command(&format!("link = {}", Value::from(file.display().to_string()))));
            }
            text.push_str(&command("swiftloop plan rig.toml session.toml --phase remote"));
            if p.show.is_none() {
                let file = quoted(&files[0].display().to_string());
                text.push_str(&wrapped(
                    "  ",
                    "For a show, in which nothing may break from beginning to end:",
                ));
                text.push_str(&command(&format!("swiftloop link plan {file} --show 90")));
            }
        }
    }
    text
}

fn packets(side: &Side, planned: Option<Block>) -> String {
    let mut t = Columns::new(&[
        Head::figures("frames"),
        Head::figures("lasts"),
        Head::figures("held"),
        Head::figures("both"),
        Head::figures("Mbit/s"),
        Head::figures("heads"),
        Head::words("why not"),
    ]);
    for c in &side.packets {
        let why = match c.why_not {
            None => styled(Style::Good, "the earliest"),
            Some(WhyNotPacket::LineTooSlow(_)) => "line too slow".into(),
            Some(WhyNotPacket::Cut(bytes, mtu)) => tied(&format!("{bytes} bytes, cut at {mtu}")),
            Some(WhyNotPacket::Later(by)) => format!("{} later", in_ms(by)),
            Some(WhyNotPacket::TooManyLost) => "too many lost".into(),
        };
        let why = if planned == Some(c.stream.frames) { format!("{why}; planned") } else { why };
        let finite = |x: Ms| if x.raw().is_finite() { ms(x) } else { "–".into() };
        t.row([
            c.stream.frames.to_string(),
            ms(c.stream.period()),
            finite(c.buffer),
            finite(c.delay),
            format!("{:.2}", c.line_kbit_s / 1000.0),
            percent(c.stream.heads()),
            why,
        ]);
    }
    let heading = title(&format!("Sizes of packets to {}", side.title));
    let held = match &side.measured {
        Some(_) => "the receive buffer that such packets need",
        None => "the receive buffer that is usual on such lines",
    };
    let legend = format!(
        "In ms: how long the sound of a packet lasts, {held}, and both. Heads: what of the line carries no sound."
    );
    format!("{heading}{}{}", t.show(), wrapped("  ", &legend))
}

pub fn json(p: &PlanWithoutSession<'_>) -> Value {
    let sides = p.sides.iter().map(|side| {
        let packets = side.packets.iter().map(|c| {
            object!({
                "packet_frames": c.stream.frames,
                "packet_ms": c.stream.period(),
                "receive_buffer_ms": Some(c.buffer.raw()).filter(|b| b.is_finite()),
                "together_ms": Some(c.delay.raw()).filter(|d| d.is_finite()),
                "line_kbit_s": c.line_kbit_s,
                "share_without_sound": c.stream.heads(),
                "best": c.why_not.is_none(),
            })
        });
        object!({
            "name": side.title,
            "measured": side.measured.as_ref().map(measured_json),
            "packets": packets.collect::<Vec<_>>(),
        })
    });
    let mut value = object!({
        "format": "swiftloop.link-plan/1",
        "possible": p.is_yes(),
        "setting": setting_json(p.context, &p.chosen.arrangement, "remote"),
        "held_back_by": p.chosen.missed.as_ref().map(|by| reasons::held_back(p.context, by)),
        "far_sides": sides.collect::<Vec<_>>(),
    });
    merge(&mut value, report(p.context, &p.chosen.report, &p.chosen.buys));
    value
}
