//! This Windows computer: public values of its registry, its power calls and its tree of devices come in, in the same form in which
//! our script copies them from another; so that both are understood by the same reading.

use super::{DEVICE, FORMAT, MOST_CLOCK, USB_SLEEP, WindowsAnswers};
use serde_json::{Value, json};
use std::fmt::Write;
use std::path::Path;
use sysinfo::{MemoryRefreshKind, RefreshKind, System};
use windows_registry::{CURRENT_USER, Key, LOCAL_MACHINE};
use windows_sys::Win32::Devices::DeviceAndDriverInstallation::{
    CM_DRP_CLASS, CM_DRP_DEVICEDESC, CM_DRP_FRIENDLYNAME, CM_GETIDLIST_FILTER_PRESENT,
    CM_Get_DevNode_Registry_PropertyW, CM_Get_Device_ID_List_SizeW, CM_Get_Device_ID_ListW,
    CM_Get_Device_IDW, CM_Get_Parent, CM_LOCATE_DEVNODE_NORMAL, CM_Locate_DevNodeW, CR_SUCCESS,
};
use windows_sys::Win32::Foundation::{ERROR_SUCCESS, LocalFree};
use windows_sys::Win32::System::Power::{
    GetSystemPowerStatus, PowerGetActiveScheme, PowerReadACValueIndex, PowerReadDCValueIndex,
    SYSTEM_POWER_STATUS,
};
use windows_sys::core::GUID;

const SOUND: &str = r"SOFTWARE\Microsoft\Windows\CurrentVersion\MMDevices\Audio";
const MAKERS: &str = r"SOFTWARE\ASIO";
const STARTING: &str = r"SOFTWARE\Microsoft\Windows\CurrentVersion\Run";
const PROCESSOR: &str = r"HARDWARE\DESCRIPTION\System\CentralProcessor\0";
const FIRMWARE: &str = r"HARDWARE\DESCRIPTION\System\BIOS";
/// Drivers of sound devices.
const DRIVERS: &str = r"SYSTEM\CurrentControlSet\Control\Class\{4d36e96c-e325-11ce-bfc1-08002be10318}";
/// Groups of power settings: the processor's, and those of USB.
const OF_PROCESSOR: GUID = GUID::from_u128(0x5453_3251_82be_4824_96c1_47b6_0b74_0d00);
const OF_USB: GUID = GUID::from_u128(0x2a73_7441_1930_4402_8d77_b2be_bba3_08a3);
const CLOCK: GUID = GUID::from_u128(0xbc50_38f7_23e0_4960_96da_33ab_af59_35ec);
const SLEEP: GUID = GUID::from_u128(0x48e6_b7a6_50f5_4782_a5d4_53bb_8f07_e226);
/// Devices that are looked at.
const MOST: usize = 4096;

/// All that it tells.
pub(super) fn told(folder: &Path) -> WindowsAnswers {
    WindowsAnswers {
        system: system(folder),
        sound: sound(),
        asio: names(LOCAL_MACHINE, MAKERS).iter().fold(String::new(), |mut all, name| {
            let _ = writeln!(all, "HKEY_LOCAL_MACHINE\\{MAKERS}\\{name}");
            all
        }),
        power: power(),
        devices: devices(),
        drivers: drivers(),
        programs: Vec::new(),
        starting: starting(),
    }
}

/// Names of the keys below one; none where it is not there.
fn names(of: &Key, path: &str) -> Vec<String> {
    let key = of.open(path);
    key.and_then(|key| key.keys().map(|all| all.take(MOST).collect())).unwrap_or_default()
}

