//! Differences between a computer and the plan in words: what is, what should be, what it costs in this phase, what to do.

use super::figures::{decimals, duration, in_ms, percent, rate, us};
use super::survey;
use crate::shared::page::{TIED, and_list, clean};
use swiftloop_core::in_effect::{Demand, Difference, DifferenceCost, NotTaken, Unread, Wrong};
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{Finding, Idle, System};
use swiftloop_core::tables::ServerKind;
use swiftloop_units::{Hz, PerHour, Seconds};

/// A difference in words.
pub struct DifferenceWords {
    /// What is, and what should be.
    pub what: String,
    /// Why it matters in this phase, in figures where there are any.
    pub costs: String,
    /// What to do with the hands; empty where a command does it all.
    pub todo: String,
    /// Commands that do it.
    pub commands: Vec<String>,
}

/// Dropouts that grow by less are no reason.
const GROWS: f64 = 1.2;
/// And fewer than this an hour are not told.
const TOLD: f64 = 0.001;

/// A difference in words.
pub fn say(demand: &Demand, system: System, d: &Difference) -> DifferenceWords {
    let saying = Saying { demand, system, cost: &d.cost };
    match &d.wrong {
        Wrong::NoDevice { there } => saying.no_device(there),
        Wrong::NoServer { server } => saying.no_server(*server),
        Wrong::Rate { place, is, .. } => saying.rate(place, *is),
        Wrong::RateNotAllowed { allowed } => saying.rate_not_allowed(allowed),
        Wrong::Buffer { who, is } => saying.buffer(who, *is),
        Wrong::BufferBounds { bounds } => saying.buffer_bounds(*bounds),
        Wrong::Power { is, governor } => saying.power(*is, governor.as_ref()),
        Wrong::Idle { states, exit_us } => saying.idle(states, *exit_us),
        Wrong::Thread { server, thread } => saying.thread(server, thread),
        Wrong::GroupRealtime => saying.group_realtime(),
        Wrong::InterruptCores { card, line, is, should } => saying.interrupt_cores(card, line, is, should),
        Wrong::Programs { busy, load } => saying.programs(busy, *load),
        Wrong::Disk { free_gb, minutes } => saying.disk(*free_gb, *minutes),
        Wrong::TooLittleMemory { total_gb } => saying.too_little_memory(*total_gb),
        Wrong::Channels { card, inputs, is, should } => saying.channels(card, *inputs, *is, *should),
        Wrong::Clock { card, is } => saying.clock(card, is),
        Wrong::Wireless { by } => saying.wireless(by),
        Wrong::Version { of, is, was } => saying.version(of, is.as_ref(), was),
        Wrong::Hurts(finding) => hurts(demand, system, d, finding),
    }
}

/// What the words of a difference depend on beside the difference itself.
struct Saying<'a> {
    demand: &'a Demand,
    system: System,
    cost: &'a DifferenceCost,
}

