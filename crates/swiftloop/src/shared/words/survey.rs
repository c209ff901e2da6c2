//! Findings of a survey in words: what is so, what it does to audio, how we know, the cure, what that risks, the way back.

use super::figures::{decimals, percent};
use crate::shared::page::and_list;
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{BusyProgram, Finding, Idle, SeenRate, System};
use swiftloop_units::Hz;

/// A finding in words.
pub struct FindingWords {
    pub what: String,
    pub costs: &'static str,
    pub evidence: String,
    /// What to do with the hands; empty where a command does it all.
    pub cure: String,
    /// Commands that do it.
    pub commands: Vec<String>,
    pub risk: &'static str,
    pub undo: String,
}

/// How a user gets real-time priority and locked memory.
pub const ALLOW_REALTIME: &str = "printf '@audio - rtprio 90\\n@audio - memlock unlimited\\n' | sudo tee \
     /etc/security/limits.d/95-audio.conf; sudo usermod -aG audio $USER";
const UNDO_REALTIME: &str = "sudo rm /etc/security/limits.d/95-audio.conf; sudo gpasswd -d $USER audio";
const NOTHING: &str = "nothing to undo";

fn set(value: impl std::fmt::Display, file: &str) -> String {
    format!("echo {value} | sudo tee {file}")
}

fn idle(states: &[Idle], flag: u32) -> String {
    let numbers: Vec<String> = states.iter().map(|s| s.index.to_string()).collect();
    let which = if states.len() == 1 { numbers.concat() } else { format!("[{}]", numbers.concat()) };
    set(flag, &format!("/sys/devices/system/cpu/cpu*/cpuidle/state{which}/disable"))
}

const GOVERNOR: &str = "/sys/devices/system/cpu/cpu*/cpufreq/scaling_governor";
const MAX_CLOCK: &str = "/sys/devices/system/cpu/cpu*/cpufreq/scaling_max_freq";

/// A finding in words, with the cure that its system has.
pub fn tell_on(system: System, finding: &Finding) -> FindingWords {
    const ON_MAINS: &str = "powercfg /setacvalueindex SCHEME_CURRENT";
    const NOW: &str = "powercfg /setactive SCHEME_CURRENT";
    let told = tell(finding);
    let with = |cure: &str, commands: &[String], undo: &str| FindingWords {
        cure: cure.into(),
        commands: commands.to_vec(),
        undo: undo.into(),
        ..tell(finding)
    };
    match (system, finding) {
        (System::Linux, _) => told,
        (System::Windows, Finding::UsbAutosuspend { .. }) => {
            const USB: &str = "2a737441-1930-4402-8d77-b2bebba308a3 48e6b7a6-50f5-4782-a5d4-53bb8f07e226";
            let set = format!("{ON_MAINS} {USB} 0");
            with("Switch selective suspend off:", &[set, NOW.into()], "the same with 1 at the end")
        }
        (System::Windows, Finding::LimitedClock { .. }) => {
            let set = format!("{ON_MAINS} SUB_PROCESSOR PROCTHROTTLEMAX 100");
            with("Let it run as fast as it can:", &[set, NOW.into()], "the same with the old figure")
        }
        (System::Windows, Finding::PowerPlan(_)) => {
            let set = "powercfg /setactive SCHEME_MIN".to_string();
            with("Choose High performance:", &[set], "powercfg /setactive SCHEME_BALANCED")
        }
        (System::MacOs, Finding::PowerPlan(_)) => {
            let set = "sudo pmset -a lowpowermode 0".to_string();
            with("Switch low power mode off:", &[set], "sudo pmset -a lowpowermode 1")
        }
        // Commands of Linux are no help elsewhere.
        (System::Windows | System::MacOs, _) => FindingWords { commands: Vec::new(), ..told },
    }
}

