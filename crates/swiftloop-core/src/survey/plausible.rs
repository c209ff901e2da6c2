//! What a computer cannot have told: an inventory as it was read comes in, the same without figures that no computer has and
//! without lists that no end can be seen of goes out. A figure that cannot be true is no figure, so it is
//! missed like any other that is missing; and what is left out is told.

use super::{Card, CardStream, Cpu, Inventory, Kernel, MemoryState, Open, ServerState, Usb};

/// Sound cards that are looked at; a system has seldom more than five.
pub const MOST_CARDS: usize = 64;
/// Hardware threads that are looked at one by one.
const MOST_THREADS: usize = 1024;
/// Of what hangs on one thing: streams, idle states, neighbours on a bus, rates, formats.
const MOST_PARTS: usize = 64;
/// Of what a system has many of: nodes and ports of a server, versions.
const MOST_THINGS: usize = 512;
/// Characters of a name.
const LONGEST_NAME: usize = 200;

/// Clocks in megahertz, memory and disks in 10⁹ bytes.
const CLOCK_MHZ: (f64, f64) = (1.0, 100_000.0);
const MEMORY_GB: (f64, f64) = (0.0, 1e6);
const DISK_GB: (f64, f64) = (0.0, 1e9);
/// The fastest bus beside the slowest device: 1.5 Mbit/s and a hundred thousand times that.
const BUS_MBIT: (f64, f64) = (0.0, 200_000.0);
const PERCENT: (f64, f64) = (0.0, 100.0);
/// A load may be told beyond all that there is.
const LOAD_PERCENT: (f64, f64) = (0.0, 10_000.0);
const CORES_USED: (f64, f64) = (0.0, 65_536.0);
/// How fast a core is beside the reference.
const SPEED: (f64, f64) = (1e-3, 1e3);
const FRAMES: (u32, u32) = (1, 1 << 20);
const CHANNELS: (u32, u32) = (1, 4096);
const LONGEST_EXIT_US: u32 = 10_000_000;

fn within(value: Option<f64>, (low, high): (f64, f64)) -> Option<f64> {
    value.filter(|x| (low..=high).contains(x))
}

fn frames(value: Option<u32>) -> Option<u32> {
    value.filter(|n| (FRAMES.0..=FRAMES.1).contains(n))
}

/// No longer than anybody reads.
fn name(text: &mut String) {
    if text.chars().nth(LONGEST_NAME).is_some() {
        *text = text.chars().take(LONGEST_NAME - 1).chain(['…']).collect();
    }
}

fn names(all: &mut Vec<String>, most: usize) {
    all.truncate(most);
    all.iter_mut().for_each(name);
}

fn maybe(text: &mut Option<String>) {
    text.iter_mut().for_each(name);
}

impl Inventory {
    /// Without what cannot be true.
    #[must_use]
    pub fn plausible(mut self) -> Self {
        for (count, most, what) in [
            (self.cards.len(), MOST_CARDS, "sound cards"),
            (self.processor.each.len(), MOST_THREADS, "hardware threads"),
            (self.versions.len(), MOST_THINGS, "versions"),
        ] {
            if count > most {
                self.unseen
                    .push(format!("{} of {count} {what}: only the first {most} are looked at", count - most));
            }
        }
        self.cards.truncate(MOST_CARDS);
        self.cards.iter_mut().for_each(card);
        self.servers.truncate(MOST_PARTS);
        self.servers.iter_mut().for_each(server);
        self.versions.truncate(MOST_THINGS);
        for version in &mut self.versions {
            name(&mut version.of);
            name(&mut version.is);
        }
        processor(&mut self.processor);
        memory(&mut self.memory);
        kernel(&mut self.kernel);
        self.busy.retain(|b| within(Some(b.core_share), CORES_USED).is_some());
        self.busy.truncate(MOST_THINGS);
        self.busy.iter_mut().for_each(|b| name(&mut b.name));
        names(&mut self.starting, MOST_THINGS);
        self.disk_free_gb = within(self.disk_free_gb, DISK_GB);
        self.network.iter_mut().for_each(|n| name(&mut n.name));
        maybe(&mut self.name);
        names(&mut self.unseen, MOST_THINGS);
        self
    }
}

fn card(card: &mut Card) {
    for text in [&mut card.id, &mut card.name, &mut card.driver, &mut card.connection] {
        name(text);
    }
    maybe(&mut card.clock);
    card.streams.truncate(MOST_PARTS);
    card.streams.iter_mut().for_each(stream);
    card.usb.iter_mut().for_each(usb);
    if let Some(irq) = &mut card.irq {
        name(&mut irq.line);
        names(&mut irq.shared_with, MOST_PARTS);
        maybe(&mut irq.cores);
    }
}

fn stream(stream: &mut CardStream) {
    stream.rates_hz.truncate(MOST_PARTS);
    names(&mut stream.formats, MOST_PARTS);
    let plausible = |open: &Open| {
        (CHANNELS.0..=CHANNELS.1).contains(&open.channels)
            && frames(Some(open.period_frames)).is_some()
            && frames(Some(open.buffer_frames)).is_some()
    };
    stream.open = stream.open.take().filter(plausible);
    stream.open.iter_mut().for_each(|open| name(&mut open.sample_format));
    if stream.channels > CHANNELS.1 {
        stream.channels = 0;
    }
}

fn usb(usb: &mut Usb) {
    // Zero is what a speed is that nobody told.
    usb.speed_mbit_s = within(Some(usb.speed_mbit_s), BUS_MBIT).unwrap_or(0.0);
    names(&mut usb.hub_shared_with, MOST_PARTS);
    names(&mut usb.controller_shared_with, MOST_PARTS);
    name(&mut usb.place);
}

