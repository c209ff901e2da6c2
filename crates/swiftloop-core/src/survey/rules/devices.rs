//! Where cards hang and with whom they share: USB and interrupts.

use super::super::{Finding, Grade, Inventory, Usb};

/// USB 2: a bus of less has no room for many channels.
const HIGH_SPEED: f64 = 480.0;

pub fn usb(i: &Inventory) -> Vec<Finding> {
    i.cards
        .iter()
        .filter_map(|c| Some((c.id.as_str(), c.usb.as_ref()?)))
        .flat_map(|(id, u)| usb_of(id, u))
        .collect()
}

fn usb_of(id: &str, u: &Usb) -> Vec<Finding> {
    let mut found = Vec::new();
    if u.hubs > 0 {
        let others = if u.hub_shared_with.is_empty() {
            "alone".into()
        } else {
            format!("with {}", u.hub_shared_with.join(", "))
        };
        found.push(Finding {
            id: "usb-hub",
            grade: if u.hub_shared_with.is_empty() { Grade::Mild } else { Grade::Costly },
            what: format!(
                "{id} hangs behind {} ({others}).",
                if u.hubs == 1 { "a hub".into() } else { format!("{} hubs", u.hubs) }
            ),
            costs: "Whoever else is busy on the hub makes its packets late; hubs' supplies are weak.".into(),
            evidence: format!("bus place {}", u.place),
            cure: "Plug it into a socket of the computer itself, if possible on a controller of its own."
                .into(),
            risk: "none".into(),
            undo: "plug it back".into(),
        });
    } else if !u.controller_shared_with.is_empty() {
        found.push(Finding {
            id: "usb-controller",
            grade: Grade::Mild,
            what: format!("{id} shares its USB controller with {}.", u.controller_shared_with.join(", ")),
            costs: "A disk or camera that is busy on the same controller takes turns with it.".into(),
            evidence: format!("bus place {}", u.place),
            cure: "Move the others, or it, to a socket on another side of the computer and look again."
                .into(),
            risk: "none".into(),
            undo: "plug it back".into(),
        });
    }
    if u.speed_mbit_s > 0.0 && u.speed_mbit_s < HIGH_SPEED {
        found.push(Finding {
            id: "usb-slow",
            grade: Grade::Mild,
            what: format!("{id} runs at {:.0} Mbit/s.", u.speed_mbit_s),
            costs: "Its packets come once a millisecond: at least that much more delay each way, and few channels.".into(),
            evidence: format!("bus place {}", u.place),
            cure: "If the interface can do USB 2, use another cable and socket; else this is what it is.".into(),
            risk: "none".into(),
            undo: "plug it back".into(),
        });
    }
    if u.autosuspend == Some(true) {
        let set = |to: &str| format!("echo {to} | sudo tee /sys/bus/usb/devices/{}/power/control", u.place);
        found.push(Finding {
            id: "usb-autosuspend",
            grade: Grade::Costly,
            what: format!("The system may put {id} to sleep."),
            costs: "The first sound after a pause is lost, or the device drops off the bus.".into(),
            evidence: format!("{}/power/control: auto", u.place),
            cure: set("on"),
            risk: "a little battery; gone after a restart".into(),
            undo: set("auto"),
        });
    }
    found
}

pub fn shared_interrupt(i: &Inventory) -> Vec<Finding> {
    let cards = i.cards.iter().filter_map(|c| Some((c, c.irq.as_ref()?)));
    cards
        .filter(|(_, irq)| !irq.shared_with.is_empty())
        .map(|(card, irq)| Finding {
            id: "shared-interrupt",
            grade: Grade::Mild,
            what: format!("{} shares its interrupt with {}.", card.id, irq.shared_with.join(", ")),
            costs: "Each of them delays the other by some microseconds, sometimes by far more.".into(),
            evidence: format!("/proc/interrupts, line {}", irq.line),
            cure:
                "Move the card or the other device to another slot or socket, or unload the other's driver."
                    .into(),
            risk: "the other device does not work without its driver".into(),
            undo: "move it back; a restart loads the driver again".into(),
        })
        .collect()
}
