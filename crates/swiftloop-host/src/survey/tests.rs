//! The readers of public files, on small made-up trees.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use super::tree::Tree;
use super::{cards, computer, limits, survey_copy, usb};
use proptest::prelude::*;
use std::path::Path;
use tempfile::TempDir;

/// Files with their content, below a folder that goes away with it.
fn tree(files: &[(&str, &str)]) -> (TempDir, Tree) {
    let folder = TempDir::new().unwrap();
    for (name, content) in files {
        put(folder.path(), name, content.as_bytes());
    }
    let tree = Tree::copied(folder.path());
    (folder, tree)
}

fn put(root: &Path, name: &str, content: &[u8]) {
    let path = root.join(name);
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    std::fs::write(path, content).unwrap();
}

const BUS: &str = "sys/bus/usb/devices";

fn device(name: &str, number: u32, product: &str, class: &str) -> Vec<(String, String)> {
    let of = |key: &str, value: String| (format!("{BUS}/{name}/{key}"), value);
    vec![
        of("busnum", "1\n".into()),
        of("devnum", format!("{number}\n")),
        of("product", format!("{product}\n")),
        of("bDeviceClass", format!("{class}\n")),
    ]
}

#[test]
fn a_card_knows_what_hangs_beside_it() {
    let mut files = device("1-2", 2, "Hub", "09");
    files.extend(device("1-2.1", 3, "Box", "00"));
    files.extend(device("1-2.3", 4, "Camera", "ef"));
    files.extend(device("1-4", 5, "Drive", "08"));
    files.extend(device("2-1", 9, "Elsewhere", "00"));
    files.push((format!("{BUS}/1-2.1/speed"), "480\n".into()));
    files.push((format!("{BUS}/1-2.1/power/control"), "auto\n".into()));
    files.push((format!("{BUS}/1-2.1:1.0/product"), "a function of it".into()));
    files.push(("proc/asound/card1/usbbus".into(), "001/003\n".into()));
    let files: Vec<(&str, &str)> = files.iter().map(|f| (f.0.as_str(), f.1.as_str())).collect();
    let (_folder, tree) = tree(&files);
    let found = usb::of_card(&tree, 1).unwrap();
    assert_eq!((found.speed_mbit_s, found.hubs, found.place.as_str()), (480.0, 1, "1-2.1"));
    assert_eq!(found.hub_shared_with, ["Camera"]);
    assert_eq!(found.controller_shared_with, ["Camera", "Drive"]);
    assert_eq!(found.autosuspend, Some(true));
    // A card that is not on USB, and one whose device is gone.
    assert_eq!(usb::of_card(&tree, 0), None);
    put(_folder.path(), "proc/asound/card2/usbbus", b"001/077\n");
    assert_eq!(usb::of_card(&tree, 2), None);
}

#[test]
fn others_on_an_interrupt_line_are_named() {
    let list = " 0 [PCH            ]: HDA-Intel - built-in\n                      built-in at 0xf0 irq 16\n";
    let rows = "           CPU0\n  1:   9  IO-APIC   1-edge      keys\n 16:  40  IO-APIC  16-fasteoi   \
                bus_helper, snd_hda_intel:card0, camera\n";
    let (_folder, tree) = tree(&[("proc/asound/cards", list), ("proc/interrupts", rows)]);
    let found = cards::cards(&tree);
    assert_eq!(found.len(), 1);
    let irq = found[0].irq.as_ref().unwrap();
    assert_eq!((irq.line.as_str(), irq.shared_with.join(" ").as_str()), ("16", "bus_helper camera"));
    assert_eq!((found[0].id.as_str(), found[0].connection.as_str()), ("PCH", "built-in"));
}

