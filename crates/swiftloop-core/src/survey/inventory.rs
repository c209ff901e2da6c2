//! What was read off a computer; nothing where it did not say.

use crate::rig::PowerPlan;
use serde::{Deserialize, Serialize};
use swiftloop_units::Hz;

/// The whole of it.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Inventory {
    /// Sound cards as the system numbers them.
    pub cards: Vec<Card>,
    /// Audio servers that are running.
    pub servers: Vec<ServerState>,
    pub processor: Cpu,
    /// MemoryState and its pressure.
    pub memory: MemoryState,
    /// What this user may do.
    pub limits: UserLimits,
    pub kernel: Kernel,
    /// Mains or battery, heat.
    pub power: EnergyState,
    /// Programs that used most of the processor during the look.
    pub busy: Vec<BusyProgram>,
    /// Programs were looked at, whether or not one of them did much.
    pub programs_seen: bool,
    /// Names of what starts with the system or its desktop.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub starting: Vec<String>,
    /// Free space on the disk that records, in 10⁹ bytes.
    pub disk_free_gb: Option<f64>,
    /// Which system it runs.
    pub system: System,
    /// What it calls itself.
    pub name: Option<String>,
    /// What is installed, in which version.
    pub versions: Vec<Version>,
    /// The way by which it reaches the network, where there is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub network: Option<Network>,
    /// What could not be looked at, and why.
    pub unseen: Vec<String>,
    /// Sound devices were not looked at: that there is none here says nothing.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub sound_unseen: bool,
}

/// The way by which a computer reaches the network.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Network {
    /// What the system calls it.
    pub name: String,
    pub wireless: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum System {
    #[default]
    Linux,
    Windows,
    MacOs,
}

impl System {
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Linux => "Linux",
            Self::Windows => "Windows",
            Self::MacOs => "macOS",
        }
    }
}

/// Something that has a version.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Version {
    /// What it is: `kernel`, `PipeWire`, `driver of Box`, `firmware of Box`.
    pub of: String,
    /// Its version, as it tells it.
    pub is: String,
}

#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Card {
    /// The system's number.
    pub index: u32,
    /// Short word, unique on this machine.
    pub id: String,
    pub name: String,
    /// Driver of the kernel.
    pub driver: String,
    /// `usb1`, `usb2`, `usb3`, `pcie` or `built-in`.
    pub connection: String,
    pub streams: Vec<CardStream>,
    /// Its place on the bus, if it is on USB.
    pub usb: Option<Usb>,
    pub irq: Option<Irq>,
    /// Where its clock comes from, as its driver tells it.
    pub clock: Option<String>,
}

/// One direction of a card.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct CardStream {
    /// Number of the device on the card.
    pub device: u32,
    /// Recording rather than playback.
    pub capture: bool,
    /// Rates that it says it has.
    pub rates_hz: Vec<Hz>,
    pub formats: Vec<String>,
    pub channels: u32,
    /// How it is open now.
    pub open: Option<Open>,
    /// The rate that it is set to whether or not it is open, where the system tells that.
    pub set_rate_hz: Option<Hz>,
}

/// How a stream is open.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Open {
    pub rate_hz: Hz,
    /// Period in frames.
    pub period_frames: u32,
    /// Whole buffer in frames.
    pub buffer_frames: u32,
    pub channels: u32,
    pub sample_format: String,
}

/// A device on USB.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Usb {
    pub speed_mbit_s: f64,
    /// Hubs between it and the computer.
    pub hubs: u32,
    /// Others behind the same hub.
    pub hub_shared_with: Vec<String>,
    /// Others on the same controller.
    pub controller_shared_with: Vec<String>,
    /// Name of the device on the bus, as in the system's folders.
    pub place: String,
    /// The system may put it to sleep.
    pub autosuspend: Option<bool>,
}

