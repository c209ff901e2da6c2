//! What is installed, in which version: kernel, firmware of the computer and of the interface, drivers of the cards.

use super::tree::Tree;
use swiftloop_core::survey::{Card, Version};

/// Everything that a tree of files tells.
pub(super) fn versions(tree: &Tree, cards: &[Card]) -> Vec<Version> {
    let mut all = Vec::new();
    let mut add = |of: String, is: Option<String>| all.extend(is.map(|is| Version { of, is }));
    // `Linux version 6.1.0-rt … (builder) (compiler) #1 SMP …`: release and build, without who built it.
    let kernel = tree.first_word("proc/version").and_then(|text| {
        let release = text.split_whitespace().nth(2)?.to_string();
        let build = text.split_once('#').map_or(String::new(), |b| format!(" #{}", b.1));
        Some(format!("{release}{build}"))
    });
    add("kernel".into(), kernel);
    add("firmware of the computer".into(), tree.first_word("sys/class/dmi/id/bios_version"));
    for card in cards {
        // `0206` for 2.06: the maker's number for the release of the device.
        let release = card
            .usb
            .as_ref()
            .and_then(|usb| tree.first_word(&format!("sys/bus/usb/devices/{}/bcdDevice", usb.place)));
        add(format!("firmware of {}", card.id), release);
        let module = tree.leads_to(&format!("sys/class/sound/card{}/device/driver/module", card.index));
        let own = module.and_then(|m| {
            let of = |key: &str| tree.first_word(&format!("sys/module/{m}/{key}"));
            of("version").or_else(|| of("srcversion"))
        });
        add(format!("driver of {}", card.id), own);
    }
    all
}