#[test]
fn limits_are_those_that_hold_now() {
    let told = "Limit                     Soft Limit           Hard Limit           Units\n\
                Max locked memory         8388608              unlimited            bytes\n\
                Max realtime priority     unlimited            unlimited\n";
    let (_folder, whose) =
        tree(&[("proc/self/limits", told), ("proc/self/status", "Name:\tx\nUid:\t1000\t1000\t1000\t1000\n")]);
    let found = limits::limits(&whose);
    assert_eq!((found.locked_bytes, found.realtime_priority), (Some(8_388_608), Some(u64::MAX)));
    assert!(!found.superuser);
    let (_folder, root) = tree(&[("proc/self/status", "Uid:\t1000\t0\t0\t0\n")]);
    let found = limits::limits(&root);
    assert!(found.superuser && found.locked_bytes.is_none() && found.realtime_priority.is_none());
}

#[test]
fn two_threads_of_a_core_are_one_core() {
    const CPUS: &str = "sys/devices/system/cpu";
    let topology = |cpu: u32, core: u32| {
        [("core_id", core), ("physical_package_id", 0)]
            .map(|(key, value)| (format!("{CPUS}/cpu{cpu}/topology/{key}"), value.to_string()))
    };
    let mut files: Vec<(String, String)> = (0..4).flat_map(|cpu| topology(cpu, cpu / 2)).collect();
    for (key, value) in [
        ("cpufreq/scaling_governor", "powersave"),
        ("cpufreq/cpuinfo_max_freq", "4200000"),
        ("cpufreq/scaling_max_freq", "2800000"),
        ("cpuidle/state10/name", "C10"),
        ("cpuidle/state10/latency", "890"),
        ("cpuidle/state2/latency", "50"),
        ("cpuidle/state2/disable", "1"),
    ] {
        files.push((format!("{CPUS}/cpu0/{key}"), format!("{value}\n")));
    }
    files.push((format!("{CPUS}/intel_pstate/no_turbo"), "1\n".into()));
    files.push((format!("{CPUS}/cpuidle/current_driver"), "no processor".into()));
    let files: Vec<(&str, &str)> = files.iter().map(|f| (f.0.as_str(), f.1.as_str())).collect();
    let (_folder, tree) = tree(&files);
    let found = computer::processor(&tree);
    assert_eq!((found.cores, found.threads), (Some(2), Some(4)));
    assert_eq!((found.most_mhz, found.allowed_mhz, found.now_mhz), (Some(4200.0), Some(2800.0), None));
    assert_eq!((found.governor.as_deref(), found.boost), (Some("powersave"), Some(false)));
    let idle: Vec<_> = found.idle.iter().map(|i| (i.index, i.name.as_str(), i.exit_us, i.disabled)).collect();
    assert_eq!(idle, [(2, "state2", 50, true), (10, "C10", 890, false)]);
}

#[test]
fn memory_is_told_in_gigabytes_and_waiting_only_whole() {
    let text = "MemTotal:       16000000 kB\nMemAvailable:    4000000 kB\nSwapTotal:  2000000 kB\nSwapFree:  500000 kB\n";
    let some = "some avg10=1.50 avg60=0.1 avg300=0.0 total=9\nfull avg10=9.00 avg60=0 avg300=0 total=9\n";
    let files = [("proc/meminfo", text), ("proc/pressure/cpu", some), ("proc/pressure/memory", some)];
    let (folder, tree) = tree(&files);
    let found = computer::memory(&tree);
    let near = |x: Option<f64>, y: f64| (x.unwrap() - y).abs() < 1e-9;
    assert!(near(found.total_gb, 16.384) && near(found.available_gb, 4.096));
    assert!(near(found.swap_used_gb, 1.536));
    // One of three is missing: nothing is told of any.
    assert_eq!(found.waits_percent, None);
    put(folder.path(), "proc/pressure/io", b"some avg10=0.25 avg60=0 avg300=0 total=1\n");
    assert_eq!(computer::memory(&tree).waits_percent, Some([1.5, 1.5, 0.25]));
}