#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct Irq {
    pub line: String,
    pub shared_with: Vec<String>,
    /// Cores that may serve it, as the system writes a list of them: `0-3`.
    pub cores: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct ServerState {
    /// `JACK` or `PipeWire`.
    pub kind: String,
    /// Rate it runs at.
    pub rate_hz: Option<Hz>,
    /// Rates it may change to.
    pub allowed_rates_hz: Vec<Hz>,
    /// Block it runs at.
    pub buffer_frames: Option<u32>,
    /// Smallest and largest block that clients may ask for.
    pub buffer_range_frames: Option<(u32, u32)>,
    /// Block that is forced on everybody.
    pub forced_buffer_frames: Option<u32>,
    /// Rate that is forced on everybody.
    pub forced_rate_hz: Option<Hz>,
    /// It runs with real-time priority.
    pub realtime: Option<bool>,
    /// Its load in percent.
    pub load_percent: Option<f64>,
    /// Sound devices and programs in it.
    pub nodes: Vec<String>,
    /// Ports that lead outside, with the delays they tell in frames.
    pub port_delays: Vec<(String, u32, u32)>,
    /// Its threads that move sound.
    pub threads: Vec<SoundThread>,
}

/// A thread of a server that moves sound.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct SoundThread {
    /// The system's number for it.
    pub id: u32,
    pub name: String,
    /// Its real-time priority; none for an ordinary thread.
    pub priority: Option<u32>,
}

#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Cpu {
    pub model: Option<String>,
    pub cores: Option<u32>,
    pub threads: Option<u32>,
    /// How its clock is governed.
    pub governor: Option<String>,
    /// Most that the system allows, and most that it has, in MHz.
    pub allowed_mhz: Option<f64>,
    /// Most that it has.
    pub most_mhz: Option<f64>,
    pub now_mhz: Option<f64>,
    /// It may run faster than its base clock for a while.
    pub boost: Option<bool>,
    pub idle: Vec<Idle>,
    /// What can be set for each hardware thread.
    pub each: Vec<EachCpu>,
    /// Longest time that leaving an idle state may take, in µs, as long as somebody holds the system to it.
    pub wake_limit_us: Option<u32>,
    /// Speed of a core beside the reference core, at the end of a second of work.
    pub speed: Option<f64>,
    /// The same at the beginning of that second.
    pub speed_at_first: Option<f64>,
    /// Times that heat has slowed it down.
    pub throttled: Option<u64>,
}

/// What can be set for one hardware thread.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct EachCpu {
    pub cpu: u32,
    /// How its clock is governed.
    pub governor: Option<String>,
    /// Ways in which it may be governed.
    pub governors: Vec<String>,
    /// Most that the system allows, in kHz.
    pub allowed_khz: Option<u64>,
    /// Most that it has, in kHz.
    pub most_khz: Option<u64>,
    pub idle: Vec<Idle>,
}

#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize)]
pub struct Idle {
    pub index: u32,
    pub name: String,
    /// Time to leave it in µs.
    pub exit_us: u32,
    /// It is switched off.
    pub disabled: bool,
}

#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct MemoryState {
    /// In all, in 10⁹ bytes.
    pub total_gb: Option<f64>,
    pub available_gb: Option<f64>,
    pub swap_used_gb: Option<f64>,
    /// How readily the system swaps, 0 to 200.
    pub swappiness: Option<u32>,
    /// Share of the last ten seconds in which something waited for the processor, for memory, for the disk, in percent.
    pub waits_percent: Option<[f64; 3]>,
}

/// UserLimits of this user.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct UserLimits {
    /// Highest real-time priority; nothing when unlimited is not told.
    pub realtime_priority: Option<u64>,
    /// MemoryState that may be locked, in bytes; `u64::MAX` for as much as there is.
    pub locked_bytes: Option<u64>,
    /// The user may do anything.
    pub superuser: bool,
    /// Real-time work that this user's group of programs may do in each period, in µs; nothing where groups have no share.
    pub group_realtime_us: Option<i64>,
}