fn server(server: &mut ServerState) {
    name(&mut server.kind);
    server.allowed_rates_hz.truncate(MOST_PARTS);
    server.buffer_frames = frames(server.buffer_frames);
    server.forced_buffer_frames = frames(server.forced_buffer_frames);
    server.buffer_range_frames = server.buffer_range_frames.filter(|(least, most)| {
        frames(Some(*least)).is_some() && frames(Some(*most)).is_some() && least <= most
    });
    server.load_percent = within(server.load_percent, LOAD_PERCENT);
    names(&mut server.nodes, MOST_THINGS);
    server.port_delays.truncate(MOST_THINGS);
    server.port_delays.iter_mut().for_each(|(port, ..)| name(port));
    server.threads.truncate(MOST_THINGS);
    server.threads.iter_mut().for_each(|t| name(&mut t.name));
}

fn processor(cpu: &mut Cpu) {
    maybe(&mut cpu.model);
    maybe(&mut cpu.governor);
    for mhz in [&mut cpu.allowed_mhz, &mut cpu.most_mhz, &mut cpu.now_mhz] {
        *mhz = within(*mhz, CLOCK_MHZ);
    }
    for count in [&mut cpu.cores, &mut cpu.threads] {
        *count = count.filter(|n| (1..=65_536).contains(n));
    }
    for speed in [&mut cpu.speed, &mut cpu.speed_at_first] {
        *speed = within(*speed, SPEED);
    }
    let idle = |states: &mut Vec<super::Idle>| {
        states.retain(|s| s.exit_us <= LONGEST_EXIT_US);
        states.truncate(MOST_PARTS);
        states.iter_mut().for_each(|s| name(&mut s.name));
    };
    idle(&mut cpu.idle);
    cpu.each.truncate(MOST_THREADS);
    for each in &mut cpu.each {
        maybe(&mut each.governor);
        names(&mut each.governors, MOST_PARTS);
        for khz in [&mut each.allowed_khz, &mut each.most_khz] {
            *khz = khz.filter(|khz| within(Some(*khz as f64 / 1e3), CLOCK_MHZ).is_some());
        }
        idle(&mut each.idle);
    }
}

fn memory(memory: &mut MemoryState) {
    memory.total_gb = within(memory.total_gb, MEMORY_GB).filter(|gb| *gb > 0.0);
    let most = memory.total_gb.unwrap_or(MEMORY_GB.1);
    memory.available_gb = within(memory.available_gb, (MEMORY_GB.0, most));
    memory.swap_used_gb = within(memory.swap_used_gb, MEMORY_GB);
    memory.swappiness = memory.swappiness.filter(|n| *n <= 200);
    memory.waits_percent =
        memory.waits_percent.filter(|all| all.iter().all(|x| within(Some(*x), PERCENT).is_some()));
}

fn kernel(kernel: &mut Kernel) {
    maybe(&mut kernel.version);
    maybe(&mut kernel.preemption);
    kernel.timer_ns = kernel.timer_ns.filter(|ns| (1..=1_000_000_000).contains(ns));
    kernel.realtime_share = within(kernel.realtime_share, (0.0, 1.0));
    kernel.realtime_period_us = kernel.realtime_period_us.filter(|us| (1..=1_000_000_000).contains(us));
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::survey::{BusyProgram, Version};

    #[test]
    fn what_no_computer_has_is_missing_and_the_rest_stays() {
        let mut strange = Inventory::default();
        strange.memory.total_gb = Some(f64::INFINITY);
        strange.memory.available_gb = Some(f64::NAN);
        strange.memory.swap_used_gb = Some(-3.0);
        strange.processor.most_mhz = Some(-2400.0);
        strange.processor.now_mhz = Some(1e300);
        strange.processor.allowed_mhz = Some(2400.0);
        strange.kernel.realtime_share = Some(1e12);
        strange.disk_free_gb = Some(-1.0);
        strange.busy.push(BusyProgram { name: "a".into(), core_share: f64::NAN });
        let card =
            |speed| Card { usb: Some(Usb { speed_mbit_s: speed, ..Usb::default() }), ..Card::default() };
        strange.cards = vec![card(-480.0), card(480.0)];
        let now = strange.plausible();
        assert_eq!((now.memory, now.disk_free_gb, now.busy.len()), (MemoryState::default(), None, 0));
        assert_eq!(
            (now.processor.most_mhz, now.processor.now_mhz, now.processor.allowed_mhz),
            (None, None, Some(2400.0))
        );
        assert_eq!(now.kernel.realtime_share, None);
        let speeds: Vec<f64> =
            now.cards.iter().flat_map(|c| c.usb.as_ref()).map(|u| u.speed_mbit_s).collect();
        assert_eq!(speeds, [0.0, 480.0]);
    }

    #[test]
    fn what_has_no_end_ends_and_says_so() {
        let mut endless = Inventory { name: Some("n".repeat(5000)), ..Inventory::default() };
        endless.cards = vec![Card::default(); 3000];
        endless.versions = vec![Version { of: "x".repeat(300), is: "1".into() }; 10_000];
        let now = endless.plausible();
        assert_eq!((now.cards.len(), now.versions.len()), (MOST_CARDS, MOST_THINGS));
        assert_eq!(now.name.map(|n| n.chars().count()), Some(LONGEST_NAME));
        assert_eq!(now.versions[0].of.chars().count(), LONGEST_NAME);
        assert!(now.unseen.iter().any(|u| u.contains("2936 of 3000 sound cards")), "{:?}", now.unseen);
    }
}
