//! What can be set: a demand and an inventory come in, single things to put go out, in the order in which they are put. A thing is put only where the inventory says that it is otherwise, and its cure names the difference it cures.

use super::Demand;
use super::ours;
use super::rules::{cores_for_interrupts, idle_limit_us, served, too_deep};
use crate::rig::PowerPlan;
use crate::survey::{Inventory, System};
use crate::tables::ServerKind;
use serde::{Deserialize, Serialize};

/// Something on the computer that can be set and read.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(tag = "lever", rename_all = "kebab-case", deny_unknown_fields)]
pub enum Tunable {
    /// The rate that PipeWire is held at; 0 for none.
    ForcedRate,
    /// The buffer that PipeWire is held at, in frames; 0 for none.
    ForcedBuffer,
    /// The buffer of JACK, in frames.
    JackBuffer,
    /// How the clock of a hardware thread is governed.
    Governor { cpu: u32 },
    /// The most that its clock may run at, in kHz.
    MostClock { cpu: u32 },
    /// Longest time that leaving an idle state may take, in µs: held by a process of ours, gone with it.
    WakeLimit,
    /// Whether an idle state is off.
    IdleOff {
        /// Of which hardware thread.
        cpu: u32,
        /// The state's number.
        state: u32,
    },
    /// Whether a USB device may be put to sleep.
    UsbPower {
        /// Its place on the bus.
        place: String,
    },
    /// Cores that may serve an interrupt.
    InterruptCores { line: u32 },
    /// Share of each period that real-time threads may have, in µs.
    RealtimeShare,
    /// Scheduling of a thread: `ordinary`, or `real-time` and its priority.
    Priority {
        /// The system's number for it.
        thread: u32,
        /// Its name, so that another thread that got its number is not taken for it.
        name: String,
    },
}

/// What is asked about together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum TunableKind {
    Server,
    /// Clocks of the processor.
    Clocks,
    Idle,
    /// Sleep of USB devices.
    Usb,
    Interrupts,
    Priorities,
}

/// One thing to put.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Put {
    pub lever: Tunable,
    pub to: String,
}

/// Something that would not be taken as it is asked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NotTaken {
    /// PipeWire would make another buffer of it.
    Buffer {
        /// What was asked for, in frames.
        asked: u32,
        /// What it would make of it.
        becomes: u32,
    },
    /// The processor's clock cannot be governed so.
    Governor {
        /// How it can be.
        offered: Vec<String>,
    },
}

/// The priority of threads that move sound: above those that serve ordinary interrupts (50), below the kernel's watchdogs (99).
const PRIORITY: u32 = 80;
/// Real-time threads leave this share of each period to the rest, so that a thread that never lets go can be ended.
const LEFT: f64 = 0.05;
/// PipeWire's largest buffer.
const LARGEST: u32 = 8192;
/// A clock that may run nearly as fast as it can is not limited.
const NEARLY: f64 = 0.98;

/// What PipeWire makes of a buffer that it is told to hold: the next smaller power of two, 8192 at the most.
#[must_use]
pub fn pipewire_takes(frames: u32) -> u32 {
    frames.clamp(1, LARGEST).checked_ilog2().map_or(1, |log| 1 << log)
}

impl Tunable {
    /// What it is asked about with.
    #[must_use]
    pub fn kind(&self) -> TunableKind {
        match self {
            Self::ForcedRate | Self::ForcedBuffer | Self::JackBuffer => TunableKind::Server,
            Self::Governor { .. } | Self::MostClock { .. } => TunableKind::Clocks,
            Self::WakeLimit | Self::IdleOff { .. } => TunableKind::Idle,
            Self::UsbPower { .. } => TunableKind::Usb,
            Self::InterruptCores { .. } => TunableKind::Interrupts,
            Self::RealtimeShare | Self::Priority { .. } => TunableKind::Priorities,
        }
    }

