//! What there is: an inventory in a few lines, or in tables of its sound devices and of the machine.

use crate::shared::page::{Columns, Head, TIED, clean, counted, wrapped};
use swiftloop_core::survey::{Card, CardStream, Inventory, ServerState};

/// What there is in a few lines.
pub fn brief(i: &Inventory) -> String {
    if i.is_silent() && !i.sound_unseen {
        return wrapped("  ", "No sound card, no audio server.");
    }
    let mut text = String::new();
    if i.sound_unseen {
        text.push_str(&wrapped("  ", "Sound devices: not looked at yet."));
    }
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

pub fn sound(i: &Inventory) -> String {
    let mut text = String::new();
    if i.sound_unseen {
        text.push_str("  sound devices: not looked at yet\n");
    } else if i.is_silent() {
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

fn row(name: &str, s: &CardStream) -> [String; 5] {
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

pub fn machine(i: &Inventory) -> String {
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
    line("starts with it", vec![(!i.starting.is_empty()).then(|| i.starting.join(", "))]);
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
