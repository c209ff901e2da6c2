//! Cpu, memory, energy and kernel, from `/proc` and `/sys`.

use super::tree::Tree;
use std::collections::BTreeSet;
use swiftloop_core::survey::{Cpu, EachCpu, EnergyState, Idle, Kernel, MemoryState};

const CPUS: &str = "sys/devices/system/cpu";

/// How the clocks are governed: as that of the first hardware thread that is not held high, or of the first at all.
pub(super) fn governor(tree: &Tree) -> Option<String> {
    let all = tree.numbered(CPUS, "cpu").into_iter();
    let mut all = all.filter_map(|(_, n)| tree.first_word(&format!("{CPUS}/{n}/cpufreq/scaling_governor")));
    let first = all.next()?;
    Some(std::iter::once(first.clone()).chain(all).find(|g| g != "performance").unwrap_or(first))
}

/// What can be set for one hardware thread.
fn each(tree: &Tree, (cpu, name): &(u32, String)) -> EachCpu {
    let clock = |key: &str| format!("{CPUS}/{name}/cpufreq/{key}");
    let khz = |key: &str| tree.number(&clock(key)).map(|khz| khz as u64);
    let governors = tree.first_word(&clock("scaling_available_governors")).unwrap_or_default();
    EachCpu {
        cpu: *cpu,
        governor: tree.first_word(&clock("scaling_governor")),
        governors: governors.split_whitespace().map(String::from).collect(),
        allowed_khz: khz("scaling_max_freq"),
        most_khz: khz("cpuinfo_max_freq"),
        idle: idle_states(tree, name),
    }
}

fn idle_states(tree: &Tree, cpu: &str) -> Vec<Idle> {
    let states = tree.numbered(&format!("{CPUS}/{cpu}/cpuidle"), "state");
    states.iter().map(|s| idle(tree, cpu, s)).collect()
}

/// States of all hardware threads together: one is off where it is off everywhere.
fn idle_of_all(each: &[EachCpu]) -> Vec<Idle> {
    let mut all = each.first().map(|e| e.idle.clone()).unwrap_or_default();
    for state in &mut all {
        let same = |e: &EachCpu| e.idle.iter().find(|s| s.index == state.index).is_none_or(|s| s.disabled);
        state.disabled = each.iter().all(same);
    }
    all
}

pub(super) fn processor(tree: &Tree) -> Cpu {
    let threads = tree.numbered(CPUS, "cpu");
    let place = |n: &str| {
        let topology = |key: &str| tree.first_word(&format!("{CPUS}/{n}/topology/{key}"));
        Some((topology("physical_package_id")?, topology("core_id")?))
    };
    let cores: BTreeSet<(String, String)> = threads.iter().filter_map(|(_, n)| place(n)).collect();
    let about = tree.text("proc/cpuinfo").unwrap_or_default();
    let says = |key: &str| {
        about.lines().find_map(|l| Some(l.strip_prefix(key)?.split_once(':')?.1.trim().to_string()))
    };
    let each: Vec<EachCpu> = threads.iter().map(|t| each(tree, t)).collect();
    let mhz = |khz: u64| khz as f64 / 1000.0;
    // Of all the one that is held lowest.
    let limited = each.iter().filter_map(|e| Some((e.allowed_khz?, e.most_khz?)));
    let share = |l: &(u64, u64)| l.0 as f64 / l.1.max(1) as f64;
    let limited = limited.min_by(|a, b| share(a).total_cmp(&share(b)));
    let clock = |key: &str| tree.number(&format!("{CPUS}/cpu0/cpufreq/{key}")).map(|khz| khz / 1000.0);
    let flag = |name: &str| tree.number(&format!("{CPUS}/{name}")).map(|x| x > 0.0);
    Cpu {
        model: says("model name"),
        cores: (!cores.is_empty()).then_some(cores.len() as u32),
        threads: (!threads.is_empty()).then_some(threads.len() as u32),
        governor: governor(tree),
        allowed_mhz: limited.map(|l| mhz(l.0)).or(clock("scaling_max_freq")),
        most_mhz: limited.map(|l| mhz(l.1)).or(clock("cpuinfo_max_freq")),
        now_mhz: clock("scaling_cur_freq").or_else(|| says("cpu MHz")?.parse().ok()),
        boost: flag("cpufreq/boost").or_else(|| flag("intel_pstate/no_turbo").map(|no| !no)),
        idle: idle_of_all(&each),
        each,
        wake_limit_us: None,
        throttled: throttled(tree),
        speed: None,
        speed_at_first: None,
    }
}

fn idle(tree: &Tree, cpu: &str, (index, name): &(u32, String)) -> Idle {
    let place = |key: &str| format!("{CPUS}/{cpu}/cpuidle/{name}/{key}");
    Idle {
        index: *index,
        name: tree.first_word(&place("name")).unwrap_or_else(|| name.clone()),
        exit_us: tree.number(&place("latency")).unwrap_or(0.0) as u32,
        disabled: tree.number(&place("disable")).is_some_and(|x| x > 0.0),
    }
}

