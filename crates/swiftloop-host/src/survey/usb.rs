//! Where a card hangs on USB: from `usbbus` of the card and the folders of the bus.

use super::tree::Tree;
use swiftloop_core::survey::Usb;

const DEVICES: &str = "sys/bus/usb/devices";

pub(super) fn of_card(tree: &Tree, index: u32) -> Option<Usb> {
    // `001/004`: bus and number on it.
    let place = tree.first_word(&format!("proc/asound/card{index}/usbbus"))?;
    let (bus, device) = place.split_once('/')?;
    let (bus, device): (u32, u32) = (bus.parse().ok()?, device.parse().ok()?);
    let says = |name: &str, key: &str| tree.number(&format!("{DEVICES}/{name}/{key}"));
    // Devices are `1-2.3`; their functions (`1-2.3:1.0`) and the computer's own ends (`usb1`) are not.
    let devices: Vec<String> =
        tree.names(DEVICES).into_iter().filter(|n| n.contains('-') && !n.contains(':')).collect();
    let own = devices.iter().find(|n| {
        says(n, "busnum") == Some(f64::from(bus)) && says(n, "devnum") == Some(f64::from(device))
    })?;
    let hub = own.rsplit_once('.').map(|h| h.0);
    let title =
        |n: &&String| tree.first_word(&format!("{DEVICES}/{n}/product")).unwrap_or_else(|| (*n).clone());
    // Class 9 is a hub.
    let is_hub =
        |n: &&String| tree.first_word(&format!("{DEVICES}/{n}/bDeviceClass")).as_deref() == Some("09");
    let others = || devices.iter().filter(|n| *n != own && !is_hub(n));
    let behind_same_hub = |n: &&String| hub.is_some_and(|h| n.rsplit_once('.').is_some_and(|o| o.0 == h));
    let on_same_bus = |n: &&String| n.split('-').next() == own.split('-').next();
    Some(Usb {
        speed_mbit_s: says(own, "speed").unwrap_or(0.0),
        hubs: own.matches('.').count() as u32,
        hub_shared_with: others().filter(behind_same_hub).map(|n| title(&n)).collect(),
        controller_shared_with: others().filter(on_same_bus).map(|n| title(&n)).collect(),
        autosuspend: tree.first_word(&format!("{DEVICES}/{own}/power/control")).map(|w| w == "auto"),
        place: own.clone(),
    })
}
