//! A made-up computer: a demand, a state that is as demanded, random ones that are not, and levers that work as those of a system do.

use swiftloop_core::in_effect::{Demand, Hears, Stakes, Tunable, Wrong, pipewire_takes};
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{
    Card, CardStream, Cpu, EachCpu, EnergyState, Idle, Inventory, Irq, Kernel, MemoryState, Network, Open,
    ServerState, SoundThread, Usb, UserLimits, Version,
};
use swiftloop_core::tables::ServerKind;
use swiftloop_units::{Block, Gigabytes, Hz, Ms, PerHour, Range, Share};

pub fn demand() -> Demand {
    Demand {
        phase: "tracking".into(),
        interface: "rack".into(),
        interface_name: "16-channel rack".into(),
        connection: "usb2".into(),
        driver: "pipewire".into(),
        server: Some(ServerKind::PipeWire),
        rate_hz: Hz::new(48_000),
        buffer_frames: Block::new(64),
        buffer: "64".into(),
        roll_frames: None,
        workers: 3,
        power: PowerPlan::Performance,
        hub: false,
        clock: Some("internal".into()),
        open_inputs: Some(10),
        open_outputs: Some(4),
        cable: true,
        runs: vec!["screen capture".into()],
        quit: vec!["web browser".into()],
        other_load: Share::new(0.1),
        memory_gb: Gigabytes::new(6.0),
        recording_mb_per_minute: 80.0,
        restore: vec![],
        by_hand: vec![],
        dropouts_per_hour: Range::exact(PerHour::new(0.01)),
        allowed_per_hour: PerHour::new(1.0),
        sound_share: Share::new(0.95),
        hears: vec![Hears {
            who: "Ada".into(),
            late_ms: Range::exact(Ms::new(5.0)),
            verdict: "immediate".into(),
            noticed_from_ms: Some(Ms::new(6.0)),
            fails_from_ms: Some(Ms::new(12.0)),
        }],
        stakes: Stakes::default(),
    }
}

fn idle_of(cpu_states: [bool; 3]) -> Vec<Idle> {
    let of = |(index, (name, exit_us)): (usize, (&str, u32))| Idle {
        index: index as u32,
        name: name.into(),
        exit_us,
        disabled: cpu_states[index],
    };
    [("shallow", 2), ("deep", 130), ("deepest", 700)].into_iter().enumerate().map(of).collect()
}

fn open(rate: u32, channels: u32) -> Open {
    Open {
        rate_hz: Hz::new(rate),
        period_frames: 64,
        buffer_frames: 192,
        channels,
        sample_format: "S32_LE".into(),
    }
}

/// A computer that is just as demanded.
pub fn ready() -> Inventory {
    let stream = |capture, channels| CardStream {
        capture,
        open: Some(open(48_000, channels)),
        ..CardStream::default()
    };
    Inventory {
        network: Some(Network { name: "eth0".into(), wireless: false }),
        cards: vec![Card {
            id: "Rack".into(),
            name: "16-channel rack".into(),
            driver: "USB-Audio".into(),
            connection: "usb2".into(),
            streams: vec![stream(false, 4), stream(true, 10)],
            usb: Some(Usb {
                speed_mbit_s: 480.0,
                place: "1-3".into(),
                autosuspend: Some(false),
                ..Usb::default()
            }),
            irq: Some(Irq { line: "16".into(), cores: Some("3".into()), ..Irq::default() }),
            clock: Some("Internal".into()),
            ..Card::default()
        }],
        servers: vec![ServerState {
            kind: "PipeWire".into(),
            rate_hz: Some(Hz::new(48_000)),
            allowed_rates_hz: vec![Hz::new(48_000)],
            buffer_frames: Some(64),
            buffer_range_frames: Some((16, 2048)),
            realtime: Some(true),
            threads: vec![SoundThread { id: 77, name: "data-loop.0".into(), priority: Some(88) }],
            ..ServerState::default()
        }],
        processor: Cpu {
            cores: Some(4),
            threads: Some(4),
            governor: Some("performance".into()),
            allowed_mhz: Some(4000.0),
            most_mhz: Some(4000.0),
            idle: idle_of([false, true, true]),
            each: (0..4)
                .map(|cpu| EachCpu {
                    cpu,
                    governor: Some("performance".into()),
                    governors: vec!["performance".into(), "powersave".into()],
                    allowed_khz: Some(4_000_000),
                    most_khz: Some(4_000_000),
                    idle: idle_of([false, true, true]),
                })
                .collect(),
            ..Cpu::default()
        },
        memory: MemoryState {
            total_gb: Some(16.0),
            available_gb: Some(12.0),
            swap_used_gb: Some(0.0),
            ..MemoryState::default()
        },
        limits: UserLimits {
            realtime_priority: Some(95),
            locked_bytes: Some(u64::MAX),
            group_realtime_us: Some(950_000),
            ..UserLimits::default()
        },
        kernel: Kernel {
            realtime_share: Some(0.95),
            realtime_period_us: Some(1_000_000),
            ..Kernel::default()
        },
        power: EnergyState { on_battery: Some(false), has_battery: true, ..EnergyState::default() },
        programs_seen: true,
        disk_free_gb: Some(200.0),
        versions: vec![Version { of: "kernel".into(), is: "6.1".into() }],
        ..Inventory::default()
    }
}

