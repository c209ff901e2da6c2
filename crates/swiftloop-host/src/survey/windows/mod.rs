//! A copy of a Windows computer, as our script collects it: JSON of public system classes, text of the power settings, public
//! registry values. Words in it are in the language of the system, so only identifiers and figures are read.

#[cfg(windows)]
mod local;

use super::tree::Tree;
use serde_json::Value;
use std::path::Path;
use swiftloop_core::in_effect::alike;
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{
    BusyProgram, Card, CardStream, Cpu, EnergyState, Inventory, MOST_CARDS, MemoryState, System, Usb, Version,
};
use swiftloop_units::Hz;

const FOLDER: &str = "windows";
/// The system's own power plans, by their public identifiers.
const PLANS: [(&str, PowerPlan); 4] = [
    ("381b4222-f694-41f0-9685-ff5bb260df2e", PowerPlan::Balanced),
    ("8c5e7fda-e8bf-4a96-9a85-a6e23a8c635c", PowerPlan::Performance),
    ("e9a42b02-d5df-448d-aa00-03f14749eb61", PowerPlan::Performance),
    ("a1841308-3541-4fab-bc81-f71556f20b4a", PowerPlan::Saving),
];
/// Sleep of USB devices, and the most that the clock may run at in percent.
const USB_SLEEP: &str = "48e6b7a6-50f5-4782-a5d4-53bb8f07e226";
const MOST_CLOCK: &str = "bc5038f7-23e0-4960-96da-33abaf5935ec";
/// The format that a device is set to, and its name, in the registry.
const FORMAT: &str = "{f19f064d-082c-4e27-bc73-6882a1bb8e4c},0";
const DEVICE: &str = "{b3f8fa53-0004-438e-9003-51a46e139bfc},6";

/// The folder holds such a copy.
pub(super) fn is_copy(root: &Path) -> bool {
    root.join(FOLDER).is_dir()
}

/// What such a computer tells, in the form in which our script copies it.
#[derive(Default)]
struct WindowsAnswers {
    system: Value,
    /// The registry's export of sound devices, and of makers' drivers.
    sound: String,
    asio: String,
    /// The plan in use and its settings.
    power: String,
    devices: Vec<Value>,
    drivers: Vec<Value>,
    programs: Vec<Value>,
    /// Names of what starts with the system.
    starting: Vec<String>,
}

/// All that a copy tells.
pub(super) fn read(tree: &Tree) -> Inventory {
    let json = |name: &str| -> Vec<Value> {
        let text = tree.text(&format!("{FOLDER}/{name}.json")).unwrap_or_default();
        match serde_json::from_str(text.trim_start_matches('\u{feff}')) {
            Ok(Value::Array(all)) => all,
            Ok(Value::Null) | Err(_) => Vec::new(),
            Ok(one) => vec![one],
        }
    };
    let text = |name: &str| tree.decoded(&format!("{FOLDER}/{name}.txt")).unwrap_or_default();
    inventory(&WindowsAnswers {
        system: json("system").first().cloned().unwrap_or(Value::Null),
        sound: text("sound"),
        asio: text("asio"),
        power: text("power"),
        devices: json("devices"),
        drivers: json("drivers"),
        programs: json("programs"),
        starting: starting(&text("starting")),
    })
}

/// All that this computer tells, and the disk that holds a folder.
#[cfg(windows)]
pub(super) fn here(folder: &Path) -> Inventory {
    inventory(&local::told(folder))
}

/// The power plan that this computer uses.
#[cfg(windows)]
pub(super) fn plan_here() -> Option<PowerPlan> {
    energy(&Value::Null, &local::power()).plan
}

fn inventory(told: &WindowsAnswers) -> Inventory {
    let about = &told.system;
    let mut cards = cards(&told.sound, &told.devices, &told.power);
    for name in maker_drivers(&told.asio).into_iter().take(MOST_CARDS) {
        if !cards.iter().any(|c| alike(&c.name, &name)) {
            cards.push(Card { id: name.clone(), name, driver: "ASIO".into(), ..Card::default() });
        }
    }
    for (i, card) in cards.iter_mut().enumerate() {
        card.index = i as u32;
    }
    let unseen = [
        "the buffer of a driver: it stands only on the panel of the interface",
        "priorities, idle states and interrupts: Windows does not tell them to everybody",
    ];
    Inventory {
        system: System::Windows,
        name: word(&about["Name"]),
        processor: processor(about, &told.power),
        memory: memory(about),
        power: energy(about, &told.power),
        versions: versions(about, &told.drivers),
        programs_seen: !told.programs.is_empty(),
        busy: busy(&told.programs),
        starting: told.starting.clone(),
        disk_free_gb: about["DiskFreeBytes"].as_f64().map(|b| b / 1e9),
        unseen: unseen.map(String::from).to_vec(),
        cards,
        ..Inventory::default()
    }
}

