//! Where cards hang and with whom they share: USB and interrupts.

use super::{Finding, Grade, GradedFinding, Inventory};
use crate::survey::Usb;

/// USB 2: a bus of less has no room for many channels, in Mbit/s.
const HIGH_SPEED: f64 = 480.0;

pub fn usb(i: &Inventory) -> Vec<GradedFinding> {
    let on_usb = i.cards.iter().filter_map(|c| Some((&c.id, c.usb.as_ref()?)));
    on_usb.flat_map(|(card, usb)| usb_of(card, usb)).collect()
}

fn usb_of(card: &str, usb: &Usb) -> Vec<GradedFinding> {
    let (card, place) = (|| card.to_string(), || usb.place.clone());
    let mut found = Vec::new();
    let mut add = |grade, finding| found.push(GradedFinding { grade, finding });
    if usb.hubs > 0 {
        let shared_with = usb.hub_shared_with.clone();
        let grade = if shared_with.is_empty() { Grade::Mild } else { Grade::Costly };
        add(grade, Finding::UsbHub { card: card(), hubs: usb.hubs, shared_with, place: place() });
    } else if !usb.controller_shared_with.is_empty() {
        let shared_with = usb.controller_shared_with.clone();
        add(Grade::Mild, Finding::UsbController { card: card(), shared_with, place: place() });
    }
    if usb.speed_mbit_s > 0.0 && usb.speed_mbit_s < HIGH_SPEED {
        add(Grade::Mild, Finding::UsbSlow { card: card(), mbit_s: usb.speed_mbit_s, place: place() });
    }
    if usb.autosuspend == Some(true) {
        add(Grade::Costly, Finding::UsbAutosuspend { card: card(), place: place() });
    }
    found
}

pub fn shared_interrupt(i: &Inventory) -> Vec<GradedFinding> {
    let cards = i.cards.iter().filter_map(|c| Some((c, c.irq.as_ref()?)));
    let shared = cards.filter(|(_, irq)| !irq.shared_with.is_empty());
    shared
        .map(|(card, irq)| GradedFinding {
            grade: Grade::Mild,
            finding: Finding::SharedInterrupt {
                card: card.id.clone(),
                line: irq.line.clone(),
                shared_with: irq.shared_with.clone(),
            },
        })
        .collect()
}