impl Saying<'_> {
    fn said(&self, what: String, costs: &str, todo: &str) -> DifferenceWords {
        DifferenceWords {
            what,
            costs: join(&cost(self.demand, self.cost), costs),
            todo: todo.into(),
            commands: Vec::new(),
        }
    }

    fn no_device(&self, there: &[String]) -> DifferenceWords {
        let there: Vec<String> = there.iter().map(|t| clean(t).into_owned()).collect();
        let there = if there.is_empty() { "nothing".into() } else { and_list(&there) };
        self.said(
            format!("The {} is not there; there is {there}.", clean(&self.demand.interface_name)),
            "Nothing of this phase can be played or recorded.",
            "Connect it, switch it on, and check again. If it goes by another name here, write that name into the rig (name = \"…\").",
        )
    }

    fn no_server(&self, server: ServerKind) -> DifferenceWords {
        let hz = self.demand.rate_hz;
        let start = match server {
            ServerKind::Jack => {
                format!("Start it: jackd -R -d alsa -d hw:CARD -r {hz} -p {}", self.demand.buffer_frames)
            }
            ServerKind::PipeWire => "Start it: systemctl --user start pipewire".to_string(),
        };
        DifferenceWords {
            todo: start,
            ..self.said(
                format!("{} does not run; the plan goes through it.", server.as_str()),
                "No sound at all.",
                "",
            )
        }
    }

    fn rate(&self, place: &str, is: Hz) -> DifferenceWords {
        let hz = self.demand.rate_hz;
        self.said(
            format!("{} is at {is}{TIED}Hz; the plan says {hz}.", clean(place)),
            "Something converts on the way (delay, load), or recordings play at a wrong pitch.",
            match self.system {
                System::Linux if place == "JACK" => {
                    "JACK keeps the rate that it was started with: start it again with that of the plan (-r)."
                }
                System::Linux => "Set it where it is opened, before anything plays.",
                System::Windows => {
                    "Set it under Sound, Properties of the device, Advanced; and on the interface's panel."
                }
                System::MacOs => "Set it in Audio MIDI Setup, under Format of the device.",
            },
        )
    }

    fn rate_not_allowed(&self, allowed: &[Hz]) -> DifferenceWords {
        let hz = self.demand.rate_hz;
        let list: Vec<String> = allowed.iter().map(ToString::to_string).collect();
        self.said(
            format!("PipeWire may run at {} only; the plan says {hz}.", and_list(&list)),
            "It converts everything instead.",
            "Hold it at the planned rate for the session: apply does that.",
        )
    }

    fn buffer(&self, who: &str, is: u32) -> DifferenceWords {
        self.said(
            format!("{} works in blocks of {is}; the plan says {}.", clean(who), self.demand.buffer_frames),
            "",
            "Set the buffer where the device is opened: in your software, or on the panel.",
        )
    }

    fn buffer_bounds(&self, bounds: (u32, u32)) -> DifferenceWords {
        self.said(
            format!(
                "PipeWire keeps buffers between {} and {}; the plan says {}.",
                bounds.0, bounds.1, self.demand.buffer_frames
            ),
            "What a program asks for beyond that does not count.",
            "Hold it at the planned buffer for the session: apply does that.",
        )
    }

    fn power(&self, is: PowerPlan, governor: Option<&String>) -> DifferenceWords {
        let by = governor.map_or(String::new(), |g| format!(" (governor {})", clean(g)));
        self.said(
            format!(
                "The power plan is \"{}\"{by}; the plan says \"{}\".",
                is.as_str(),
                self.demand.power.as_str()
            ),
            if self.cost.dropouts.is_some() { "" } else { "The clock follows the work late." },
            match self.system {
                System::Linux => "",
                System::Windows => "Choose High performance: powercfg /setactive SCHEME_MIN",
                System::MacOs => "Switch low power mode off: sudo pmset -a lowpowermode 0",
            },
        )
    }

    fn idle(&self, states: &[Idle], exit_us: u32) -> DifferenceWords {
        let names: Vec<String> = states
            .iter()
            .map(|s: &Idle| format!("{} ({})", clean(&s.name), us(f64::from(s.exit_us))))
            .collect();
        self.said(
            format!(
                "The processor may sleep so deeply that waking takes {}: {}.",
                us(f64::from(exit_us)),
                and_list(&names)
            ),
            "",
            "",
        )
    }

    fn thread(&self, server: &str, thread: &str) -> DifferenceWords {
        self.said(
            format!("The thread {} of {server} has no real-time priority.", clean(thread)),
            "It waits behind every other program.",
            "",
        )
    }

    fn group_realtime(&self) -> DifferenceWords {
        DifferenceWords {
            commands: vec!["echo 950000 | sudo tee /sys/fs/cgroup/cpu/$(grep -oP ':cpu[^:]*:\\K.*' /proc/self/cgroup)/cpu.rt_runtime_us".into()],
            ..self.said(
                "This login's group of programs has no real-time work (its cpu.rt_runtime_us is 0).".into(),
                "No thread in it gets real-time priority, whatever its user may do: audio waits behind every other program.",
                "Give the group its share, or start the software from another login:",
            )
        }
    }

    fn interrupt_cores(&self, card: &str, line: &str, is: &str, should: &str) -> DifferenceWords {
        self.said(
            format!(
                "The interrupt of {} ({line}) may be served by cores {is}; the plan leaves {should} for it.",
                clean(card)
            ),
            "It breaks into the session's own work.",
            "",
        )
    }

    fn programs(&self, busy: &[(String, f64)], load: f64) -> DifferenceWords {
        let list: Vec<String> = busy
            .iter()
            .map(|(name, share)| format!("{} ({} of a core)", clean(name), percent(*share)))
            .collect();
        let planned = if self.demand.runs.is_empty() {
            "none".into()
        } else {
            and_list(&self.demand.runs.iter().map(|r| clean(r).into_owned()).collect::<Vec<_>>())
        };
        self.said(
            format!(
                "Other programs take {} of the machine: {}; the plan knows of {planned}.",
                percent(load),
                and_list(&list)
            ),
            "",
            "Quit them, or let them do their work before the take.",
        )
    }

    fn disk(&self, free_gb: f64, minutes: Option<f64>) -> DifferenceWords {
        let room = minutes.map_or(String::new(), |m| {
            format!(": recording fills it in {}", duration(Seconds::new(m * 60.0)))
        });
        self.said(
            format!("{}{TIED}GB are free on the disk{room}.", decimals(free_gb, 1)),
            "A take ends where the disk does.",
            "Move old sessions to another disk, or record to one with room.",
        )
    }

    fn too_little_memory(&self, total_gb: f64) -> DifferenceWords {
        self.said(
            format!("The computer has {}{TIED}GB of memory; session and programs need {}.", decimals(total_gb, 1), decimals(self.demand.memory_gb.raw(), 1)),
            "It swaps, whatever is quit: long dropouts.",
            "Plan for this computer: swiftloop survey --save rig.toml, then plan; or print sampled instruments.",
        )
    }

    fn channels(&self, card: &str, inputs: bool, is: u32, should: u32) -> DifferenceWords {
        self.said(
            format!(
                "{} {} of {} are open; the plan opens {should}.",
                is,
                if inputs { "inputs" } else { "outputs" },
                clean(card)
            ),
            if is > should {
                "Each open channel costs work in every block."
            } else {
                "Somebody who is to be recorded is not."
            },
            "Open just those in your software's device settings.",
        )
    }

    fn clock(&self, card: &str, is: &str) -> DifferenceWords {
        self.said(
            format!(
                "{} takes its clock from \"{}\"; the plan says {}.",
                clean(card),
                clean(is),
                self.demand.clock.as_deref().unwrap_or("")
            ),
            "Without the right master there are clicks every few seconds, or no sound.",
            "Set the clock source on the interface's panel.",
        )
    }

    fn wireless(&self, by: &str) -> DifferenceWords {
        self.said(
            format!("The network goes through the air ({}); the plan has a cable.", clean(by)),
            "What comes late over the air takes a receive buffer of tens of milliseconds, or is missing.",
            "Plug a network cable in, and switch wireless off.",
        )
    }

    fn version(&self, of: &str, is: Option<&String>, was: &str) -> DifferenceWords {
        self.said(
            match is {
                Some(is) => format!("{} is version {}; it was {} when all was well.", clean(of), clean(is), clean(was)),
                None => format!("{} is gone; it was version {} when all was well.", clean(of), clean(was)),
            },
            "If something broke since then, this is the first suspect.",
            "If all is well with it, keep it as the good state: check … --remember. If not, go back to the version that was.",
        )
    }
}