/// Names of values in the registry's export of what starts with the system.
fn starting(text: &str) -> Vec<String> {
    let names = text.lines().filter_map(|l| l.split_once("REG_").map(|(name, _)| name.trim().to_string()));
    let mut all: Vec<String> = names.filter(|n| !n.is_empty()).collect();
    all.sort();
    all.dedup();
    all
}

fn word(value: &Value) -> Option<String> {
    value.as_str().map(str::trim).filter(|w| !w.is_empty()).map(String::from)
}

fn whole(value: &Value) -> Option<u32> {
    value.as_u64().and_then(|n| u32::try_from(n).ok())
}

fn processor(about: &Value, power: &str) -> Cpu {
    let most = about["MaxClockMHz"].as_f64();
    // The most that the power plan allows, in percent of that.
    let allowed = setting(power, MOST_CLOCK).filter(|percent| (1..=100).contains(percent));
    Cpu {
        model: word(&about["Processor"]),
        cores: whole(&about["Cores"]),
        threads: whole(&about["Threads"]),
        most_mhz: most,
        allowed_mhz: most.zip(allowed).map(|(most, percent)| most * f64::from(percent) / 100.0),
        now_mhz: about["ClockMHz"].as_f64(),
        ..Cpu::default()
    }
}

fn memory(about: &Value) -> MemoryState {
    // Both in units of 1024 bytes.
    let of = |key: &str| about[key].as_f64().map(|kb| kb * 1024.0 / 1e9);
    MemoryState { total_gb: of("MemoryKB"), available_gb: of("MemoryFreeKB"), ..MemoryState::default() }
}

fn energy(about: &Value, power: &str) -> EnergyState {
    // 1 is discharging, 2 on mains (Win32_Battery).
    let battery = about["BatteryStatus"].as_u64();
    let plan = power.to_lowercase().lines().find_map(|line| {
        // The first identifier of all is that of the plan in use.
        let id = identifier(line)?;
        Some(PLANS.iter().find(|p| p.0 == id).map_or(PowerPlan::Balanced, |p| p.1))
    });
    EnergyState {
        on_battery: battery.map(|status| status == 1),
        has_battery: battery.is_some(),
        hottest_c: None,
        plan,
    }
}

/// The first identifier of a line: 8-4-4-4-12 hexadecimal digits.
fn identifier(line: &str) -> Option<String> {
    const PARTS: [usize; 5] = [8, 4, 4, 4, 12];
    let shaped = |w: &&str| {
        let parts: Vec<&str> = w.split('-').collect();
        parts.len() == 5
            && parts.iter().zip(PARTS).all(|(p, n)| p.len() == n && p.chars().all(|c| c.is_ascii_hexdigit()))
    };
    line.split(|c: char| !c.is_ascii_hexdigit() && c != '-').find(shaped).map(str::to_lowercase)
}

/// The value of a power setting on mains: after the line with its identifier, the last two hexadecimal figures before the next
/// identifier are those on mains and on battery.
fn setting(power: &str, id: &str) -> Option<u32> {
    let mut lines = power.lines().skip_while(|l| !l.to_lowercase().contains(id)).skip(1);
    let mut figures: Vec<u32> = Vec::new();
    let own = lines.by_ref().take_while(|l| identifier(l).is_none());
    for line in own {
        let figure = line.split_whitespace().find_map(|w| w.strip_prefix("0x"));
        figures.extend(figure.and_then(|f| u32::from_str_radix(f, 16).ok()));
    }
    figures.len().checked_sub(2).and_then(|at| figures.get(at)).copied()
}