/// A finding in words.
pub fn tell(finding: &Finding) -> FindingWords {
    match finding {
        Finding::NoSound => no_sound(),
        Finding::RatesDisagree(places) => rates_disagree(places),
        Finding::TwoClocks(cards) => two_clocks(cards),
        Finding::Forced { server, buffer_frames, rate } => forced(server, *buffer_frames, *rate),
        Finding::NoRealtime { priority } => no_realtime(*priority),
        Finding::ServerWithoutRealtime(server) => server_without_realtime(server),
        Finding::NoLockedMemory { bytes } => no_locked_memory(*bytes),
        Finding::Governor(set) => governor(set),
        Finding::PowerPlan(plan) => power_plan(*plan),
        Finding::UnsteadySpeed { first, last } => unsteady_speed(*first, *last),
        Finding::LimitedClock { allowed_mhz, most_mhz } => limited_clock(*allowed_mhz, *most_mhz),
        Finding::OnBattery => on_battery(),
        Finding::Heat { hottest_c, slowed } => heat(*hottest_c, *slowed),
        Finding::DeepIdle(states) => deep_idle(states),
        Finding::Preemption { word, can_change, version } => {
            preemption(word, *can_change, version.as_deref())
        }
        Finding::RealtimeShare(share) => realtime_share(*share),
        Finding::UsbHub { card, hubs, shared_with, place } => usb_hub(card, *hubs, shared_with, place),
        Finding::UsbController { card, shared_with, place } => usb_controller(card, shared_with, place),
        Finding::UsbSlow { card, mbit_s, place } => usb_slow(card, *mbit_s, place),
        Finding::UsbAutosuspend { card, place } => usb_autosuspend(card, place),
        Finding::SharedInterrupt { card, line, shared_with } => shared_interrupt(card, line, shared_with),
        Finding::Memory { available_gb, total_gb, swapped_gb, waits_percent } => {
            memory(*available_gb, *total_gb, *swapped_gb, *waits_percent)
        }
        Finding::Busy(programs) => busy(programs),
    }
}

fn told(
    what: String,
    costs: &'static str,
    evidence: String,
    cure: &str,
    risk: &'static str,
    undo: &str,
) -> FindingWords {
    FindingWords { what, costs, evidence, cure: cure.into(), commands: Vec::new(), risk, undo: undo.into() }
}

fn by_command(words: FindingWords, command: String) -> FindingWords {
    FindingWords { commands: vec![command], ..words }
}

fn no_sound() -> FindingWords {
    told(
        "No sound card and no audio server was found.".into(),
        "Nothing can be played or recorded.",
        "/proc/asound/cards lists none; neither PipeWire nor JACK answers.".into(),
        "Connect the interface, switch it on, and look again; in a container or virtual machine, pass it through.",
        "none",
        NOTHING,
    )
}

fn rates_disagree(places: &[SeenRate]) -> FindingWords {
    let said: Vec<String> = places.iter().map(|p| format!("{} {} Hz", p.name, p.rate_hz)).collect();
    told(
        "Places that have a sample rate do not agree.".into(),
        "Something converts on the way (delay, load, a softer top), or recordings play at a wrong pitch.",
        said.join(", "),
        "Choose the session's rate (swiftloop plan says which) and set every place to it before anything is opened.",
        "programs that hold a device open have to be restarted",
        "set the old rates again: they stand under seen",
    )
}

fn two_clocks(cards: &[String]) -> FindingWords {
    told(
        format!("{} cards are open at once.", cards.len()),
        "Each has a clock of its own: used together in one session, a frame is lost or doubled every few seconds.",
        format!("open streams on {}", and_list(cards)),
        "Record and play through one of them, or lock them by word clock or a digital cable.",
        "none",
        NOTHING,
    )
}

fn forced(server: &str, buffer_frames: Option<u32>, rate: Option<Hz>) -> FindingWords {
    let buffer = buffer_frames.map(|n| format!("a buffer of {n} frames"));
    let rate = rate.map(|hz| format!("a rate of {hz} Hz"));
    let held: Vec<String> = buffer.into_iter().chain(rate).collect();
    let t = told(
        format!("{server} is held at {}.", and_list(&held)),
        "What a program asks for does not count: delay or load stay as they were for another job.",
        format!("{server} says so"),
        "Quit the program that holds it; if none does:",
        "programs hear a short gap while it changes",
        "set the old values again: they stand above",
    );
    let commands = ["clock.force-quantum", "clock.force-rate"];
    FindingWords {
        commands: commands.iter().map(|k| format!("pw-metadata -n settings 0 {k} 0")).collect(),
        ..t
    }
}

fn no_realtime(priority: u64) -> FindingWords {
    by_command(
        told(
            "Programs of this user may not have real-time priority.".into(),
            "Audio threads wait behind every other program: dropouts at any buffer that feels immediate.",
            format!("/proc/self/limits: Max realtime priority {priority}"),
            "Allow it, then log in again:",
            "a program that never lets go can hold a core",
            UNDO_REALTIME,
        ),
        ALLOW_REALTIME.into(),
    )
}

fn server_without_realtime(server: &str) -> FindingWords {
    told(
        format!("{server} runs without real-time priority."),
        "It and its clients are late whenever anything else works.",
        format!("{server} says so"),
        "Allow real-time priority (see no-realtime, or the server's own option) and start it again.",
        "its clients have to be connected again",
        "start it as before",
    )
}

