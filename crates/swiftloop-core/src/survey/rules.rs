//! The rules. Each looks at one thing in the inventory and says what it finds, with the figures that made it say so.

use super::findings::{Finding, Grade};
use super::inventory::{Inventory, Usb};

type Rule = fn(&Inventory) -> Vec<Finding>;

/// In the order in which an engineer would look.
pub(super) const ALL: [Rule; 19] = [
    no_sound,
    rates_disagree,
    two_clocks,
    forced,
    no_realtime,
    server_without_realtime,
    no_locked_memory,
    governor,
    clock_follows_late,
    limited_clock,
    on_battery,
    heat,
    deep_idle,
    preemption,
    realtime_share,
    usb,
    shared_interrupt,
    memory,
    busy,
];

/// Leaving deeper states than this costs more than a small block has to spare, in µs.
const DEEP_US: u32 = 100;
/// A session's buffers and samples that have to stay in memory, in bytes.
const LOCKED_BYTES: u64 = 256 * 1024 * 1024;
/// Share of a core from which another program is worth a look.
const BUSY: f64 = 0.15;
/// From here on processors begin to protect themselves, in °C.
const HOT_C: f64 = 90.0;
/// USB 2: a bus of less has no room for many channels.
const HIGH_SPEED: f64 = 480.0;