/// Sound devices of the registry's export: keys, and below each its values, one a line.
fn cards(sound: &str, devices: &[Value], power: &str) -> Vec<Card> {
    let mut all: Vec<Card> = Vec::new();
    let mut key = "";
    let (mut name, mut rate): (Option<String>, Option<(Hz, u32)>) = (None, None);
    let (mut capture, mut active) = (false, false);
    // One empty key at the end, so that the last device is taken as well.
    for line in sound.lines().chain(["HKEY_"]) {
        let line = line.trim();
        if line.starts_with("HKEY_") {
            // Values of a device lie below it, in Properties.
            if !line.starts_with(key) || key.is_empty() {
                if let (Some(name), true) = (name.take(), active) {
                    add(&mut all, name, capture, rate.take());
                }
                (name, rate, active) = (None, None, false);
                key = line;
                capture = line.contains("\\Capture\\");
            }
            continue;
        }
        if line.starts_with("DeviceState") {
            // 1 is active; the upper bits tell of other things.
            active = line.rsplit("0x").next().and_then(|x| u32::from_str_radix(x, 16).ok()) == Some(1);
        } else if let Some(value) = line.strip_prefix(DEVICE) {
            name = value.split_once("REG_SZ").map(|v| v.1.trim().to_string()).filter(|n| !n.is_empty());
        } else if let Some(value) = line.strip_prefix(FORMAT) {
            rate = value.split_once("REG_BINARY").and_then(|v| format(v.1.trim()));
        }
    }
    for card in &mut all {
        place(card, devices, power);
    }
    all
}

/// A device's direction: joined with the other one of the same device.
fn add(all: &mut Vec<Card>, name: String, capture: bool, rate: Option<(Hz, u32)>) {
    let stream = CardStream {
        capture,
        channels: rate.map_or(0, |r| r.1),
        rates_hz: rate.map(|r| r.0).into_iter().collect(),
        // What the system mixes at holds whether or not something plays.
        set_rate_hz: rate.map(|r| r.0),
        ..CardStream::default()
    };
    let enough = all.len() > MOST_CARDS;
    match all.iter_mut().find(|c| c.name == name) {
        Some(card) => card.streams.push(stream),
        None if enough => {}
        None => all.push(Card { id: name.clone(), name, streams: vec![stream], ..Card::default() }),
    }
}

/// Rate and channels of a format: a head of eight bytes, then the structure that the system uses for wave formats.
fn format(hex: &str) -> Option<(Hz, u32)> {
    let bytes: Vec<u8> =
        (0..hex.len() / 2).map_while(|i| u8::from_str_radix(hex.get(2 * i..2 * i + 2)?, 16).ok()).collect();
    let word = |at: usize| Some(u16::from_le_bytes([*bytes.get(at)?, *bytes.get(at + 1)?]));
    // With the head there is the length of the structure before it.
    [0, 8, 12].into_iter().find_map(|at| {
        let tag = word(at).filter(|t| matches!(t, 0x0001 | 0x0003 | 0xfffe))?;
        let channels = word(at + 2).filter(|c| (1..=64).contains(c) && tag > 0)?;
        let rate = u32::from(word(at + 4)?) | u32::from(word(at + 6)?) << 16;
        let rate = rate.to_string().parse::<Hz>().ok().filter(|r| r.get() >= 8000)?;
        Some((rate, u32::from(channels)))
    })
}

/// Where a card hangs, and whether it may be put to sleep.
fn place(card: &mut Card, devices: &[Value], power: &str) {
    let ids = devices.iter().filter(|d| d["FriendlyName"].as_str().is_some_and(|n| alike(n, &card.name)));
    let ids: Vec<&str> = ids.filter_map(|d| d["InstanceId"].as_str()).collect();
    let on = |bus: &str| ids.iter().copied().find(|id| id.starts_with(bus));
    let Some(id) = on("USB\\") else {
        card.connection = if on("PCI\\").is_some() { "pcie" } else { "built-in" }.into();
        return;
    };
    card.connection = "usb2".into();
    card.usb = Some(Usb {
        place: id.to_string(),
        hubs: hubs_above(id, devices),
        autosuspend: setting(power, USB_SLEEP).map(|on| on != 0),
        ..Usb::default()
    });
}

/// Hubs between a device and the computer: those above it that are neither the computer's own nor the device itself (a device of
/// several functions is above each of them, with the same maker and product).
fn hubs_above(id: &str, devices: &[Value]) -> u32 {
    const DEEPEST: usize = 8;
    let product = |id: &str| id.split('\\').nth(1).map(|p| p.split("&MI_").next().unwrap_or(p).to_string());
    let above = |id: &str| {
        let own = devices.iter().find(|d| d["InstanceId"].as_str() == Some(id))?;
        own["Parent"].as_str()
    };
    let mut hubs = 0;
    let mut at = id;
    for _ in 0..DEEPEST {
        let Some(parent) = above(at) else { break };
        if parent.starts_with("USB\\VID") && product(parent) != product(id) {
            hubs += 1;
        }
        at = parent;
    }
    hubs
}

