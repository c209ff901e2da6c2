//! Reading a computer: this one, or a copy of another's public files in a folder. What the operating system tells in
//! `/proc` and `/sys` comes in, an [`Inventory`] goes out. Every file may be missing or strange, and then its
//! figure is missing, never guessed.

mod busy;
mod cards;
mod computer;
mod eye;
mod limits;
mod macos;
mod network;
mod pipewire;
mod script;
mod starting;
mod threads;
mod tree;
mod usb;
mod versions;
mod windows;

#[cfg(test)]
mod tests;

pub use eye::Eye;
pub use script::{LINUX, MACOS, WINDOWS};

use crate::jack::{About, Server, ServerError};
use std::path::Path;
use std::time::Duration;
use swiftloop_core::rig::PowerPlan;
use swiftloop_core::survey::{Inventory, ServerState, Version};
use tree::Tree;

/// What PipeWire tells of itself, in a copy of another computer.
const PIPEWIRE_COPY: &str = "pipewire.json";
/// Free space on the disk of a copied computer, in 10⁹ bytes.
const DISK_COPY: &str = "disk-free-gb";

/// Names of what starts with it.
const STARTING_COPY: &str = "starting";

/// So long are programs looked at.
const LOOK: Duration = Duration::from_millis(700);

/// Looks at this computer; takes a little over a second, in which the processor is put to work.
#[must_use]
pub fn survey() -> Inventory {
    let mut inventory = of_this_system(Path::new("."));
    let before = busy::BusyLook::now();
    let work = crate::soak::speed_over_a_second();
    inventory.processor.speed_at_first = Some(work.0.factor());
    inventory.processor.speed = Some(work.1.factor());
    inventory.busy = before.until_now();
    inventory.programs_seen = true;
    ask_servers(&mut inventory);
    inventory.plausible()
}

/// What this system tells of itself, each in its own way; free space is that of the disk that holds `folder`.
#[cfg(windows)]
fn of_this_system(folder: &Path) -> Inventory {
    windows::here(folder)
}

/// What this system tells of itself, each in its own way; free space is that of the disk that holds `folder`.
#[cfg(not(windows))]
fn of_this_system(folder: &Path) -> Inventory {
    let told = if cfg!(target_os = "macos") { script::told_here(MACOS, folder) } else { None };
    if let Some(told) = told {
        return told;
    }
    let mut inventory = read(&Tree::of_this_computer());
    if cfg!(target_os = "macos") {
        // Its own tools told nothing.
        let here = crate::look(folder);
        inventory.system = swiftloop_core::survey::System::MacOs;
        inventory.processor.cores = here.cores;
        inventory.processor.model = Some(crate::processor_name()).filter(|name| !name.is_empty());
        inventory.memory.total_gb = here.memory_gb;
        inventory.sound_unseen = true;
        inventory.unseen.push("sound devices and power: the system's own tools told nothing of them".into());
    } else {
        inventory.starting = starting::here();
    }
    inventory
}

/// How this computer is set now, without any work for the processor: takes as long as programs are looked at.
#[must_use]
pub fn state(folder: &Path) -> Inventory {
    let before = busy::BusyLook::now();
    let begun = std::time::Instant::now();
    let mut inventory = of_this_system(folder);
    ask_servers(&mut inventory);
    #[cfg(target_os = "linux")]
    {
        inventory.processor.wake_limit_us = crate::tunables::wake_limit_us();
    }
    inventory.disk_free_gb = crate::look(folder).disk_free_gb;
    std::thread::sleep(LOOK.saturating_sub(begun.elapsed()));
    inventory.busy = before.until_now();
    inventory.programs_seen = true;
    inventory.plausible()
}

/// What plays on this computer now: sound cards and servers, without any work for the processor.
#[must_use]
pub fn playing() -> Inventory {
    let mut inventory = Inventory { cards: cards::cards(&Tree::of_this_computer()), ..Inventory::default() };
    ask_servers(&mut inventory);
    inventory.plausible()
}

fn add_server(inventory: &mut Inventory, server: ServerState, version: Option<String>) {
    inventory.versions.extend(version.map(|is| Version { of: server.kind.clone(), is }));
    inventory.servers.push(server);
}

