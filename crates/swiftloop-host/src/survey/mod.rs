//! Reading a computer: this one, or a copy of another's public files in a folder. What the operating system tells in
//! `/proc` and `/sys` comes in, an [`Inventory`] goes out. The idea: every file may be missing or strange, and then its
//! figure is missing, never guessed.

mod busy;
mod cards;
mod computer;
mod limits;
mod pipewire;
mod tree;
mod usb;

#[cfg(test)]
mod tests;

use crate::jack::{About, Server, ServerError};
use std::path::Path;
use swiftloop_core::survey::{Inventory, ServerState};
use tree::Tree;

/// What PipeWire tells of itself, in a copy of another computer.
const PIPEWIRE_COPY: &str = "pipewire.json";

/// Looks at this computer; takes a little over a second, in which the processor is put to work.
#[must_use]
pub fn survey() -> Inventory {
    let mut inventory = read(&Tree::new(Path::new("/")));
    let before = busy::Look::now();
    let work = crate::soak::speed_over_a_second();
    inventory.processor.speed_at_first = Some(work.0.factor());
    inventory.processor.speed = Some(work.1.factor());
    inventory.busy = before.until_now();
    ask_servers(&mut inventory);
    inventory
}

/// What plays on this computer now: sound cards and servers, without any work for the processor.
#[must_use]
pub fn playing() -> Inventory {
    let mut inventory = Inventory { cards: cards::cards(&Tree::new(Path::new("/"))), ..Inventory::default() };
    ask_servers(&mut inventory);
    inventory
}

fn ask_servers(inventory: &mut Inventory) {
    match pipewire::ask() {
        Ok(Some(server)) => inventory.servers.push(server),
        Ok(None) => {}
        Err(why) => inventory.unseen.push(why),
    }
    match Server::connect("swiftloop-survey") {
        Ok(server) => {
            let about = server.about();
            // PipeWire in JACK's place has told all of it already, but for its ports.
            match inventory.servers.iter_mut().find(|s| s.kind == about.kind) {
                Some(known) => complete(known, &about),
                None => inventory.servers.push(of_jack(&about)),
            }
        }
        Err(ServerError::NoLibrary) => inventory.unseen.push("JACK: its library is not installed".into()),
        Err(why @ ServerError::Silent) => inventory.unseen.push(format!("JACK: {why}")),
        Err(_) => {}
    }
}

/// Looks at a copy of another computer's files under `root`. What only a running computer tells is missing.
#[must_use]
pub fn survey_copy(root: &Path) -> Inventory {
    let tree = Tree::new(root);
    let mut inventory = read(&tree);
    if let Some(text) = tree.text(PIPEWIRE_COPY) {
        match pipewire::parse(&text) {
            Some(server) => inventory.servers.push(server),
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
    computer::governor(&Tree::new(Path::new("/")))
}

fn read(tree: &Tree) -> Inventory {
    Inventory {
        cards: cards::cards(tree),
        processor: computer::processor(tree),
        memory: computer::memory(tree),
        power: computer::power(tree),
        kernel: computer::kernel(tree),
        limits: limits::limits(tree),
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
