//! What a survey shows: how many findings, the gravest with its cure, all of them in a line each; the inventory.

use super::{Detail, quoted};
use crate::page::{
    Columns, Head, Style, TIED, answer, clean, command, counted, heading, styled, title, wrapped,
};
use crate::words::survey::tell;
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_core::survey::{Card, Finding, Grade, Inventory, ServerState, Stream};
use swiftloop_files::{Added, Difference};

/// Everything about one survey.
pub struct Surveyed<'a> {
    pub inventory: &'a Inventory,
    pub findings: Vec<Finding>,
    pub root: Option<&'a Path>,
    pub saved: Option<(&'a Path, &'a Added)>,
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

/// The text.
pub fn show(s: &Surveyed<'_>, detail: Detail) -> String {
    let title_line = match s.root {
        Some(root) => format!("The computer copied to {}", clean(&root.display().to_string())),
        None => "This computer".into(),
    };
    let mut text = heading(&title_line);
    text.push_str(&answer(&lead(&s.findings)));
    if detail.is_full() {
        s.findings.iter().for_each(|f| text.push_str(&told(f)));
        text.push_str(&format!("\n{}", heading("What there is")));
        text.push_str(&sound(s.inventory));
        text.push_str(&machine(s.inventory));
    } else {
        text.push_str(&first(&s.findings));
        text.push_str(&title("What there is"));
        text.push_str(&brief(s.inventory));
    }
    text.push_str(&next(s, detail));
    text
}