/// A demand that a plan could make.
pub fn random_demand(random: &mut fastrand::Rng) -> Demand {
    let frames = [32, 64, 100, 128, 256, 480, 512, 1024, 4096][random.usize(0..9)];
    let (driver, server) =
        [("pipewire", Some(ServerKind::PipeWire)), ("jack", Some(ServerKind::Jack)), ("alsa", None)]
            [random.usize(0..3)];
    Demand {
        driver: driver.into(),
        server,
        rate_hz: Hz::new([44_100, 48_000, 96_000][random.usize(0..3)]),
        buffer_frames: Block::new(frames),
        workers: random.u32(1..=4),
        power: [PowerPlan::Performance, PowerPlan::Balanced, PowerPlan::Saving][random.usize(0..3)],
        ..demand()
    }
}

/// A computer on which anything may be otherwise.
pub fn random_state(demand: &Demand, random: &mut fastrand::Rng) -> Inventory {
    let mut i = ready();
    i.processor.wake_limit_us = if random.bool() { Some(2_000_000_000) } else { None };
    for each in &mut i.processor.each {
        if random.bool() {
            each.governor = Some("powersave".into());
        }
        if random.u32(0..8) == 0 {
            each.governors = vec!["schedutil".into(), "powersave".into()];
            each.governor = Some("schedutil".into());
        }
        if random.bool() {
            each.allowed_khz = Some(random.u64(1_000_000..4_000_000));
        }
        each.idle = idle_of([random.u32(0..9) == 0, random.bool(), random.bool()]);
    }
    i.kernel.realtime_share = Some([0.95, 0.5, 0.89][random.usize(0..3)]);
    if let Some(usb) = &mut i.cards[0].usb {
        usb.autosuspend = [None, Some(true), Some(false)][random.usize(0..3)];
    }
    if let Some(irq) = &mut i.cards[0].irq {
        irq.cores =
            [None, Some("0-3".into()), Some("3".into()), Some("1,2".into())][random.usize(0..4)].clone();
    }
    let server = &mut i.servers[0];
    server.rate_hz = Some(Hz::new([44_100, 48_000][random.usize(0..2)]));
    server.buffer_frames = Some([64, 128, 1024][random.usize(0..3)]);
    server.forced_buffer_frames =
        [None, Some(256), Some(pipewire_takes(demand.buffer_frames.get()))][random.usize(0..3)];
    server.forced_rate_hz = [None, Some(Hz::new(96_000))][random.usize(0..2)];
    server.buffer_range_frames = [None, Some((256, 512)), Some((16, 8192))][random.usize(0..3)];
    server.threads[0].priority = [None, Some(88)][random.usize(0..2)];
    if random.bool() {
        i.servers.push(ServerState {
            kind: "JACK".into(),
            rate_hz: Some(Hz::new(48_000)),
            buffer_frames: Some([64, 512][random.usize(0..2)]),
            ..ServerState::default()
        });
    }
    Machine::new(i).inventory
}

/// A difference that bears the word of a lever and is about something that it does not reach.
pub fn is_of_another(wrong: &Wrong) -> bool {
    match wrong {
        // The card that is open at another rate, or JACK, which has the rate that it was started with.
        Wrong::Rate { place, .. } => place != "PipeWire",
        // One processor may be governed, another not.
        Wrong::Power { .. } => true,
        Wrong::NoDevice { .. }
        | Wrong::NoServer { .. }
        | Wrong::RateNotAllowed { .. }
        | Wrong::Buffer { .. }
        | Wrong::BufferBounds { .. }
        | Wrong::Idle { .. }
        | Wrong::Thread { .. }
        | Wrong::GroupRealtime
        | Wrong::InterruptCores { .. }
        | Wrong::Programs { .. }
        | Wrong::Disk { .. }
        | Wrong::TooLittleMemory { .. }
        | Wrong::Channels { .. }
        | Wrong::Clock { .. }
        | Wrong::Wireless { .. }
        | Wrong::Version { .. }
        | Wrong::Hurts(_) => false,
    }
}

/// A computer with levers.
pub struct Machine {
    pub inventory: Inventory,
}

