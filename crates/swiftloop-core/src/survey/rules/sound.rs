//! Whether there is sound, at which rates, and who holds it: cards and servers.

use super::super::{Finding, Grade, Inventory};

pub fn no_sound(i: &Inventory) -> Vec<Finding> {
    if !i.is_silent() {
        return Vec::new();
    }
    vec![Finding {
        id: "no-sound",
        grade: Grade::Severe,
        what: "No sound card and no audio server was found.".into(),
        costs: "Nothing can be played or recorded.".into(),
        evidence: "/proc/asound/cards lists none; neither PipeWire nor JACK answers.".into(),
        cure: "Connect the interface, switch it on, and look again; in a container or virtual machine, pass it through.".into(),
        risk: "none".into(),
        undo: "nothing to undo".into(),
    }]
}

pub fn rates_disagree(i: &Inventory) -> Vec<Finding> {
    if i.rates_agree() {
        return Vec::new();
    }
    let said: Vec<String> = i.places().iter().map(|p| format!("{} {} Hz", p.name, p.rate_hz)).collect();
    vec![Finding {
        id: "rates-disagree",
        grade: Grade::Costly,
        what: "Places that have a sample rate do not agree.".into(),
        costs: "Something converts on the way (delay, load, a softer top), or recordings play at a wrong pitch.".into(),
        evidence: said.join(", "),
        cure: "Choose the session's rate (swiftloop plan says which) and set every place to it before anything is opened.".into(),
        risk: "programs that hold a device open have to be restarted".into(),
        undo: "set the old rates again: they stand under seen".into(),
    }]
}

pub fn two_clocks(i: &Inventory) -> Vec<Finding> {
    let open: Vec<&str> = i
        .cards
        .iter()
        .filter(|c| c.streams.iter().any(|s| s.open.is_some()))
        .map(|c| c.id.as_str())
        .collect();
    if open.len() < 2 {
        return Vec::new();
    }
    vec![Finding {
        id: "two-clocks",
        grade: Grade::Mild,
        what: format!("{} cards are open at once.", open.len()),
        costs: "Each has a clock of its own: used together in one session, frames slip every few seconds."
            .into(),
        evidence: format!("open streams on {}", open.join(", ")),
        cure: "Record and play through one of them, or lock them by word clock or a digital cable.".into(),
        risk: "none".into(),
        undo: "nothing to undo".into(),
    }]
}

pub fn forced(i: &Inventory) -> Vec<Finding> {
    let servers = i.servers.iter().filter(|s| s.forced_buffer_frames.is_some() || s.forced_rate_hz.is_some());
    servers
        .map(|s| {
            let mut parts = Vec::new();
            if let Some(n) = s.forced_buffer_frames {
                parts.push(format!("a block of {n} frames"));
            }
            if let Some(hz) = s.forced_rate_hz {
                parts.push(format!("a rate of {hz} Hz"));
            }
            Finding {
                id: "forced",
                grade: Grade::Mild,
                what: format!("{} is held at {}.", s.kind, parts.join(" and ")),
                costs: "What a program asks for does not count: delay or load stay as they were for another job.".into(),
                evidence: format!("{} says so", s.kind),
                cure: "Quit the program that holds it; if none does: pw-metadata -n settings 0 clock.force-quantum 0 \
                       and the same for clock.force-rate"
                    .into(),
                risk: "programs hear a short gap while it changes".into(),
                undo: "set the old values again: they stand above".into(),
            }
        })
        .collect()
}

pub fn server_without_realtime(i: &Inventory) -> Vec<Finding> {
    let without = i.servers.iter().filter(|s| s.realtime == Some(false));
    without
        .map(|s| Finding {
            id: "server-without-realtime",
            grade: Grade::Costly,
            what: format!("{} runs without real-time priority.", s.kind),
            costs: "It and its clients are late whenever anything else works.".into(),
            evidence: format!("{} says so", s.kind),
            cure:
                "Allow real-time priority (see no-realtime, or the server's own option) and start it again."
                    .into(),
            risk: "its clients have to be connected again".into(),
            undo: "start it as before".into(),
        })
        .collect()
}