fn no_sound(i: &Inventory) -> Vec<Finding> {
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

fn rates_disagree(i: &Inventory) -> Vec<Finding> {
    let places = i.places();
    let Some(first) = places.first() else { return Vec::new() };
    if places.iter().all(|p| p.rate_hz == first.rate_hz) {
        return Vec::new();
    }
    let said: Vec<String> = places.iter().map(|p| format!("{} {} Hz", p.name, p.rate_hz)).collect();
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

fn two_clocks(i: &Inventory) -> Vec<Finding> {
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

fn forced(i: &Inventory) -> Vec<Finding> {
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

/// Less of a difference between a cold and a warm core is chance.
const LATE_CLOCK: f64 = 0.85;

fn clock_follows_late(i: &Inventory) -> Vec<Finding> {
    let p = &i.processor;
    let (Some(first), Some(last)) = (p.speed_at_first, p.speed) else { return Vec::new() };
    let (what, costs, cure) = if first < last * LATE_CLOCK {
        (
            "A core that was idle is slow at first.",
            "The first blocks of a phrase take longer than those that follow.",
            "Hold the clock high: see governor, or the power plan of the desktop.",
        )
    } else if last < first * LATE_CLOCK {
        (
            "A core becomes slower within a second of work.",
            "Heat or a power limit: what holds for a moment does not hold for a take.",
            "Give it air and mains power, then soak for half an hour.",
        )
    } else {
        return Vec::new();
    };
    vec![Finding {
        id: "unsteady-speed",
        grade: Grade::Mild,
        what: what.into(),
        costs: costs.into(),
        evidence: format!("{first:.2} of the reference core's speed at first, {last:.2} after a second"),
        cure: cure.into(),
        risk: "more heat".into(),
        undo: "set the old power plan again".into(),
    }]
}

fn no_realtime(i: &Inventory) -> Vec<Finding> {
    let Some(priority) = i.limits.realtime_priority else { return Vec::new() };
    if i.limits.superuser || priority >= 50 {
        return Vec::new();
    }
    vec![Finding {
        id: "no-realtime",
        grade: Grade::Severe,
        what: "Programs of this user may not have real-time priority.".into(),
        costs: "Audio threads wait behind every other program: dropouts at any buffer that feels immediate.".into(),
        evidence: format!("/proc/self/limits: Max realtime priority {priority}"),
        cure: "printf '@audio - rtprio 90\\n@audio - memlock unlimited\\n' | sudo tee /etc/security/limits.d/95-audio.conf; sudo usermod -aG audio $USER; log in again".into(),
        risk: "a program that never lets go can hold a core".into(),
        undo: "sudo rm /etc/security/limits.d/95-audio.conf".into(),
    }]
}

fn server_without_realtime(i: &Inventory) -> Vec<Finding> {
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

fn no_locked_memory(i: &Inventory) -> Vec<Finding> {
    let Some(bytes) = i.limits.locked_bytes else { return Vec::new() };
    if i.limits.superuser || bytes >= LOCKED_BYTES {
        return Vec::new();
    }
    vec![Finding {
        id: "no-locked-memory",
        grade: Grade::Costly,
        what: format!("Only {} MB of memory may be locked.", bytes / 1_000_000),
        costs: "Audio memory can be swapped out: rare, long dropouts.".into(),
        evidence: format!("/proc/self/limits: Max locked memory {bytes} bytes"),
        cure: "printf '@audio - rtprio 90\\n@audio - memlock unlimited\\n' | sudo tee /etc/security/limits.d/95-audio.conf; log in again".into(),
        risk: "a program that locks all memory starves the others".into(),
        undo: "sudo rm /etc/security/limits.d/95-audio.conf".into(),
    }]
}

fn governor(i: &Inventory) -> Vec<Finding> {
    let Some(governor) = &i.processor.governor else { return Vec::new() };
    if governor == "performance" {
        return Vec::new();
    }
    let grade = if governor == "powersave" { Grade::Costly } else { Grade::Mild };
    let set =
        |to: &str| format!("echo {to} | sudo tee /sys/devices/system/cpu/cpu*/cpufreq/scaling_governor");
    vec![Finding {
        id: "governor",
        grade,
        what: format!("The processor's clock is governed by `{governor}`."),
        costs: "The clock follows the load late: the first blocks after a quiet moment take longer.".into(),
        evidence: format!("cpu0/cpufreq/scaling_governor: {governor}"),
        cure: set("performance"),
        risk: "more heat and fan noise, less battery; gone after a restart".into(),
        undo: set(governor),
    }]
}

fn limited_clock(i: &Inventory) -> Vec<Finding> {
    let (Some(allowed), Some(most)) = (i.processor.allowed_mhz, i.processor.most_mhz) else {
        return Vec::new();
    };
    if allowed >= most * 0.98 {
        return Vec::new();
    }
    let set = |mhz: f64| {
        format!("echo {:.0} | sudo tee /sys/devices/system/cpu/cpu*/cpufreq/scaling_max_freq", mhz * 1000.0)
    };
    vec![Finding {
        id: "limited-clock",
        grade: Grade::Costly,
        what: format!("The clock may not go above {allowed:.0} of {most:.0} MHz."),
        costs: format!("{:.0} % of the processor's speed.", (1.0 - allowed / most) * 100.0),
        evidence: format!("scaling_max_freq {allowed:.0} MHz, cpuinfo_max_freq {most:.0} MHz"),
        cure: set(most),
        risk: "more heat; if somebody set the limit against overheating, it comes back".into(),
        undo: set(allowed),
    }]
}

fn on_battery(i: &Inventory) -> Vec<Finding> {
    if i.power.on_battery != Some(true) {
        return Vec::new();
    }
    vec![Finding {
        id: "on-battery",
        grade: Grade::Costly,
        what: "The computer runs on battery.".into(),
        costs: "Firmware saves power behind the system's back: slower clocks, deeper sleep.".into(),
        evidence: "no mains supply under /sys/class/power_supply is online".into(),
        cure: "Plug it in.".into(),
        risk: "a bad supply hums: listen, and use a balanced line or another socket".into(),
        undo: "unplug it".into(),
    }]
}

fn heat(i: &Inventory) -> Vec<Finding> {
    let hot = i.power.hottest_c.filter(|c| *c >= HOT_C);
    let slowed = i.processor.throttled.filter(|n| *n > 0);
    if hot.is_none() && slowed.is_none() {
        return Vec::new();
    }
    let mut evidence = Vec::new();
    if let Some(c) = hot {
        evidence.push(format!("hottest place {c:.0} °C"));
    }
    if let Some(n) = slowed {
        evidence.push(format!("slowed down by heat {n} times since it was started"));
    }
    vec![Finding {
        id: "heat",
        grade: if hot.is_some() { Grade::Costly } else { Grade::Mild },
        what: "The processor gets too hot.".into(),
        costs: "It slows down in the middle of a take, just when it has most to do.".into(),
        evidence: evidence.join("; "),
        cure: "Free the vents, raise it from the table, clean the fan; then swiftloop soak for half an hour."
            .into(),
        risk: "none".into(),
        undo: "nothing to undo".into(),
    }]
}

fn deep_idle(i: &Inventory) -> Vec<Finding> {
    let deep: Vec<_> = i.processor.idle.iter().filter(|s| !s.disabled && s.exit_us >= DEEP_US).collect();
    let Some(deepest) = deep.iter().max_by_key(|s| s.exit_us) else { return Vec::new() };
    let list: Vec<String> = deep.iter().map(|s| format!("{} ({} µs)", s.name, s.exit_us)).collect();
    let set = |flag: u32| {
        let states: Vec<String> = deep.iter().map(|s| s.index.to_string()).collect();
        let which = if states.len() == 1 { states.concat() } else { format!("[{}]", states.concat()) };
        format!("echo {flag} | sudo tee /sys/devices/system/cpu/cpu*/cpuidle/state{which}/disable")
    };
    vec![Finding {
        id: "deep-idle",
        grade: Grade::Costly,
        what: format!(
            "Between blocks the processor may sleep so deeply that waking takes {} µs.",
            deepest.exit_us
        ),
        costs: "That is taken from every block; swiftloop soak, with and without --awake, tells how much."
            .into(),
        evidence: list.join(", "),
        cure: set(1),
        risk: "more heat, less battery; gone after a restart".into(),
        undo: set(0),
    }]
}

fn preemption(i: &Inventory) -> Vec<Finding> {
    let Some(word) = i.kernel.preemption.as_deref() else { return Vec::new() };
    if !matches!(word, "none" | "voluntary") {
        return Vec::new();
    }
    let cure = if i.kernel.preemption_can_change {
        "add preempt=full to the kernel's command line (in /etc/default/grub, then sudo update-grub) and restart"
    } else {
        "install your distribution's low-latency or real-time kernel and restart"
    };
    vec![Finding {
        id: "preemption",
        grade: if word == "none" { Grade::Costly } else { Grade::Mild },
        what: format!("The kernel lets go of the processor late (preemption: {word})."),
        costs: "An audio thread may wait some hundred microseconds for a system call of somebody else."
            .into(),
        evidence: i.kernel.version.clone().unwrap_or_default(),
        cure: cure.into(),
        risk: "a few percent less throughput".into(),
        undo: "take it off the command line, or choose the old kernel when starting".into(),
    }]
}

fn realtime_share(i: &Inventory) -> Vec<Finding> {
    let Some(share) = i.kernel.realtime_share.filter(|s| *s < 0.9) else { return Vec::new() };
    vec![Finding {
        id: "realtime-share",
        grade: Grade::Costly,
        what: format!("Real-time threads may have only {:.0} % of each second.", share * 100.0),
        costs: "A heavy session is stopped for the rest of the second: one long dropout.".into(),
        evidence: "/proc/sys/kernel/sched_rt_runtime_us against sched_rt_period_us".into(),
        cure: "sudo sysctl kernel.sched_rt_runtime_us=950000".into(),
        risk: "a program that never lets go leaves 5 % for saving your work".into(),
        undo: format!("sudo sysctl kernel.sched_rt_runtime_us={:.0}", share * 1e6),
    }]
}

fn usb(i: &Inventory) -> Vec<Finding> {
    i.cards
        .iter()
        .filter_map(|c| Some((c.id.as_str(), c.usb.as_ref()?)))
        .flat_map(|(id, u)| usb_of(id, u))
        .collect()
}

fn usb_of(id: &str, u: &Usb) -> Vec<Finding> {
    let mut found = Vec::new();
    if u.hubs > 0 {
        let others = if u.hub_shared_with.is_empty() {
            "alone".into()
        } else {
            format!("with {}", u.hub_shared_with.join(", "))
        };
        found.push(Finding {
            id: "usb-hub",
            grade: if u.hub_shared_with.is_empty() { Grade::Mild } else { Grade::Costly },
            what: format!(
                "{id} hangs behind {} ({others}).",
                if u.hubs == 1 { "a hub".into() } else { format!("{} hubs", u.hubs) }
            ),
            costs: "Whoever else is busy on the hub makes its packets late; hubs' supplies are weak.".into(),
            evidence: format!("bus place {}", u.place),
            cure: "Plug it into a socket of the computer itself, if possible on a controller of its own."
                .into(),
            risk: "none".into(),
            undo: "plug it back".into(),
        });
    } else if !u.controller_shared_with.is_empty() {
        found.push(Finding {
            id: "usb-controller",
            grade: Grade::Mild,
            what: format!("{id} shares its USB controller with {}.", u.controller_shared_with.join(", ")),
            costs: "A disk or camera that is busy on the same controller takes turns with it.".into(),
            evidence: format!("bus place {}", u.place),
            cure: "Move the others, or it, to a socket on another side of the computer and look again."
                .into(),
            risk: "none".into(),
            undo: "plug it back".into(),
        });
    }
    if u.speed_mbit_s > 0.0 && u.speed_mbit_s < HIGH_SPEED {
        found.push(Finding {
            id: "usb-slow",
            grade: Grade::Mild,
            what: format!("{id} runs at {:.0} Mbit/s.", u.speed_mbit_s),
            costs: "Its packets come once a millisecond: at least that much more delay each way, and few channels.".into(),
            evidence: format!("bus place {}", u.place),
            cure: "If the interface can do USB 2, use another cable and socket; else this is what it is.".into(),
            risk: "none".into(),
            undo: "plug it back".into(),
        });
    }
    if u.autosuspend == Some(true) {
        let set = |to: &str| format!("echo {to} | sudo tee /sys/bus/usb/devices/{}/power/control", u.place);
        found.push(Finding {
            id: "usb-autosuspend",
            grade: Grade::Costly,
            what: format!("The system may put {id} to sleep."),
            costs: "The first sound after a pause is lost, or the device drops off the bus.".into(),
            evidence: format!("{}/power/control: auto", u.place),
            cure: set("on"),
            risk: "a little battery; gone after a restart".into(),
            undo: set("auto"),
        });
    }
    found
}

fn shared_interrupt(i: &Inventory) -> Vec<Finding> {
    let cards = i.cards.iter().filter_map(|c| Some((c, c.irq.as_ref()?)));
    cards
        .filter(|(_, irq)| !irq.shared_with.is_empty())
        .map(|(card, irq)| Finding {
            id: "shared-interrupt",
            grade: Grade::Mild,
            what: format!("{} shares its interrupt with {}.", card.id, irq.shared_with.join(", ")),
            costs: "Each of them delays the other by some microseconds, sometimes by far more.".into(),
            evidence: format!("/proc/interrupts, line {}", irq.line),
            cure:
                "Move the card or the other device to another slot or socket, or unload the other's driver."
                    .into(),
            risk: "the other device does not work without its driver".into(),
            undo: "move it back; a restart loads the driver again".into(),
        })
        .collect()
}

fn memory(i: &Inventory) -> Vec<Finding> {
    let m = &i.memory;
    let (Some(total), Some(available)) = (m.total_gb, m.available_gb) else { return Vec::new() };
    let short = available < total * 0.1;
    let waits = m.waits_percent.is_some_and(|w| w[1] > 1.0);
    if !short && !waits {
        return Vec::new();
    }
    vec![Finding {
        id: "memory",
        grade: if waits { Grade::Severe } else { Grade::Costly },
        what: format!("Only {available:.1} of {total:.1} GB of memory are free."),
        costs: "Samples are read from disk again and again, and what is swapped out comes back too late.".into(),
        evidence: match m.waits_percent {
            Some(w) => format!("{:.1} GB swapped; waiting for memory {:.1} % of the last ten seconds", m.swap_used_gb.unwrap_or(0.0), w[1]),
            None => format!("{:.1} GB swapped", m.swap_used_gb.unwrap_or(0.0)),
        },
        cure: "Quit what the session does not need; print or unload sampled instruments (swiftloop plan says which).".into(),
        risk: "unsaved work in what is quit".into(),
        undo: "start it again afterwards".into(),
    }]
}

fn busy(i: &Inventory) -> Vec<Finding> {
    let busy: Vec<_> = i.busy.iter().filter(|b| b.core_share >= BUSY).collect();
    if busy.is_empty() {
        return Vec::new();
    }
    let list: Vec<String> =
        busy.iter().map(|b| format!("{} {:.0} %", b.name, b.core_share * 100.0)).collect();
    vec![Finding {
        id: "busy",
        grade: if busy.iter().map(|b| b.core_share).sum::<f64>() > 0.5 { Grade::Costly } else { Grade::Mild },
        what: format!("Other programs work: {}.", list.join(", ")),
        costs:
            "Their share of a core is not there for the session, and caches are theirs when a block begins."
                .into(),
        evidence: "share of one core during the look".into(),
        cure: "Quit them or wait until they are done; list what must stay as [[program]] in rig.toml.".into(),
        risk: "unsaved work in what is quit".into(),
        undo: "start them again afterwards".into(),
    }]
}