impl Machine {
    pub fn new(inventory: Inventory) -> Self {
        let mut machine = Self { inventory };
        machine.sum_up();
        machine
    }

    /// What the survey tells of all processors together.
    fn sum_up(&mut self) {
        let cpu = &mut self.inventory.processor;
        let other = cpu.each.iter().filter_map(|e| e.governor.clone()).find(|g| g != "performance");
        cpu.governor = Some(other.unwrap_or_else(|| "performance".into()));
        let least = cpu.each.iter().filter_map(|e| e.allowed_khz).min();
        cpu.allowed_mhz = least.map(|khz| khz as f64 / 1000.0);
        cpu.idle = cpu.each[0].idle.clone();
        for state in &mut cpu.idle {
            state.disabled = cpu.each.iter().all(|e| e.idle[state.index as usize].disabled);
        }
    }

    fn server(&mut self, kind: &str) -> &mut ServerState {
        self.inventory.servers.iter_mut().find(|s| s.kind == kind).expect("a server")
    }

    fn each(&mut self, cpu: u32) -> &mut EachCpu {
        &mut self.inventory.processor.each[cpu as usize]
    }

    pub fn read(&mut self, lever: &Tunable) -> Option<String> {
        let flag = |on: bool| if on { "1" } else { "0" }.to_string();
        match lever {
            Tunable::ForcedRate => {
                let s = self.server("PipeWire");
                let forced = s.forced_rate_hz.map_or("0".into(), |hz| hz.to_string());
                Some(format!("{forced}@{}", s.rate_hz?))
            }
            Tunable::ForcedBuffer => {
                Some(self.server("PipeWire").forced_buffer_frames.unwrap_or(0).to_string())
            }
            Tunable::JackBuffer => self.server("JACK").buffer_frames.map(|f| f.to_string()),
            Tunable::Governor { cpu } => self.each(*cpu).governor.clone(),
            Tunable::MostClock { cpu } => self.each(*cpu).allowed_khz.map(|k| k.to_string()),
            Tunable::WakeLimit => self.inventory.processor.wake_limit_us.map(|us| us.to_string()),
            Tunable::IdleOff { cpu, state } => Some(flag(self.each(*cpu).idle[*state as usize].disabled)),
            Tunable::UsbPower { .. } => {
                let sleeps = self.inventory.cards[0].usb.as_ref()?.autosuspend?;
                Some(if sleeps { "auto" } else { "on" }.into())
            }
            Tunable::InterruptCores { .. } => self.inventory.cards[0].irq.as_ref()?.cores.clone(),
            Tunable::RealtimeShare => Some(format!("{:.0}", self.inventory.kernel.realtime_share? * 1e6)),
            Tunable::Priority { .. } => {
                let priority = self.server("PipeWire").threads[0].priority;
                Some(priority.map_or("ordinary".into(), |p| format!("real-time {p}")))
            }
        }
    }

    /// As a system does it: PipeWire makes powers of two.
    pub fn put(&mut self, lever: &Tunable, to: &str) {
        match lever {
            Tunable::ForcedRate => {
                self.server("PipeWire").forced_rate_hz = to.split('@').next().unwrap().parse().ok();
            }
            Tunable::ForcedBuffer => {
                let frames: u32 = to.parse().unwrap();
                self.server("PipeWire").forced_buffer_frames = (frames > 0).then(|| pipewire_takes(frames));
            }
            Tunable::JackBuffer => self.server("JACK").buffer_frames = to.parse().ok(),
            Tunable::Governor { cpu } => {
                let each = self.each(*cpu);
                // What it does not know it does not take.
                if each.governors.iter().any(|g| g == to) {
                    each.governor = Some(to.into());
                }
            }
            Tunable::MostClock { cpu } => self.each(*cpu).allowed_khz = to.parse().ok(),
            Tunable::WakeLimit => self.inventory.processor.wake_limit_us = to.parse().ok(),
            Tunable::IdleOff { cpu, state } => self.each(*cpu).idle[*state as usize].disabled = to == "1",
            Tunable::UsbPower { .. } => {
                self.inventory.cards[0].usb.as_mut().unwrap().autosuspend = Some(to == "auto");
            }
            Tunable::InterruptCores { .. } => {
                self.inventory.cards[0].irq.as_mut().unwrap().cores = Some(to.into());
            }
            Tunable::RealtimeShare => {
                self.inventory.kernel.realtime_share = to.parse::<f64>().ok().map(|us| us / 1e6);
            }
            Tunable::Priority { .. } => {
                let priority = to.strip_prefix("real-time ").and_then(|p| p.parse().ok());
                self.server("PipeWire").threads[0].priority = priority;
            }
        }
        self.sum_up();
    }
}