fn no_locked_memory(bytes: u64) -> FindingWords {
    by_command(
        told(
            format!("Only {} MB of memory may be locked.", bytes / 1_000_000),
            "Audio memory can be swapped out: rare, long dropouts.",
            format!("/proc/self/limits: Max locked memory {bytes} bytes"),
            "Allow more, then log in again:",
            "a program that locks all memory starves the others",
            UNDO_REALTIME,
        ),
        ALLOW_REALTIME.into(),
    )
}

fn governor(governor: &str) -> FindingWords {
    by_command(
        told(
            format!("The processor's clock is governed by `{governor}`."),
            "The clock follows the load late: the first blocks after a quiet moment take longer.",
            format!("cpu0/cpufreq/scaling_governor: {governor}"),
            "Hold it high:",
            "more heat and fan noise, less battery; gone after a restart",
            &set(governor, GOVERNOR),
        ),
        set("performance", GOVERNOR),
    )
}

fn power_plan(plan: PowerPlan) -> FindingWords {
    told(
        format!("The power plan is \"{}\".", plan.as_str()),
        "The clock follows the load late: the first blocks after a quiet moment take longer.",
        "the system says so".into(),
        "Choose the plan for the highest performance while the session runs.",
        "more heat and fan noise, less battery",
        "choose the old plan again",
    )
}

fn unsteady_speed(first: f64, last: f64) -> FindingWords {
    let evidence = format!("{first:.2} of the reference core's speed at first, {last:.2} after a second");
    let (what, costs, cure) = if first < last {
        (
            "A core that was idle is slow at first.",
            "The first blocks of a phrase take longer than those that follow.",
            "Hold the clock high: see governor, or the power plan of the desktop.",
        )
    } else {
        (
            "A core becomes slower within a second of work.",
            "Heat or a power limit: what holds for a moment does not hold for a take.",
            "Give it air and mains power, then soak for half an hour: swiftloop soak --seconds 1800",
        )
    };
    told(what.into(), costs, evidence, cure, "more heat", "set the old power plan again")
}

fn limited_clock(allowed_mhz: f64, most_mhz: f64) -> FindingWords {
    by_command(
        told(
            format!(
                "The clock may not go above {allowed_mhz:.0} of {most_mhz:.0} MHz: {} of the speed is gone.",
                percent(1.0 - allowed_mhz / most_mhz)
            ),
            "Every block takes longer by as much.",
            format!("scaling_max_freq {allowed_mhz:.0} MHz, cpuinfo_max_freq {most_mhz:.0} MHz"),
            "Let it run as fast as it can:",
            "more heat; if somebody set the limit against overheating, it comes back",
            &set(format!("{:.0}", allowed_mhz * 1000.0), MAX_CLOCK),
        ),
        set(format!("{:.0}", most_mhz * 1000.0), MAX_CLOCK),
    )
}

fn on_battery() -> FindingWords {
    told(
        "The computer runs on battery.".into(),
        "Firmware saves power behind the system's back: slower clocks, deeper sleep.",
        "no mains supply under /sys/class/power_supply is online".into(),
        "Plug it in.",
        "a bad supply hums: listen, and use a balanced line or another socket",
        "unplug it",
    )
}

fn heat(hottest_c: Option<f64>, slowed: Option<u64>) -> FindingWords {
    let hot = hottest_c.map(|c| format!("hottest place {c:.0} °C"));
    let slow = slowed.map(|n| format!("slowed down by heat {n} times since it was started"));
    let evidence: Vec<String> = hot.into_iter().chain(slow).collect();
    told(
        "The processor gets too hot.".into(),
        "It slows down in the middle of a take, just when it has most to do.",
        evidence.join("; "),
        "Free the vents, raise it from the table, clean the fan; then soak: swiftloop soak --seconds 1800",
        "none",
        NOTHING,
    )
}

fn deep_idle(states: &[Idle]) -> FindingWords {
    let deepest = states.iter().map(|s| s.exit_us).max().unwrap_or(0);
    let list: Vec<String> = states.iter().map(|s| format!("{} ({} µs)", s.name, s.exit_us)).collect();
    by_command(
        told(
            format!("Between blocks the processor may sleep so deeply that waking takes {deepest} µs."),
            "That is taken from every block; swiftloop soak, with and without --awake, tells how much.",
            list.join(", "),
            "Keep it out of deep sleep:",
            "more heat, less battery; gone after a restart",
            &idle(states, 0),
        ),
        idle(states, 1),
    )
}