#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Kernel {
    pub version: Option<String>,
    /// `none`, `voluntary`, `full` or `realtime`.
    pub preemption: Option<String>,
    /// It can be told another way of preemption when it starts.
    pub preemption_can_change: bool,
    /// Interrupts are handled by threads that audio can go before.
    pub threaded_interrupts: Option<bool>,
    /// Timer resolution in nanoseconds.
    pub timer_ns: Option<u64>,
    /// Share of each second that real-time threads may have; nothing when unlimited or not told.
    pub realtime_share: Option<f64>,
    /// The period of which that is a share, in µs.
    pub realtime_period_us: Option<u64>,
}

#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct EnergyState {
    /// It runs on battery.
    pub on_battery: Option<bool>,
    /// It has a battery.
    pub has_battery: bool,
    /// The hottest place, in °C.
    pub hottest_c: Option<f64>,
    /// The system's power plan, where it has such a thing.
    pub plan: Option<PowerPlan>,
}

/// A program that used the processor.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct BusyProgram {
    pub name: String,
    /// Share of one core.
    pub core_share: f64,
}

/// A place that has a rate.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SeenRate {
    /// What people call it.
    pub name: String,
    pub rate_hz: Hz,
    /// Which of the cards it belongs to; none for a server.
    #[serde(skip)]
    pub card: Option<usize>,
    /// It takes sound rather than giving it.
    #[serde(skip)]
    pub capture: bool,
}

/// Something on this computer that works in blocks now.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct SeenBlock {
    /// What people call it.
    pub who: String,
    /// Frames in its blocks.
    pub frames: u32,
}

impl CardStream {
    /// Which way sound goes through it, in a word.
    fn way(&self) -> &'static str {
        if self.capture { "recording" } else { "playback" }
    }
}

impl Inventory {
    /// Everything that works in blocks now, and in which.
    #[must_use]
    pub fn blocks(&self) -> Vec<SeenBlock> {
        let servers = self.servers.iter().filter_map(|s| {
            Some(SeenBlock { who: s.kind.clone(), frames: s.forced_buffer_frames.or(s.buffer_frames)? })
        });
        let cards = self.cards.iter().flat_map(|c| {
            c.streams.iter().filter_map(move |s| {
                let frames = s.open.as_ref()?.period_frames;
                Some(SeenBlock { who: format!("ALSA, {} {}", c.id, s.way()), frames })
            })
        });
        servers.chain(cards).collect()
    }

    /// Every place that has a rate now.
    #[must_use]
    pub fn places(&self) -> Vec<SeenRate> {
        let streams =
            self.cards.iter().enumerate().flat_map(|(i, c)| c.streams.iter().map(move |s| (i, c, s)));
        let on_cards = streams.filter_map(|(i, card, s)| {
            let rate_hz = s.open.as_ref().map(|o| o.rate_hz).or(s.set_rate_hz)?;
            let name = format!("{} {}", card.id, s.way());
            Some(SeenRate { name, rate_hz, card: Some(i), capture: s.capture })
        });
        let servers = self.servers.iter().filter_map(|s| {
            let rate_hz = s.forced_rate_hz.or(s.rate_hz)?;
            Some(SeenRate { name: s.kind.clone(), rate_hz, card: None, capture: false })
        });
        on_cards.chain(servers).collect()
    }

    /// All places have one rate.
    #[must_use]
    pub fn rates_agree(&self) -> bool {
        self.places().windows(2).all(|w| w[0].rate_hz == w[1].rate_hz)
    }

    /// The power plan that energy and clocks come to.
    #[must_use]
    pub fn power_plan(&self) -> PowerPlan {
        if self.power.on_battery == Some(true) {
            return PowerPlan::Saving;
        }
        let governed = self.processor.governor.as_deref().and_then(PowerPlan::of_governor);
        self.power.plan.or(governed).unwrap_or_default()
    }

    /// The power plan is told at all.
    #[must_use]
    pub fn tells_power(&self) -> bool {
        self.power.on_battery == Some(true) || self.power.plan.is_some() || self.processor.governor.is_some()
    }

    /// Nothing here can make or take sound.
    #[must_use]
    pub fn is_silent(&self) -> bool {
        self.cards.is_empty() && self.servers.is_empty()
    }
}
