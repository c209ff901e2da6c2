//! A copy of a macOS computer, as our script collects it: the JSON of the system's own profiler, text of its power settings.

use super::tree::Tree;
use serde_json::Value;
use std::path::Path;
use swiftloop_core::in_effect::alike;
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{
    BusyProgram, Card, CardStream, Cpu, EnergyState, Inventory, MemoryState, System, Usb, Version,
};
use swiftloop_units::Hz;

const FOLDER: &str = "macos";

/// The folder holds such a copy.
pub(super) fn is_copy(root: &Path) -> bool {
    root.join(FOLDER).is_dir()
}

/// All that it tells.
pub(super) fn read(tree: &Tree) -> Inventory {
    let json = |name: &str| -> Value {
        let text = tree.text(&format!("{FOLDER}/{name}.json")).unwrap_or_default();
        serde_json::from_str(&text).unwrap_or(Value::Null)
    };
    let text = |name: &str| tree.text(&format!("{FOLDER}/{name}.txt")).unwrap_or_default();
    let (audio, usb) = (json("audio"), json("usb"));
    let hardware = json("hardware")["SPHardwareDataType"][0].clone();
    let mut on_bus = Vec::new();
    bus(&usb["SPUSBDataType"], 0, None, &mut on_bus);
    // Newer systems tell the same under another name.
    bus(&usb["SPUSBHostDataType"], 0, None, &mut on_bus);
    let devices = audio["SPAudioDataType"].as_array().into_iter().flatten();
    let devices = devices.flat_map(|group| group["_items"].as_array().into_iter().flatten());
    let mut cards: Vec<Card> = devices.filter_map(|d| card(d, &on_bus)).collect();
    for (i, card) in cards.iter_mut().enumerate() {
        card.index = i as u32;
    }
    let processes = text("programs");
    let unseen = [
        "the buffer: each program has its own, it stands in its settings",
        "priorities, idle states and interrupts: macOS sets them itself",
    ];
    Inventory {
        system: System::MacOs,
        name: text("name").lines().next().map(|l| l.trim().to_string()).filter(|n| !n.is_empty()),
        processor: processor(&hardware),
        memory: memory(&hardware, &text("memory"), &text("swap")),
        power: energy(&text("power"), &text("supply")),
        versions: versions(&text("version"), &hardware, &on_bus),
        programs_seen: !processes.is_empty(),
        busy: busy(&processes),
        starting: super::starting::listed(&text("starting")),
        disk_free_gb: disk(&text("disk")),
        unseen: unseen.map(String::from).to_vec(),
        cards,
        ..Inventory::default()
    }
}

/// A device on USB.
struct OnBus {
    name: String,
    hubs: u32,
    mbit_s: f64,
    release: Option<String>,
    place: String,
    hub: Option<String>,
}

/// Devices hang below each other; who has others below it is a hub.
fn bus(items: &Value, depth: u32, hub: Option<&str>, all: &mut Vec<OnBus>) {
    for item in items.as_array().into_iter().flatten().take(256) {
        let name = item["_name"].as_str().unwrap_or("").trim().to_string();
        let below = &item["_items"];
        let is_hub = below.is_array();
        // The first level are the computer's own controllers.
        if depth > 0 && !is_hub {
            let text = |key: &str| item[key].as_str().map(str::trim);
            let speed = text("device_speed").or(text("Device Speed")).unwrap_or("");
            let mbit_s = match speed {
                s if s.contains("super") => 5000.0,
                s if s.contains("high") => 480.0,
                s if s.contains("full") => 12.0,
                s if s.contains("low") => 1.5,
                _ => 0.0,
            };
            all.push(OnBus {
                name: name.clone(),
                hubs: depth - 1,
                mbit_s,
                release: text("bcd_device").map(String::from),
                place: text("location_id").unwrap_or("").to_string(),
                hub: hub.map(String::from),
            });
        }
        if depth < 16 {
            bus(below, depth + 1, (depth > 0).then_some(name.as_str()), all);
        }
    }
}

fn card(device: &Value, on_bus: &[OnBus]) -> Option<Card> {
    let name = device["_name"].as_str()?.trim().to_string();
    let channels = |key: &str| device[key].as_u64().and_then(|n| u32::try_from(n).ok());
    let rate = &device["coreaudio_device_srate"];
    let rate = rate.as_u64().or_else(|| rate.as_str()?.parse().ok()).or(rate.as_f64().map(|r| r as u64));
    let rate = rate.and_then(|r| r.to_string().parse::<Hz>().ok());
    let stream = |capture: bool, channels: u32| CardStream {
        capture,
        channels,
        rates_hz: rate.into_iter().collect(),
        // The device has its rate whether or not something plays.
        set_rate_hz: rate,
        ..CardStream::default()
    };
    let inputs = channels("coreaudio_device_input").map(|n| stream(true, n));
    let outputs = channels("coreaudio_device_output").map(|n| stream(false, n));
    let transport = device["coreaudio_device_transport"].as_str().unwrap_or("");
    let usb = on_bus.iter().find(|u| alike(&u.name, &name)).filter(|_| transport.ends_with("usb"));
    let connection = match transport.rsplit('_').next().unwrap_or("") {
        "usb" if usb.is_some_and(|u| u.mbit_s >= 5000.0) => "usb3",
        "usb" if usb.is_some_and(|u| u.mbit_s > 0.0 && u.mbit_s < 480.0) => "usb1",
        "usb" => "usb2",
        "thunderbolt" => "thunderbolt",
        "pci" => "pcie",
        "avb" => "network",
        _ => "built-in",
    };
    let shared = |own: &OnBus| {
        let same = |u: &&OnBus| own.hub.is_some() && u.hub == own.hub && u.name != own.name;
        on_bus.iter().filter(same).map(|u| u.name.clone()).collect()
    };
    Some(Card {
        id: name.clone(),
        name,
        driver: "Core Audio".into(),
        connection: connection.into(),
        streams: outputs.into_iter().chain(inputs).collect(),
        usb: usb.map(|u| Usb {
            speed_mbit_s: u.mbit_s,
            hubs: u.hubs,
            hub_shared_with: shared(u),
            place: u.place.clone(),
            ..Usb::default()
        }),
        ..Card::default()
    })
}