fn hurts(demand: &Demand, system: System, d: &Difference, finding: &Finding) -> DifferenceWords {
    let told = survey::tell_on(system, finding);
    DifferenceWords {
        what: clean(&told.what).into_owned(),
        costs: join(
            &cost(demand, &d.cost),
            if d.cost == DifferenceCost::default() { told.costs } else { "" },
        ),
        todo: clean(&told.cure).into_owned(),
        commands: told.commands,
    }
}

fn join(figures: &str, words: &str) -> String {
    [figures, words].into_iter().filter(|s| !s.is_empty()).collect::<Vec<_>>().join(" ")
}

/// What a difference costs, in the figures of the phase.
pub fn cost(demand: &Demand, cost: &DifferenceCost) -> String {
    let mut parts = Vec::new();
    if let Some((planned, then)) = cost.late.filter(|(a, b)| (a.raw() - b.raw()).abs() > 0.05) {
        parts.push(match slowest(demand) {
            Some(who) => format!("{who} would hear it {} late instead of {}.", in_ms(then), in_ms(planned)),
            None => format!("The cursor would be {} ahead instead of {}.", in_ms(then), in_ms(planned)),
        });
    }
    if let Some((planned, then)) = cost.dropouts {
        parts.push(dropouts(planned, then));
    }
    if let Some(share) = cost.of_block {
        parts.push(format!("That is {} of a block of {}.", percent(share), us(demand.period_us())));
    }
    parts.retain(|p| !p.is_empty());
    parts.join(" ")
}

