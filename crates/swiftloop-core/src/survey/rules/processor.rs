//! How fast the processor runs when it is needed: clocks, idle, energy, heat.

use super::super::{Finding, Grade, Inventory};

/// Leaving deeper states than this costs more than a small block has to spare, in µs.
const DEEP_US: u32 = 100;
/// From here on processors begin to protect themselves, in °C.
const HOT_C: f64 = 90.0;
/// Less of a difference between a cold and a warm core is chance.
const LATE_CLOCK: f64 = 0.85;

pub fn governor(i: &Inventory) -> Vec<Finding> {
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

pub fn clock_follows_late(i: &Inventory) -> Vec<Finding> {
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

pub fn limited_clock(i: &Inventory) -> Vec<Finding> {
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

pub fn on_battery(i: &Inventory) -> Vec<Finding> {
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

pub fn heat(i: &Inventory) -> Vec<Finding> {
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

pub fn deep_idle(i: &Inventory) -> Vec<Finding> {
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