/// Sound devices as the registry's own export writes them.
fn sound() -> String {
    let mut text = String::new();
    for way in ["Render", "Capture"] {
        for id in names(LOCAL_MACHINE, &format!("{SOUND}\\{way}")) {
            let place = format!("{SOUND}\\{way}\\{id}");
            let Ok(key) = LOCAL_MACHINE.open(&place) else { continue };
            let _ = writeln!(text, "HKEY_LOCAL_MACHINE\\{place}");
            if let Ok(state) = key.get_u32("DeviceState") {
                let _ = writeln!(text, "    DeviceState    REG_DWORD    {state:#x}");
            }
            let Ok(about) = key.open("Properties") else { continue };
            let _ = writeln!(text, "HKEY_LOCAL_MACHINE\\{place}\\Properties");
            if let Ok(name) = about.get_string(DEVICE) {
                let _ = writeln!(text, "    {DEVICE}    REG_SZ    {name}");
            }
            if let Ok(format) = about.get_value(FORMAT) {
                let hex: String = format.iter().map(|b| format!("{b:02X}")).collect();
                let _ = writeln!(text, "    {FORMAT}    REG_BINARY    {hex}");
            }
        }
    }
    text
}

/// The plan in use, and of two of its settings what holds on mains and on battery.
pub(super) fn power() -> String {
    let mut plan: *mut GUID = std::ptr::null_mut();
    // SAFETY: the place for the plan is ours; what is put there is read once and given back below.
    let found = unsafe { PowerGetActiveScheme(std::ptr::null_mut(), &raw mut plan) };
    if found != ERROR_SUCCESS || plan.is_null() {
        return String::new();
    }
    // SAFETY: the call above put a plan there.
    let in_use = unsafe { *plan };
    // SAFETY: the system asks whoever is given it to free it so.
    unsafe { LocalFree(plan.cast()) };
    let GUID { data1, data2, data3, data4 } = in_use;
    let (a, b) = (&data4[..2], &data4[2..]);
    let hex = |bytes: &[u8]| bytes.iter().map(|b| format!("{b:02x}")).collect::<String>();
    let mut text = format!("{data1:08x}-{data2:04x}-{data3:04x}-{}-{}\n", hex(a), hex(b));
    for (group, setting, id) in [(OF_PROCESSOR, CLOCK, MOST_CLOCK), (OF_USB, SLEEP, USB_SLEEP)] {
        let (mut mains, mut battery) = (0u32, 0u32);
        let none = std::ptr::null_mut();
        // SAFETY: all four point to values of ours that outlive the calls.
        let read = unsafe {
            PowerReadACValueIndex(
                none,
                &raw const in_use,
                &raw const group,
                &raw const setting,
                &raw mut mains,
            ) == ERROR_SUCCESS
                && PowerReadDCValueIndex(
                    none,
                    &raw const in_use,
                    &raw const group,
                    &raw const setting,
                    &raw mut battery,
                ) == ERROR_SUCCESS
        };
        if read {
            let _ = writeln!(text, "{id}\n  {mains:#010x}\n  {battery:#010x}");
        }
    }
    text
}

/// The battery as the system class tells it: 1 while it is used, 2 on mains; nothing where there is none.
fn battery() -> Option<u32> {
    /// No battery, and nothing known of one.
    const NONE: [u8; 2] = [128, 255];
    // SAFETY: a structure of plain numbers, all of which may be zero.
    let mut status: SYSTEM_POWER_STATUS = unsafe { std::mem::zeroed() };
    // SAFETY: it is ours, and as large as the system expects.
    let told = unsafe { GetSystemPowerStatus(&raw mut status) } != 0;
    (told && !NONE.contains(&status.BatteryFlag)).then(|| if status.ACLineStatus == 0 { 1 } else { 2 })
}

fn system(folder: &Path) -> Value {
    let about = System::new_with_specifics(
        RefreshKind::nothing().with_memory(MemoryRefreshKind::nothing().with_ram()),
    );
    let here = crate::look(folder);
    let value = |path: &str, name: &str| LOCAL_MACHINE.open(path).and_then(|key| key.get_string(name)).ok();
    let clock = LOCAL_MACHINE.open(PROCESSOR).and_then(|key| key.get_u32("~MHz")).ok();
    json!({
        "Name": System::host_name(),
        "Version": System::kernel_version(),
        "Firmware": value(FIRMWARE, "BIOSVersion"),
        "Processor": Some(crate::processor_name()).filter(|name| !name.is_empty()),
        "Cores": here.cores,
        "Threads": std::thread::available_parallelism().ok().map(std::num::NonZero::get),
        "MaxClockMHz": clock,
        "MemoryKB": about.total_memory() / 1024,
        "MemoryFreeKB": about.available_memory() / 1024,
        "BatteryStatus": battery(),
        "DiskFreeBytes": here.disk_free_gb.map(|gb| gb * 1e9),
    })
}