fn ask_servers(inventory: &mut Inventory) {
    match pipewire::ask() {
        Ok(Some((mut server, version))) => {
            server.threads = threads::of_program(&Tree::of_this_computer(), "pipewire");
            add_server(inventory, server, version);
        }
        Ok(None) => {}
        Err(why) => inventory.unseen.push(why),
    }
    match Server::connect("swiftloop-survey") {
        Ok(server) => {
            let about = server.about();
            // PipeWire in JACK's place has told all of it already, but for its ports.
            match inventory.servers.iter_mut().find(|s| s.kind == about.kind) {
                Some(known) => complete(known, &about),
                None => add_server(inventory, of_jack(&about), about.version.clone()),
            }
        }
        Err(ServerError::NoLibrary) => inventory.unseen.push("JACK: its library is not installed".into()),
        Err(why @ (ServerError::Silent | ServerError::Alone)) => {
            inventory.unseen.push(format!("JACK: {why}"))
        }
        Err(_) => {}
    }
}

/// The folder holds a copy of a computer's files: of Linux, Windows or macOS.
#[must_use]
pub fn is_copy(root: &Path) -> bool {
    root.join("proc").is_dir() || windows::is_copy(root) || macos::is_copy(root)
}

/// Looks at a copy of another computer's files under `root`, and at nothing outside of it. What only a running computer tells
/// is missing.
#[must_use]
pub fn survey_copy(root: &Path) -> Inventory {
    let tree = Tree::copied(root);
    let mut inventory = if windows::is_copy(root) {
        windows::read(&tree)
    } else if macos::is_copy(root) {
        macos::read(&tree)
    } else {
        linux_copy(&tree)
    };
    if tree.is_exhausted() {
        inventory.unseen.push("the rest of the copy: it holds more than a computer tells".into());
    }
    inventory.plausible()
}

fn linux_copy(tree: &Tree) -> Inventory {
    let mut inventory = read(tree);
    inventory.disk_free_gb = tree.number(DISK_COPY).filter(|gb| *gb >= 0.0);
    inventory.starting = starting::listed(&tree.text(STARTING_COPY).unwrap_or_default());
    if let Some(text) = tree.text(PIPEWIRE_COPY) {
        match pipewire::parse(&text) {
            Some((server, version)) => add_server(&mut inventory, server, version),
            None => inventory.unseen.push(format!("PipeWire: {PIPEWIRE_COPY} is not its JSON dump")),
        }
    }
    inventory
        .unseen
        .push("a copy tells nothing of running programs, of the processor's real speed, or of JACK".into());
    inventory
}

/// How the clock of this computer's first processor is governed, where the system says.
#[must_use]
pub fn governor() -> Option<String> {
    computer::governor(&Tree::of_this_computer())
}

/// The power plan in use on this computer, where the system says.
#[must_use]
pub fn power_plan() -> Option<PowerPlan> {
    #[cfg(windows)]
    return windows::plan_here();
    #[cfg(not(windows))]
    governor().as_deref().and_then(PowerPlan::of_governor)
}

fn read(tree: &Tree) -> Inventory {
    let cards = cards::cards(tree);
    Inventory {
        versions: versions::versions(tree, &cards),
        name: tree.first_word("proc/sys/kernel/hostname"),
        cards,
        processor: computer::processor(tree),
        memory: computer::memory(tree),
        power: computer::power(tree),
        kernel: computer::kernel(tree),
        limits: limits::limits(tree),
        network: network::network(tree),
        ..Inventory::default()
    }
}

fn of_jack(about: &About) -> ServerState {
    let mut state = ServerState {
        kind: about.kind.into(),
        rate_hz: about.rate_hz.to_string().parse().ok(),
        buffer_frames: Some(about.buffer_frames),
        ..ServerState::default()
    };
    complete(&mut state, about);
    state
}

fn complete(state: &mut ServerState, about: &About) {
    state.realtime = Some(about.realtime);
    state.load_percent = Some(about.load_percent);
    state.port_delays = about.ports.iter().map(|p| (p.name.clone(), p.frames.0, p.frames.1)).collect();
}