    /// The difference that it cures, by its word.
    #[must_use]
    pub fn cures(&self) -> &'static str {
        match self {
            Self::ForcedRate => "rate",
            Self::ForcedBuffer | Self::JackBuffer => "buffer",
            Self::Governor { .. } => "power",
            Self::MostClock { .. } => "limited-clock",
            Self::WakeLimit | Self::IdleOff { .. } => "idle",
            Self::UsbPower { .. } => "usb-autosuspend",
            Self::InterruptCores { .. } => "interrupt-cores",
            Self::RealtimeShare => "realtime-share",
            Self::Priority { .. } => "thread-priority",
        }
    }

    /// The file that is read and written, from the root of the system; none where it is no file.
    #[must_use]
    pub fn path(&self) -> Option<String> {
        const CPUS: &str = "sys/devices/system/cpu";
        match self {
            Self::Governor { cpu } => Some(format!("{CPUS}/cpu{cpu}/cpufreq/scaling_governor")),
            Self::MostClock { cpu } => Some(format!("{CPUS}/cpu{cpu}/cpufreq/scaling_max_freq")),
            Self::IdleOff { cpu, state } => Some(format!("{CPUS}/cpu{cpu}/cpuidle/state{state}/disable")),
            // A place is digits, points and a stroke (`1-2.3`): nothing that leads elsewhere.
            Self::UsbPower { place } => {
                let plain = |c: char| c.is_ascii_digit() || matches!(c, '-' | '.');
                let own = place.chars().all(plain) && !place.contains("..") && !place.is_empty();
                own.then(|| format!("sys/bus/usb/devices/{place}/power/control"))
            }
            Self::InterruptCores { line } => Some(format!("proc/irq/{line}/smp_affinity_list")),
            Self::RealtimeShare => Some("proc/sys/kernel/sched_rt_runtime_us".into()),
            Self::ForcedRate
            | Self::ForcedBuffer
            | Self::JackBuffer
            | Self::WakeLimit
            | Self::Priority { .. } => None,
        }
    }

    /// Two values of it mean the same.
    #[must_use]
    pub fn same(&self, a: &str, b: &str) -> bool {
        match self {
            // `0@48000`: what it is held at, and what there is without.
            Self::ForcedRate | Self::ForcedBuffer => held(a) == held(b),
            Self::InterruptCores { .. } => super::rules::listed(a) == super::rules::listed(b),
            Self::JackBuffer
            | Self::Governor { .. }
            | Self::MostClock { .. }
            | Self::WakeLimit
            | Self::IdleOff { .. }
            | Self::UsbPower { .. }
            | Self::RealtimeShare
            | Self::Priority { .. } => a.trim() == b.trim(),
        }
    }
}

/// What PipeWire is held at, of `0@48000`.
fn held(value: &str) -> &str {
    value.split('@').next().unwrap_or(value).trim()
}

impl TunableKind {
    /// It belongs to the superuser.
    #[must_use]
    pub fn needs_root(self) -> bool {
        self != Self::Server
    }

    /// The word used in options and every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Server => "server",
            Self::Clocks => "clocks",
            Self::Idle => "idle",
            Self::Usb => "usb",
            Self::Interrupts => "interrupts",
            Self::Priorities => "priorities",
        }
    }
}

/// Everything that can be put and is otherwise, in order; and what would not be taken. Only Linux has levers.
#[must_use]
pub fn puts(demand: &Demand, now: &Inventory) -> (Vec<Put>, Vec<NotTaken>) {
    let (mut all, mut not) = (Vec::new(), Vec::new());
    if now.system != System::Linux {
        return (all, not);
    }
    server(demand, now, &mut all, &mut not);
    clocks(demand, now, &mut all, &mut not);
    idle(demand, now, &mut all);
    let own = ours::card(demand, now);
    if let Some(usb) = own.and_then(|c| c.usb.as_ref()).filter(|u| u.autosuspend == Some(true)) {
        all.push(Put { lever: Tunable::UsbPower { place: usb.place.clone() }, to: "on".into() });
    }
    let irq = own.and_then(|c| c.irq.as_ref());
    if let (Some(irq), Some(should)) = (irq, cores_for_interrupts(demand, now))
        && let (Ok(line), Some(is)) = (irq.line.parse(), &irq.cores)
        && !super::rules::listed(is).is_subset(&super::rules::listed(&should))
    {
        all.push(Put { lever: Tunable::InterruptCores { line }, to: should });
    }
    let kernel = &now.kernel;
    if let (Some(share), Some(period)) = (kernel.realtime_share, kernel.realtime_period_us)
        && share < crate::survey::REALTIME_SHARE
    {
        let to = (period as f64 * (1.0 - LEFT)).round();
        all.push(Put { lever: Tunable::RealtimeShare, to: format!("{to:.0}") });
    }
    for thread in served(demand, now).into_iter().flat_map(|s| &s.threads).filter(|t| t.priority.is_none()) {
        let lever = Tunable::Priority { thread: thread.id, name: thread.name.clone() };
        all.push(Put { lever, to: format!("real-time {PRIORITY}") });
    }
    (all, not)
}