/// The first name of whoever hears it last; nobody where nobody performs.
fn slowest(demand: &Demand) -> Option<String> {
    let performs = demand.hears.iter().filter(|h| h.verdict != "cursor");
    let last = performs.max_by(|a, b| a.late_ms.typical().raw().total_cmp(&b.late_ms.typical().raw()))?;
    let first = last.who.split(',').next().unwrap_or(&last.who);
    Some(clean(first.trim()).into_owned())
}

fn dropouts(planned: PerHour, then: PerHour) -> String {
    if then.raw() < TOLD && planned.raw() < TOLD {
        return "Dropouts stay rarer than one in 1000 hours.".into();
    }
    let grows = then.raw() > planned.raw().max(TOLD / 10.0) * GROWS;
    let falls = planned.raw() > then.raw() * GROWS;
    match (grows, falls) {
        (true, _) => format!("Dropouts: {} instead of {}.", rate(then), rate(planned)),
        (_, true) => format!("Dropouts would be rarer: {} instead of {}.", rate(then), rate(planned)),
        _ => format!("Dropouts stay at {}.", rate(planned)),
    }
}

/// Why something would not be taken.
pub fn not_taken(not: &NotTaken) -> String {
    match not {
        NotTaken::Buffer { asked, becomes } => {
            format!("PipeWire makes a buffer of {becomes} of {asked}: it takes powers of two up to 8192 only")
        }
        NotTaken::Governor { offered } => {
            format!("this processor's clock knows no \"performance\"; it knows {}", and_list(offered))
        }
    }
}

/// What could not be looked at.
pub fn unread(what: Unread) -> &'static str {
    match what {
        Unread::Buffer => "the buffer that is set",
        Unread::Rates => "rates (nothing is open)",
        Unread::Power => "the power plan",
        Unread::Rights => "priorities that are allowed",
        Unread::Programs => "programs that run",
        Unread::Disk => "free space on the disk",
        Unread::Clock => "the clock source of the interface",
        Unread::Channels => "open channels",
    }
}

/// The setting of a demand in a line.
pub fn setting(demand: &Demand) -> String {
    let ahead = demand.roll_frames.map_or(String::new(), |r| format!(", the rest rendered ahead in {r}"));
    let frames = if demand.buffer.chars().all(|c| c.is_ascii_digit()) { " frames" } else { "" };
    format!("{}, {}{TIED}Hz, {}{frames}{ahead}", demand.driver, demand.rate_hz, clean(&demand.buffer))
}

/// `tracking on the 16-channel rack`
pub fn place(demand: &Demand) -> String {
    format!("{} on the {}", clean(&demand.phase), clean(&demand.interface_name))
}
