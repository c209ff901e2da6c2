//! What a survey shows: how many findings, each with its cure, then the inventory.

use super::{BAD, FAINT, GOOD, STRONG, UNSURE, heading, lines, styled, table, wrapped};
use serde_json::{Value, json};
use std::path::Path;
use swiftloop_core::survey::{Card, Finding, Grade, Inventory, ServerState, Stream};
use swiftloop_files::Added;

/// Everything about one survey.
pub struct Surveyed<'a> {
    pub inventory: &'a Inventory,
    pub findings: Vec<Finding>,
    pub root: Option<&'a Path>,
    pub saved: Option<(&'a Path, &'a Added)>,
}

/// The text.
pub fn show(s: &Surveyed<'_>) -> String {
    let title = match s.root {
        Some(root) => format!("The computer copied to {}", root.display()),
        None => "This computer".into(),
    };
    let mut text = heading(&title);
    text.push_str(&format!("{}\n", answer(&s.findings)));
    for finding in &s.findings {
        text.push_str(&told(finding));
    }
    text.push_str(&format!("\n{}", heading("What there is")));
    text.push_str(&sound(s.inventory));
    text.push_str(&machine(s.inventory));
    text.push_str(&next(s));
    text
}

fn answer(findings: &[Finding]) -> String {
    let count = |grade| findings.iter().filter(|f| f.grade == grade).count();
    let parts: Vec<String> = [Grade::Severe, Grade::Costly, Grade::Mild]
        .into_iter()
        .filter(|g| count(*g) > 0)
        .map(|g| format!("{} {}", count(g), g.word()))
        .collect();
    match findings.len() {
        0 => styled(GOOD, "Nothing was found that hurts audio."),
        1 => styled(STRONG, format!("1 thing hurts audio here: {}.", parts.join(", "))),
        n => styled(STRONG, format!("{n} things hurt audio here: {}.", parts.join(", "))),
    }
}

fn told(f: &Finding) -> String {
    let style = match f.grade {
        Grade::Severe => BAD,
        Grade::Costly => UNSURE,
        Grade::Mild => FAINT,
    };
    let mut text = format!("\n{} {}", styled(style, format!("{:<6}", f.grade.word())), wrapped("", &f.what));
    for (lead, what) in
        [("costs", &f.costs), ("seen", &f.evidence), ("cure", &f.cure), ("risk", &f.risk), ("undo", &f.undo)]
    {
        // Commands are to be copied: no line ends within a word.
        let options = textwrap::Options::new(super::width())
            .word_separator(textwrap::WordSeparator::AsciiSpace)
            .word_splitter(textwrap::WordSplitter::NoHyphenation)
            .break_words(false);
        let lead = format!("       {lead:<5}  ");
        let filled = textwrap::fill(what, options.initial_indent(&lead).subsequent_indent("              "));
        text.push_str(&format!("{filled}\n"));
    }
    text
}

fn sound(i: &Inventory) -> String {
    let mut text = String::new();
    if i.is_silent() {
        text.push_str("  no sound card, no audio server\n");
    }
    if !i.cards.is_empty() {
        let mut t = table(&[" card", "stream", "rates in Hz", "channels", "open now"]);
        for card in &i.cards {
            let title = format!(" {} ({}, {})", card.id, card.name, card.connection);
            if card.streams.is_empty() {
                t.add_row([title.as_str(), "no audio", "", "", ""]);
            }
            for (n, stream) in card.streams.iter().enumerate() {
                t.add_row(row(if n == 0 { &title } else { "" }, stream));
            }
        }
        text.push_str(&lines(&t));
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

fn row(title: &str, s: &Stream) -> Vec<String> {
    let rates: Vec<String> = s.rates_hz.iter().map(ToString::to_string).collect();
    vec![
        title.into(),
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
    if parts.is_empty() { String::new() } else { wrapped(&format!("  {}  ", card.id), &parts.join(", ")) }
}

fn server(s: &ServerState) -> String {
    let mut parts = Vec::new();
    if let Some(rate) = s.rate_hz {
        parts.push(format!("{rate} Hz"));
    }
    if let Some(frames) = s.buffer_frames {
        parts.push(format!("blocks of {frames} frames"));
    }
    if let Some((least, most)) = s.buffer_range_frames {
        parts.push(format!("{least} to {most} may be asked for"));
    }
    if !s.allowed_rates_hz.is_empty() {
        let rates: Vec<String> = s.allowed_rates_hz.iter().map(ToString::to_string).collect();
        parts.push(format!("allowed rates {}", rates.join(" ")));
    }
    if let Some(n) = s.forced_buffer_frames {
        parts.push(format!("block forced to {n}"));
    }
    if let Some(hz) = s.forced_rate_hz {
        parts.push(format!("rate forced to {hz} Hz"));
    }
    if let Some(realtime) = s.realtime {
        parts.push(if realtime { "real-time" } else { "not real-time" }.into());
    }
    if let Some(load) = s.load_percent {
        parts.push(format!("load {load:.1} %"));
    }
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

fn next(s: &Surveyed<'_>) -> String {
    match s.saved {
        Some((path, added)) if added.created => format!(
            "\nWritten: {0}. Look through it: what was assumed says so.\nNext:  swiftloop soak --save {0}\n",
            path.display()
        ),
        Some((path, added)) if added.what.is_empty() => {
            format!("\n{} holds all of this already; nothing was changed.\n", path.display())
        }
        Some((path, added)) => {
            let list = added.what.join(", ");
            format!(
                "\n{}Next:  swiftloop soak --save {}\n",
                wrapped(
                    "",
                    &format!("Added to {}: {list}. What stood there was not touched.", path.display())
                ),
                path.display()
            )
        }
        None if s.inventory.is_silent() => String::new(),
        None => "\nNext: mend what is worth it, then  swiftloop survey --save rig.toml\n".into(),
    }
}

/// `survey --json`
pub fn json(s: &Surveyed<'_>) -> Result<Value, std::io::Error> {
    let value = |v: serde_json::Result<Value>| v.map_err(std::io::Error::other);
    Ok(json!({
        "format": "swiftloop.survey/1",
        "findings": value(serde_json::to_value(&s.findings))?,
        "rates": value(serde_json::to_value(s.inventory.places()))?,
        "inventory": value(serde_json::to_value(s.inventory))?,
        "saved": s.saved.map(|(path, added)| json!({ "path": path.display().to_string(), "added": added.what })),
    }))
}