fn processor(hardware: &Value) -> Cpu {
    // `proc 8:4:4`, or a number.
    let said = &hardware["number_processors"];
    let told =
        said.as_str().unwrap_or("").trim_start_matches("proc ").split(':').next().unwrap_or("").to_string();
    let cores = said.as_u64().or_else(|| told.parse().ok()).and_then(|n| u32::try_from(n).ok());
    let model = hardware["chip_type"].as_str().or(hardware["cpu_type"].as_str());
    Cpu { model: model.map(String::from), cores, threads: cores, ..Cpu::default() }
}

fn memory(hardware: &Value, pages: &str, swap: &str) -> MemoryState {
    // `16 GB`, of 1024³ bytes.
    let total = hardware["physical_memory"].as_str().and_then(|m| {
        let (number, unit) = m.split_once(' ')?;
        let unit = if unit.trim() == "TB" { 1024.0 } else { 1.0 };
        Some(number.trim().parse::<f64>().ok()? * unit * f64::from(1u32 << 30) / 1e9)
    });
    // `Mach Virtual MemoryState Statistics: (page size of 16384 bytes)`, `Pages free: 12345.`
    let size = pages.split("page size of ").nth(1).and_then(|s| s.split(' ').next()?.parse::<f64>().ok());
    let count = |key: &str| {
        let line = pages.lines().find_map(|l| l.trim().strip_prefix(key)?.strip_prefix(':'))?;
        line.trim().trim_end_matches('.').parse::<f64>().ok()
    };
    let free = ["Pages free", "Pages inactive", "Pages speculative", "Pages purgeable"].map(count);
    let pages_free: f64 = free.iter().flatten().sum();
    // `vm.swapusage: total = 2048.00M  used = 512.25M  free = …`
    let used = swap.split("used = ").nth(1).and_then(|u| u.split('M').next()?.trim().parse::<f64>().ok());
    MemoryState {
        total_gb: total,
        available_gb: size.filter(|_| free[0].is_some()).map(|size| size * pages_free / 1e9),
        swap_used_gb: used.map(|m| m * f64::from(1u32 << 20) / 1e9),
        ..MemoryState::default()
    }
}

fn energy(settings: &str, supply: &str) -> EnergyState {
    let on_battery = supply.contains("drawing from").then(|| supply.contains("'Battery Power'"));
    let section = if on_battery == Some(true) { "Battery Power:" } else { "AC Power:" };
    // Settings stand under the supply they are for; a system with one supply has no headings.
    let own = settings.split_once(section).map_or(settings, |s| s.1);
    let own = own.split("Power:").next().unwrap_or(own);
    let of = |key: &str| {
        own.lines().find_map(|l| {
            let mut words = l.split_whitespace();
            (words.next() == Some(key)).then(|| words.next()?.parse::<u32>().ok()).flatten()
        })
    };
    let plan = match (of("lowpowermode"), of("powermode")) {
        (Some(1), _) | (_, Some(1)) => Some(PowerPlan::Saving),
        (_, Some(2)) => Some(PowerPlan::Performance),
        (Some(_), _) | (_, Some(_)) => Some(PowerPlan::Balanced),
        (None, None) => None,
    };
    EnergyState {
        on_battery,
        has_battery: supply.contains("InternalBattery"),
        hottest_c: None,
        // There is no more than this on most of them: what does not save is as good as it gets.
        plan: plan.map(|p| if p == PowerPlan::Saving { p } else { PowerPlan::Performance }),
    }
}

fn versions(system: &str, hardware: &Value, on_bus: &[OnBus]) -> Vec<Version> {
    let mut all = Vec::new();
    let mut add = |of: String, is: Option<String>| all.extend(is.map(|is| Version { of, is }));
    // `ProductVersion:		14.4`, `BuildVersion: …`
    let value = |key: &str| {
        let line = system.lines().find_map(|l| l.trim().strip_prefix(key))?;
        Some(line.trim_start_matches(':').trim().to_string())
    };
    let kernel =
        value("ProductVersion").map(|v| value("BuildVersion").map_or(v.clone(), |b| format!("{v} ({b})")));
    add("kernel".into(), kernel);
    add("firmware of the computer".into(), hardware["boot_rom_version"].as_str().map(String::from));
    for device in on_bus {
        add(format!("firmware of {}", device.name), device.release.clone());
    }
    all
}

/// `%CPU COMM` and then a program a line, the busiest first.
fn busy(text: &str) -> Vec<BusyProgram> {
    let programs = text.lines().filter_map(|l| {
        let (share, name) = l.trim().split_once(char::is_whitespace)?;
        // In some countries with a comma.
        let core_share = share.replace(',', ".").parse::<f64>().ok()? / 100.0;
        Some(BusyProgram { name: name.trim().to_string(), core_share })
    });
    programs.filter(|b| b.core_share > 0.0 && b.core_share.is_finite()).take(10).collect()
}

/// `df -k`: free blocks of 1024 bytes are the fourth column of the second line.
fn disk(text: &str) -> Option<f64> {
    let free: f64 = text.lines().nth(1)?.split_whitespace().nth(3)?.parse().ok()?;
    (free >= 0.0).then_some(free * 1024.0 / 1e9)
}