fn preemption(word: &str, can_change: bool, version: Option<&str>) -> FindingWords {
    told(
        format!("The kernel lets go of the processor late (preemption: {word})."),
        "An audio thread may wait some hundred microseconds for a system call of somebody else.",
        version.unwrap_or_default().to_string(),
        if can_change {
            "Add preempt=full to the kernel's command line (in /etc/default/grub, then sudo update-grub) and restart."
        } else {
            "Install your distribution's low-latency or real-time kernel and restart."
        },
        "a few percent less throughput",
        "take it off the command line, or choose the old kernel when starting",
    )
}

fn realtime_share(share: f64) -> FindingWords {
    by_command(
        told(
            format!("Real-time threads may have only {} of each second.", percent(share)),
            "A heavy session is stopped for the rest of the second: one long dropout.",
            "/proc/sys/kernel/sched_rt_runtime_us against sched_rt_period_us".into(),
            "Allow 95 %:",
            "a program that never lets go leaves 5 % for saving your work",
            &format!("sudo sysctl kernel.sched_rt_runtime_us={:.0}", share * 1e6),
        ),
        "sudo sysctl kernel.sched_rt_runtime_us=950000".into(),
    )
}

fn usb_hub(card: &str, hubs: u32, shared_with: &[String], place: &str) -> FindingWords {
    let behind = if hubs == 1 { "a hub".to_string() } else { format!("{hubs} hubs") };
    let others =
        if shared_with.is_empty() { "alone".into() } else { format!("with {}", and_list(shared_with)) };
    told(
        format!("{card} hangs behind {behind} ({others})."),
        "Whoever else is busy on the hub makes its packets late; hubs' supplies are weak.",
        format!("bus place {place}"),
        "Plug it into a socket of the computer itself, if possible on a controller of its own.",
        "none",
        "plug it back",
    )
}

fn usb_controller(card: &str, shared_with: &[String], place: &str) -> FindingWords {
    told(
        format!("{card} shares its USB controller with {}.", and_list(shared_with)),
        "A disk or camera that is busy on the same controller takes turns with it.",
        format!("bus place {place}"),
        "Move the others, or it, to a socket on another side of the computer and look again.",
        "none",
        "plug it back",
    )
}

fn usb_slow(card: &str, mbit_s: f64, place: &str) -> FindingWords {
    told(
        format!("{card} runs at {mbit_s:.0} Mbit/s."),
        "Its packets come once a millisecond: at least that much more delay each way, and few channels.",
        format!("bus place {place}"),
        "If the interface can do USB 2, use another cable and socket; else this is what it is.",
        "none",
        "plug it back",
    )
}

fn usb_autosuspend(card: &str, place: &str) -> FindingWords {
    let file = format!("/sys/bus/usb/devices/{place}/power/control");
    by_command(
        told(
            format!("The system may put {card} to sleep."),
            "The first sound after a pause is lost, or the device drops off the bus.",
            format!("{place}/power/control: auto"),
            "Keep it awake:",
            "a little battery; gone after a restart",
            &set("auto", &file),
        ),
        set("on", &file),
    )
}

fn shared_interrupt(card: &str, line: &str, shared_with: &[String]) -> FindingWords {
    told(
        format!("{card} shares its interrupt with {}.", and_list(shared_with)),
        "Each of them delays the other by some microseconds, sometimes by far more.",
        format!("/proc/interrupts, line {line}"),
        "Move the card or the other device to another slot or socket, or unload the other's driver.",
        "the other device does not work without its driver",
        "move it back; a restart loads the driver again",
    )
}

fn memory(available_gb: f64, total_gb: f64, swapped_gb: f64, waits_percent: Option<f64>) -> FindingWords {
    let waits = waits_percent.map_or(String::new(), |w| {
        format!("; waiting for memory {} % of the last ten seconds", decimals(w, 1))
    });
    told(
        format!("Only {available_gb:.1} of {total_gb:.1} GB of memory are free."),
        "Samples are read from disk again and again, and what is swapped out comes back too late.",
        format!("{swapped_gb:.1} GB swapped{waits}"),
        "Quit what the session does not need; print or unload sampled instruments (swiftloop plan says which).",
        "unsaved work in what is quit",
        "start it again afterwards",
    )
}

fn busy(programs: &[BusyProgram]) -> FindingWords {
    let list: Vec<String> =
        programs.iter().map(|b| format!("{} {}", b.name, percent(b.core_share))).collect();
    told(
        format!("Other programs work: {}.", list.join(", ")),
        "Their share of a core is not there for the session, and caches are theirs when a block begins.",
        "share of one core during the look".into(),
        "Quit them or wait until they are done; list what must stay as [[program]] in rig.toml.",
        "unsaved work in what is quit",
        "start them again afterwards",
    )
}