/// Share of the last ten seconds in which something waited for it, in percent: `some avg10=0.12 avg60=…`
pub(super) fn waits(tree: &Tree, of: &str) -> Option<f64> {
    let text = tree.text(&format!("proc/pressure/{of}"))?;
    let line = text.lines().find(|l| l.starts_with("some"))?;
    line.split_whitespace().find_map(|w| w.strip_prefix("avg10="))?.parse::<f64>().ok()
}

/// Times that heat has slowed the processor down.
pub(super) fn throttled(tree: &Tree) -> Option<u64> {
    tree.number(&format!("{CPUS}/cpu0/thermal_throttle/core_throttle_count")).map(|n| n as u64)
}

pub(super) fn memory(tree: &Tree) -> MemoryState {
    let text = tree.text("proc/meminfo").unwrap_or_default();
    // `MemTotal:       16266604 kB`, units of 1024 bytes.
    let gigabytes = |key: &str| {
        let line = text.lines().find_map(|l| l.strip_prefix(key)?.strip_prefix(':'))?;
        Some(line.split_whitespace().next()?.parse::<f64>().ok()? * 1024.0 / 1e9)
    };
    let waits = |of: &str| waits(tree, of);
    let all_waits = || Some([waits("cpu")?, waits("memory")?, waits("io")?]);
    MemoryState {
        total_gb: gigabytes("MemTotal"),
        available_gb: gigabytes("MemAvailable"),
        swap_used_gb: gigabytes("SwapTotal").zip(gigabytes("SwapFree")).map(|(all, free)| all - free),
        swappiness: tree.number("proc/sys/vm/swappiness").map(|x| x as u32),
        waits_percent: all_waits(),
    }
}

pub(super) fn power(tree: &Tree) -> EnergyState {
    const SUPPLIES: &str = "sys/class/power_supply";
    let kinds: Vec<(String, String)> = tree
        .names(SUPPLIES)
        .into_iter()
        .filter_map(|n| Some((tree.first_word(&format!("{SUPPLIES}/{n}/type"))?, n)))
        .collect();
    let has_battery = kinds.iter().any(|k| k.0 == "Battery");
    let online = kinds
        .iter()
        .filter(|k| k.0 != "Battery")
        .filter_map(|k| tree.number(&format!("{SUPPLIES}/{}/online", k.1)))
        .map(|x| x > 0.0)
        .reduce(|a, b| a || b);
    let zones = tree.numbered("sys/class/thermal", "thermal_zone");
    let heat = zones.iter().filter_map(|(_, z)| tree.number(&format!("sys/class/thermal/{z}/temp")));
    EnergyState {
        on_battery: online.map(|on| !on && has_battery),
        has_battery,
        // Thousandths of a degree; a sensor that is not there says nonsense.
        plan: None,
        hottest_c: heat.map(|t| t / 1000.0).filter(|t| (1.0..150.0).contains(t)).reduce(f64::max),
    }
}

pub(super) fn kernel(tree: &Tree) -> Kernel {
    let version = tree.first_word("proc/version");
    let line = tree.first_word("proc/cmdline").unwrap_or_default();
    let has = |word: &str| version.as_deref().is_some_and(|v| v.contains(word));
    let realtime = tree.number("sys/kernel/realtime") == Some(1.0) || has("PREEMPT_RT");
    let dynamic = has("PREEMPT_DYNAMIC");
    // The way in use stands in brackets: `none voluntary (full)`.
    let told = tree
        .first_word("sys/kernel/debug/sched/preempt")
        .and_then(|w| Some(w.split_once('(')?.1.split_once(')')?.0.to_string()));
    let asked = line.split_whitespace().find_map(|w| w.strip_prefix("preempt=")).map(String::from);
    let preemption = if realtime {
        Some("realtime".into())
    } else if told.is_some() || asked.is_some() {
        told.or(asked)
    } else if dynamic {
        // Which one it began with is told only to the superuser.
        None
    } else if has(" PREEMPT ") {
        Some("full".into())
    } else {
        version.as_ref().map(|_| "voluntary".into())
    };
    let timer = tree.text("proc/timer_list").and_then(|t| {
        let line = t.lines().find(|l| l.trim_start().starts_with(".resolution:"))?;
        line.split_whitespace().nth(1)?.parse().ok()
    });
    let period = tree.number("proc/sys/kernel/sched_rt_period_us").filter(|p| *p > 0.0);
    let share = tree
        .number("proc/sys/kernel/sched_rt_runtime_us")
        .zip(period)
        .filter(|(run, period)| *run >= 0.0 && *period > 0.0)
        .map(|(run, period)| run / period);
    Kernel {
        preemption,
        preemption_can_change: dynamic,
        threaded_interrupts: version
            .as_ref()
            .map(|_| realtime || line.split_whitespace().any(|w| w == "threadirqs")),
        timer_ns: timer,
        realtime_share: share,
        realtime_period_us: period.map(|p| p as u64),
        version,
    }
}