/// Names of the makers' own drivers: `HKEY_LOCAL_MACHINE\SOFTWARE\ASIO\16-channel rack`.
fn maker_drivers(asio: &str) -> Vec<String> {
    let keys = asio.lines().map(str::trim).filter(|l| l.starts_with("HKEY_"));
    let names = keys.filter_map(|l| {
        let rest = l.to_ascii_lowercase().find("\\asio\\").map(|at| &l[at + 6..])?;
        (!rest.is_empty() && !rest.contains('\\')).then(|| rest.to_string())
    });
    let mut all: Vec<String> = names.collect();
    all.dedup();
    all
}

fn versions(about: &Value, drivers: &[Value]) -> Vec<Version> {
    let mut all = Vec::new();
    let mut add = |of: String, is: Option<String>| all.extend(is.map(|is| Version { of, is }));
    add("kernel".into(), word(&about["Version"]));
    add("firmware of the computer".into(), word(&about["Firmware"]));
    for driver in drivers {
        if let Some(name) = word(&driver["DeviceName"]) {
            add(format!("driver of {name}"), word(&driver["DriverVersion"]));
        }
    }
    all
}

/// Programs by their share of one core, in percent, as the system counts it.
fn busy(programs: &[Value]) -> Vec<BusyProgram> {
    let counts = programs.iter().filter(|p| !matches!(p["Name"].as_str(), Some("_Total" | "Idle") | None));
    let mut all: Vec<BusyProgram> = counts
        .filter_map(|p| {
            let core_share = p["PercentProcessorTime"].as_f64()? / 100.0;
            Some(BusyProgram { name: word(&p["Name"])?, core_share })
        })
        .filter(|b| b.core_share > 0.0)
        .collect();
    all.sort_by(|a, b| b.core_share.total_cmp(&a.core_share));
    all.truncate(10);
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn identifiers_and_figures_are_read_in_any_language() {
        let power = "GUID des Energieschemas: 8c5e7fda-e8bf-4a96-9a85-a6e23a8c635c  (Höchstleistung)\n\
            GUID der Energieeinstellung: 48e6b7a6-50f5-4782-a5d4-53bb8f07e226  (selektives Energiesparen)\n\
            Index der möglichen Einstellung: 000\n  Mindestwert: 0x00000000\n\
            Index der aktuellen Wechselstromeinstellung: 0x00000001\n Gleichstrom: 0x00000000\n\
            GUID der Energieeinstellung: bc5038f7-23e0-4960-96da-33abaf5935ec\n AC: 0x00000050\n DC: 0x00000032\n";
        assert_eq!(setting(power, USB_SLEEP), Some(1));
        assert_eq!(setting(power, MOST_CLOCK), Some(0x50));
        assert_eq!(setting(power, "00000000-0000-0000-0000-000000000000"), None);
        assert_eq!(energy(&Value::Null, power).plan, Some(PowerPlan::Performance));
        assert_eq!(energy(&Value::Null, "nothing").plan, None);
    }

    #[test]
    fn what_starts_with_the_system_is_told_by_name_once() {
        let text = "\nHKEY_LOCAL_MACHINE\\SOFTWARE\\Run\n    Cloud copier    REG_SZ    \"C:\\cloud.exe\" /quiet\n\
            HKEY_CURRENT_USER\\Run\n    Cloud copier    REG_SZ    x\n    Chat    REG_EXPAND_SZ    y\n";
        assert_eq!(starting(text), ["Chat", "Cloud copier"]);
        assert!(starting("nothing").is_empty());
    }

    #[test]
    fn a_format_is_found_behind_its_head_and_rubbish_is_none() {
        // 24 bits in 32, two channels, 48000 Hz.
        let plain = "feff0200".to_string() + "80bb0000" + "00dc0500" + "08002000" + "1600";
        assert_eq!(format(&plain), Some((Hz::new(48_000), 2)));
        assert_eq!(format(&format!("4100e6fe0100000028000000{plain}")), Some((Hz::new(48_000), 2)));
        for bad in ["", "xyz", "feff", "0000000000000000", "feff0000ffffffff"] {
            assert_eq!(format(bad), None, "{bad}");
        }
    }
}