/// The answer.
pub fn lead(findings: &[Finding]) -> String {
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
fn first(findings: &[Finding]) -> String {
    let mut text = String::new();
    for (n, f) in findings.iter().take(TOLD).enumerate() {
        let told = tell(&f.hurt);
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
        text.push_str(&wrapped("  ", &format!("{} {}", grade(f.grade), tell(&f.hurt).what)));
    }
    text
}

/// A finding whole.
fn told(f: &Finding) -> String {
    let told = tell(&f.hurt);
    let mut text = format!("\n{}", wrapped(&format!("{} ", grade(f.grade)), &told.what));
    text.push_str(&wrapped("       costs  ", told.costs));
    text.push_str(&wrapped("       seen   ", &told.evidence));
    text.push_str(&wrapped("       cure   ", &told.cure));
    told.commands.iter().for_each(|c| text.push_str(&format!("{}\n", textwrap::indent(c, "         "))));
    text.push_str(&wrapped("       risk   ", told.risk));
    text.push_str(&wrapped("       undo   ", &told.undo));
    text
}

/// What there is in a few lines.
fn brief(i: &Inventory) -> String {
    if i.is_silent() {
        return wrapped("  ", "No sound card, no audio server.");
    }
    let mut text = String::new();
    for card in &i.cards {
        let playback = card.streams.iter().any(|s| !s.capture);
        let recording = card.streams.iter().any(|s| s.capture);
        let ways = match (playback, recording) {
            (true, true) => "plays and records",
            (true, false) => "plays",
            (false, true) => "records",
            (false, false) => "no audio",
        };
        text.push_str(&wrapped("  ", &format!("{} ({}, {}): {ways}", card.id, card.name, card.connection)));
    }
    for s in &i.servers {
        let rate = s.rate_hz.map_or(String::new(), |r| format!(", {r}{TIED}Hz"));
        let block = s.buffer_frames.map_or(String::new(), |b| format!(", blocks of {b}"));
        text.push_str(&wrapped("  ", &format!("{}{rate}{block}", s.kind)));
    }
    let p = &i.processor;
    let cores = p.cores.map(|n| counted(n as usize, "core", "cores"));
    let parts: Vec<String> =
        [p.model.clone(), cores, p.speed.map(|s| format!("{s:.2} × the reference core"))]
            .into_iter()
            .flatten()
            .collect();
    if !parts.is_empty() {
        text.push_str(&wrapped("  ", &parts.join(", ")));
    }
    text
}

fn sound(i: &Inventory) -> String {
    let mut text = String::new();
    if i.is_silent() {
        text.push_str("  no sound card, no audio server\n");
    }
    if !i.cards.is_empty() {
        let mut t = Columns::new(&[
            Head::words("card"),
            Head::words("stream"),
            Head::prose("rates in Hz"),
            Head::words("channels"),
            Head::prose("open now"),
        ]);
        for card in &i.cards {
            let name = format!("{} ({}, {})", card.id, card.name, card.connection);
            if card.streams.is_empty() {
                t.row([name.clone(), "no audio".into(), String::new(), String::new(), String::new()]);
            }
            for (n, stream) in card.streams.iter().enumerate() {
                t.row(row(if n == 0 { &name } else { "" }, stream));
            }
        }
        text.push_str(&t.show());
        text.push_str(&i.cards.iter().map(hangs).collect::<String>());
    }
    text.push_str(&i.servers.iter().map(server).collect::<String>());
    let places = i.places();
    if !places.is_empty() {
        let list: Vec<String> = places.iter().map(|p| format!("{} {} Hz", p.name, p.rate_hz)).collect();
        let verdict = if i.rates_agree() { "they agree" } else { "they do not agree" };
        text.push_str(&wrapped("  places with a rate  ", &format!("{}; {verdict}", list.join(", "))));
    }
    text
}

fn row(name: &str, s: &Stream) -> [String; 5] {
    let rates: Vec<String> = s.rates_hz.iter().map(ToString::to_string).collect();
    [
        name.into(),
        if s.capture { "recording" } else { "playback" }.into(),
        if rates.is_empty() { "not told".into() } else { rates.join(" ") },
        if s.channels == 0 { "not told".into() } else { s.channels.to_string() },
        match &s.open {
            Some(o) => format!(
                "{} Hz, {} × {} frames, {} channels, {}",
                o.rate_hz,
                o.buffer_frames / o.period_frames.max(1),
                o.period_frames,
                o.channels,
                o.sample_format
            ),
            None => "no".into(),
        },
    ]
}

/// Where a card hangs.
fn hangs(card: &Card) -> String {
    let mut parts = Vec::new();
    if let Some(usb) = &card.usb {
        parts.push(format!("USB place {} at {:.0} Mbit/s", usb.place, usb.speed_mbit_s));
        parts.push(match usb.hubs {
            0 => "no hub".into(),
            1 => "behind a hub".into(),
            n => format!("behind {n} hubs"),
        });
    }
    if let Some(irq) = &card.irq {
        let shared = if irq.shared_with.is_empty() {
            "its own".into()
        } else {
            format!("with {}", irq.shared_with.join(", "))
        };
        parts.push(format!("interrupt {} {shared}", irq.line));
    }
    if parts.is_empty() {
        String::new()
    } else {
        wrapped(&format!("  {}  ", clean(&card.id)), &parts.join(", "))
    }
}

fn server(s: &ServerState) -> String {
    let rates: Vec<String> = s.allowed_rates_hz.iter().map(ToString::to_string).collect();
    let parts: Vec<String> = [
        s.rate_hz.map(|rate| format!("{rate} Hz")),
        s.buffer_frames.map(|frames| format!("blocks of {frames} frames")),
        s.buffer_range_frames.map(|(least, most)| format!("{least} to {most} may be asked for")),
        (!rates.is_empty()).then(|| format!("allowed rates {}", rates.join(" "))),
        s.forced_buffer_frames.map(|n| format!("block forced to {n}")),
        s.forced_rate_hz.map(|hz| format!("rate forced to {hz} Hz")),
        s.realtime.map(|yes| if yes { "real-time" } else { "not real-time" }.into()),
        s.load_percent.map(|load| format!("load {load:.1} %")),
    ]
    .into_iter()
    .flatten()
    .collect();
    let mut text = wrapped(&format!("  {}  ", s.kind), &parts.join(", "));
    if !s.nodes.is_empty() {
        text.push_str(&wrapped("    nodes  ", &s.nodes.join(", ")));
    }
    for (name, least, most) in &s.port_delays {
        text.push_str(&wrapped("    port  ", &format!("{name}: {least} to {most} frames, it says")));
    }
    text
}

fn machine(i: &Inventory) -> String {
    let p = &i.processor;
    let mut text = String::new();
    let mut line = |lead: &str, parts: Vec<Option<String>>| {
        let parts: Vec<String> = parts.into_iter().flatten().collect();
        if !parts.is_empty() {
            text.push_str(&wrapped(&format!("  {lead}  "), &parts.join(", ")));
        }
    };
    line(
        "processor",
        vec![
            p.model.clone(),
            p.cores.map(|n| format!("{n} cores")),
            p.threads.map(|n| format!("{n} threads")),
            p.governor.as_ref().map(|g| format!("governed by {g}")),
            p.now_mhz.zip(p.most_mhz).map(|(now, most)| format!("{now:.0} of {most:.0} MHz now")),
            p.boost.map(|b| if b { "boost on".into() } else { "boost off".into() }),
            p.speed.map(|s| format!("{s:.2} × the reference core after a second of work")),
        ],
    );
    let idle: Vec<String> =
        p.idle.iter().filter(|s| !s.disabled).map(|s| format!("{} {} µs", s.name, s.exit_us)).collect();
    line("idle states", vec![(!idle.is_empty()).then(|| idle.join(", "))]);
    let m = &i.memory;
    line(
        "memory",
        vec![
            m.total_gb.zip(m.available_gb).map(|(all, free)| format!("{free:.1} of {all:.1} GB free")),
            m.swap_used_gb.map(|g| format!("{g:.1} GB swapped")),
            m.swappiness.map(|n| format!("swappiness {n}")),
            m.waits_percent.map(|w| {
                format!("waits for processor {:.1} %, memory {:.1} %, disk {:.1} %", w[0], w[1], w[2])
            }),
        ],
    );
    let k = &i.kernel;
    line(
        "kernel",
        vec![
            k.version.as_ref().map(|v| v.split(" (").next().unwrap_or(v).to_string()),
            Some(format!("preemption {}", k.preemption.as_deref().unwrap_or("not told to this user"))),
            k.threaded_interrupts.map(|t| format!("interrupts {}in threads", if t { "" } else { "not " })),
            k.timer_ns.map(|ns| format!("timer to {ns} ns")),
            k.realtime_share.map(|s| format!("real-time threads {:.0} % of each second", s * 100.0)),
        ],
    );
    let amount = |b: u64| if b == u64::MAX { "all".into() } else { format!("{} MB", b / 1_000_000) };
    line(
        "limits",
        vec![
            i.limits.superuser.then(|| "superuser: none hold".into()),
            i.limits.realtime_priority.map(|n| format!("real-time priority up to {n}")),
            i.limits.locked_bytes.map(|b| format!("memory to lock: {}", amount(b))),
        ],
    );
    line(
        "power",
        vec![
            i.power.on_battery.map(|b| if b { "on battery".into() } else { "on mains".into() }),
            i.power.hottest_c.map(|c| format!("hottest place {c:.0} °C")),
        ],
    );
    let busy: Vec<String> =
        i.busy.iter().map(|b| format!("{} {:.0} % of a core", b.name, b.core_share * 100.0)).collect();
    line("busy", vec![(!busy.is_empty()).then(|| busy.join(", "))]);
    line("not seen", vec![(!i.unseen.is_empty()).then(|| i.unseen.join("; "))]);
    text
}

/// What was done to a file that was there.
fn in_an_old_file(file: &str, added: &Added) -> String {
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
fn differing(s: &Surveyed<'_>, file: &str, all: &[Difference]) -> String {
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
    let finding = |f: &Finding| {
        let told = tell(&f.hurt);
        let cure = std::iter::once(told.cure).chain(told.commands).filter(|c| !c.is_empty());
        object!({
            "id": f.hurt.id(),
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