/// Versions of sound drivers.
fn drivers() -> Vec<Value> {
    let one = |name: String| {
        let key = LOCAL_MACHINE.open(format!("{DRIVERS}\\{name}")).ok()?;
        let (of, is) = (key.get_string("DriverDesc").ok()?, key.get_string("DriverVersion").ok()?);
        Some(json!({ "DeviceName": of, "DriverVersion": is }))
    };
    names(LOCAL_MACHINE, DRIVERS).into_iter().filter_map(one).collect()
}

/// What starts with the system, for everybody and for this user.
fn starting() -> Vec<String> {
    let mut all: Vec<String> = Vec::new();
    for of in [LOCAL_MACHINE, CURRENT_USER] {
        let Ok(key) = of.open(STARTING) else { continue };
        if let Ok(values) = key.values() {
            all.extend(values.take(MOST).map(|(name, _)| name));
        }
    }
    all.sort();
    all.dedup();
    all
}

/// Devices for sound and on USB that are present, and what each hangs on.
fn devices() -> Vec<Value> {
    let mut size = 0;
    let present = CM_GETIDLIST_FILTER_PRESENT;
    // SAFETY: the place for the size is ours; without a filter all devices are meant.
    if unsafe { CM_Get_Device_ID_List_SizeW(&raw mut size, std::ptr::null(), present) } != CR_SUCCESS {
        return Vec::new();
    }
    let mut ids = vec![0u16; size as usize];
    // SAFETY: there is as much room as is said.
    if unsafe { CM_Get_Device_ID_ListW(std::ptr::null(), ids.as_mut_ptr(), size, present) } != CR_SUCCESS {
        return Vec::new();
    }
    ids.split(|unit| *unit == 0).filter(|id| !id.is_empty()).take(MOST).filter_map(device).collect()
}

fn device(id: &[u16]) -> Option<Value> {
    let ended: Vec<u16> = id.iter().copied().chain([0]).collect();
    let mut at = 0;
    // SAFETY: the name ends with a zero, and the place for the device is ours.
    let found = unsafe { CM_Locate_DevNodeW(&raw mut at, ended.as_ptr(), CM_LOCATE_DEVNODE_NORMAL) };
    let class = (found == CR_SUCCESS).then(|| property(at, CM_DRP_CLASS)).flatten()?;
    if !class.eq_ignore_ascii_case("MEDIA") && !class.eq_ignore_ascii_case("USB") {
        return None;
    }
    let mut above = 0;
    // SAFETY: the place for what is above is ours.
    let hangs = unsafe { CM_Get_Parent(&raw mut above, at, 0) } == CR_SUCCESS;
    Some(json!({
        "Class": class,
        "FriendlyName": property(at, CM_DRP_FRIENDLYNAME).or_else(|| property(at, CM_DRP_DEVICEDESC)),
        "InstanceId": String::from_utf16_lossy(id),
        "Parent": hangs.then(|| id_of(above)).flatten(),
    }))
}

/// A text that a device tells of itself.
fn property(of: u32, which: u32) -> Option<String> {
    let mut text = [0u16; 512];
    let mut bytes = std::mem::size_of_val(&text) as u32;
    let none = std::ptr::null_mut();
    // SAFETY: there is as much room as is said, in bytes.
    let told = unsafe {
        CM_Get_DevNode_Registry_PropertyW(of, which, none, text.as_mut_ptr().cast(), &raw mut bytes, 0)
    };
    (told == CR_SUCCESS).then(|| until_zero(&text)).filter(|t| !t.is_empty())
}

fn id_of(device: u32) -> Option<String> {
    let mut text = [0u16; 512];
    // SAFETY: there is as much room as is said, in characters.
    let told = unsafe { CM_Get_Device_IDW(device, text.as_mut_ptr(), text.len() as u32, 0) };
    (told == CR_SUCCESS).then(|| until_zero(&text))
}

fn until_zero(text: &[u16]) -> String {
    String::from_utf16_lossy(text.split(|unit| *unit == 0).next().unwrap_or_default())
}