#[test]
fn the_kernel_says_how_it_lets_itself_be_interrupted() {
    let of = |version: &str, line: &str, told: Option<&str>| {
        let mut files = vec![("proc/version", version), ("proc/cmdline", line)];
        files.extend(told.map(|t| ("sys/kernel/debug/sched/preempt", t)));
        let (_folder, tree) = tree(&files);
        let kernel = computer::kernel(&tree);
        (kernel.preemption, kernel.threaded_interrupts)
    };
    let some = |word: &str| Some(word.to_string());
    assert_eq!(of("System 6.1 SMP PREEMPT_RT", "quiet", None), (some("realtime"), Some(true)));
    assert_eq!(of("System 6.1 SMP PREEMPT_DYNAMIC", "quiet", None), (None, Some(false)));
    assert_eq!(
        of("System 6.1 SMP PREEMPT_DYNAMIC", "preempt=full threadirqs", None),
        (some("full"), Some(true))
    );
    let told = of("System 6.1 SMP PREEMPT_DYNAMIC", "preempt=full", Some("none (voluntary) full\n"));
    assert_eq!(told.0, some("voluntary"));
    assert_eq!(of("System 5.4 SMP PREEMPT x", "", None).0, some("full"));
    assert_eq!(of("System 5.4 SMP x", "", None).0, some("voluntary"));
}

#[test]
fn a_battery_counts_only_when_nothing_else_feeds_the_computer() {
    let supplies = |online: &str| {
        let (_folder, tree) = tree(&[
            ("sys/class/power_supply/BAT0/type", "Battery\n"),
            ("sys/class/power_supply/AC/type", "Mains\n"),
            ("sys/class/power_supply/AC/online", online),
            ("sys/class/thermal/thermal_zone0/temp", "61000\n"),
            ("sys/class/thermal/thermal_zone1/temp", "-273000\n"),
        ]);
        let power = computer::power(&tree);
        assert_eq!(power.hottest_c, Some(61.0));
        power.on_battery
    };
    assert_eq!((supplies("0\n"), supplies("1\n"), supplies("?\n")), (Some(true), Some(false), None));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Files of anything at all, in the places that are looked at: whatever they say, there is an inventory.
    #[test]
    fn whatever_the_files_hold_there_is_an_answer(
        contents in prop::collection::vec(prop_oneof![
            any::<Vec<u8>>(),
            "[ 0-9:,/.\\-\\[\\](){}a-zA-Z\n\t]{0,200}".prop_map(String::into_bytes),
        ], 14..15)
    ) {
        const PLACES: [&str; 14] = [
            "proc/asound/cards", "proc/asound/card0/usbbus", "proc/asound/card0/stream0",
            "proc/asound/card0/pcm0p/sub0/hw_params", "proc/interrupts", "proc/meminfo", "proc/cpuinfo",
            "proc/version", "proc/self/limits", "proc/self/status", "proc/timer_list",
            "sys/devices/system/cpu/cpu0/cpufreq/scaling_max_freq", "sys/class/thermal/thermal_zone0/temp",
            "pipewire.json",
        ];
        let folder = TempDir::new().unwrap();
        for (place, content) in PLACES.iter().zip(&contents) {
            put(folder.path(), place, content);
        }
        let found = survey_copy(folder.path());
        let figures = [
            found.memory.total_gb, found.memory.available_gb, found.processor.most_mhz, found.processor.now_mhz,
            found.power.hottest_c, found.kernel.realtime_share,
        ];
        prop_assert!(figures.into_iter().flatten().all(f64::is_finite), "{figures:?}");
        for stream in found.cards.iter().flat_map(|c| &c.streams) {
            prop_assert!(stream.open.as_ref().is_none_or(|o| (8000..=768_000).contains(&o.rate_hz.get())));
        }
        let all = swiftloop_core::survey::findings(&found);
        prop_assert!(all.windows(2).all(|w| w[0].grade <= w[1].grade));
    }
}