fn server(demand: &Demand, now: &Inventory, all: &mut Vec<Put>, not: &mut Vec<NotTaken>) {
    let wanted = demand.buffer_frames.get();
    for s in &now.servers {
        let pipewire = s.kind == ServerKind::PipeWire.as_str();
        if pipewire && s.forced_rate_hz.or(s.rate_hz) != Some(demand.rate_hz) {
            all.push(Put { lever: Tunable::ForcedRate, to: demand.rate_hz.to_string() });
        }
        let other = s.forced_buffer_frames.or(s.buffer_frames) != Some(wanted);
        let out_of_bounds = s.buffer_range_frames.is_some_and(|(low, high)| !(low..=high).contains(&wanted));
        let unheld = s.forced_buffer_frames != Some(wanted);
        match demand.server {
            Some(ServerKind::PipeWire) if pipewire && (other || out_of_bounds && unheld) => {
                match pipewire_takes(wanted) {
                    becomes if becomes == wanted => {
                        all.push(Put { lever: Tunable::ForcedBuffer, to: wanted.to_string() });
                    }
                    becomes => not.push(NotTaken::Buffer { asked: wanted, becomes }),
                }
            }
            Some(ServerKind::Jack) if s.kind == ServerKind::Jack.as_str() && other => {
                all.push(Put { lever: Tunable::JackBuffer, to: wanted.to_string() });
            }
            Some(ServerKind::Jack | ServerKind::PipeWire) | None => {}
        }
    }
}

fn clocks(demand: &Demand, now: &Inventory, all: &mut Vec<Put>, not: &mut Vec<NotTaken>) {
    const WANTED: &str = "performance";
    for each in &now.processor.each {
        let cpu = each.cpu;
        let slow = demand.power == PowerPlan::Performance
            && each.governor.as_deref().is_some_and(|g| PowerPlan::of_governor(g).is_none());
        if slow && !each.governors.is_empty() && !each.governors.iter().any(|g| g == WANTED) {
            let refused = NotTaken::Governor { offered: each.governors.clone() };
            if !not.contains(&refused) {
                not.push(refused);
            }
        } else if slow {
            all.push(Put { lever: Tunable::Governor { cpu }, to: WANTED.into() });
        }
    }
    for each in &now.processor.each {
        if let (Some(allowed), Some(most)) = (each.allowed_khz, each.most_khz)
            && (allowed as f64) < most as f64 * NEARLY
        {
            all.push(Put { lever: Tunable::MostClock { cpu: each.cpu }, to: most.to_string() });
        }
    }
}

fn idle(demand: &Demand, now: &Inventory, all: &mut Vec<Put>) {
    let limit = idle_limit_us(demand);
    let held = now.processor.wake_limit_us;
    // A computer that does not tell its idle states has them all the same: there it is held as a precaution.
    let untold = now.processor.idle.is_empty() && held.is_some();
    let deep = untold || !too_deep(&now.processor.idle, limit).is_empty();
    if !deep || held.is_some_and(|held| held <= limit) {
        return;
    }
    // What is gone with its holder is better than what has to be put back.
    if held.is_some() {
        all.push(Put { lever: Tunable::WakeLimit, to: limit.to_string() });
        return;
    }
    for each in &now.processor.each {
        for state in too_deep(&each.idle, limit) {
            let lever = Tunable::IdleOff { cpu: each.cpu, state: state.index };
            all.push(Put { lever, to: "1".into() });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pipewire_takes_the_next_smaller_power_of_two() {
        for (asked, takes) in
            [(100, 64), (7, 4), (20_000, 8192), (256, 256), (1, 1), (0, 1), (u32::MAX, 8192)]
        {
            assert_eq!(pipewire_takes(asked), takes, "{asked}");
        }
    }

    #[test]
    fn a_place_that_leads_elsewhere_has_no_file() {
        let path = |place: &str| Tunable::UsbPower { place: place.into() }.path();
        assert_eq!(path("1-2.3").as_deref(), Some("sys/bus/usb/devices/1-2.3/power/control"));
        for bad in ["../../x", "", "1-2/..", "..", "usb1 ", "1..2"] {
            assert_eq!(path(bad), None, "{bad}");
        }
    }

    #[test]
    fn values_are_compared_as_the_system_means_them() {
        assert!(
            Tunable::ForcedRate.same("0@48000", "0@44100")
                && !Tunable::ForcedRate.same("0@48000", "96000@48000")
        );
        let cores = Tunable::InterruptCores { line: 3 };
        assert!(cores.same("2,3", "2-3") && !cores.same("2", "3"));
        assert!(Tunable::RealtimeShare.same("950000\n", "950000"));
    }
}
