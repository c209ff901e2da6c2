//! Copies of computers that cannot be: figures that no computer has, links that lead out, pipes, lists without end.

use super::laws;
use crate::common::{Folder, copy_tree};
use std::path::Path;

/// The good desktop, to be spoilt.
fn copied() -> Folder {
    let folder = Folder::empty();
    let good = swiftloop_fixtures::computer("good-desktop");
    copy_tree(Path::new(&good), &folder.path("copy"));
    folder
}

fn surveyed(folder: &Folder, about: &str) -> serde_json::Value {
    let text = folder.run(&["survey", "--root", "copy"]);
    laws::hold(&text, about);
    let answer = folder.run(&["survey", "--root", "copy", "--json"]);
    laws::hold(&answer, about);
    assert!(answer.out.len() < 4 << 20, "{about}: {} bytes", answer.out.len());
    serde_json::from_str(&answer.out).unwrap_or_else(|e| panic!("{about}: {e}"))
}

fn put(folder: &Folder, name: &str, content: impl AsRef<[u8]>) {
    let path = folder.path("copy").join(name);
    std::fs::create_dir_all(path.parent().unwrap()).unwrap();
    std::fs::write(path, content).unwrap();
}

#[test]
fn figures_that_no_computer_has_are_missing() {
    let folder = copied();
    put(
        &folder,
        "proc/meminfo",
        "MemTotal: NaN kB\nMemAvailable: inf kB\nSwapTotal: 10 kB\nSwapFree: 1e300 kB\n",
    );
    put(&folder, "proc/cpuinfo", "model name : \u{1b}[31mred\u{202e}\ncpu MHz : -3000\n");
    for cpu in 0..2 {
        let at = format!("sys/devices/system/cpu/cpu{cpu}/cpufreq");
        put(&folder, &format!("{at}/scaling_max_freq"), "1e308\n");
        put(&folder, &format!("{at}/cpuinfo_max_freq"), "-5\n");
        put(&folder, &format!("{at}/scaling_cur_freq"), "-1\n");
    }
    put(&folder, "proc/sys/kernel/sched_rt_runtime_us", "1e300\n");
    put(&folder, "disk-free-gb", "-12\n");
    let said = surveyed(&folder, "impossible figures");
    let inventory = &said["inventory"];
    for gone in ["total_gb", "available_gb", "swap_used_gb"] {
        assert!(inventory["memory"][gone].is_null(), "{gone}: {}", inventory["memory"]);
    }
    for gone in ["allowed_mhz", "most_mhz", "now_mhz"] {
        assert!(inventory["processor"][gone].is_null(), "{gone}: {}", inventory["processor"][gone]);
    }
    assert!(inventory["disk_free_gb"].is_null() && inventory["kernel"]["realtime_share"].is_null());
}

#[cfg(unix)]
#[test]
fn nothing_outside_of_the_copy_is_read() {
    use std::os::unix::fs::symlink;
    let folder = copied();
    folder.write("secret", "MemTotal: 64000000 kB\n");
    std::fs::create_dir_all(folder.path("away/card7")).unwrap();
    folder.write("away/card7/stream0", "box\n\nPlayback:\n  Format: SECRET\n  Rates: 48000\n");
    let copy = folder.path("copy");
    let relink = |name: &str, to: &Path| {
        let path = copy.join(name);
        let _ = std::fs::remove_file(&path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        symlink(to, &path).unwrap();
    };
    relink("proc/meminfo", &folder.path("secret"));
    relink("proc/sys/kernel/hostname", Path::new("/etc/passwd"));
    relink("proc/cpuinfo", Path::new("../../secret"));
    relink("proc/version", Path::new("/dev/zero"));
    relink("proc/asound/card7", &folder.path("away/card7"));
    put(&folder, "proc/asound/cards", " 7 [Box            ]: USB-Audio - box\n   a box\n");
    let answer = folder.run(&["survey", "--root", "copy", "--json"]);
    laws::hold(&answer, "links");
    assert!(!answer.out.contains("SECRET") && !answer.out.contains("root:x"), "{}", answer.out);
    let said: serde_json::Value = serde_json::from_str(&answer.out).unwrap();
    assert!(said["inventory"]["memory"]["total_gb"].is_null() && said["inventory"]["name"].is_null());
    // A link within the copy is one of its own.
    relink("proc/sys/kernel/hostname", Path::new("../../../own-name"));
    put(&folder, "own-name", "boathouse\n");
    assert_eq!(surveyed(&folder, "links within")["inventory"]["name"], "boathouse");
}

#[cfg(target_os = "linux")]
#[test]
fn a_pipe_is_not_waited_for() {
    let folder = copied();
    for name in ["proc/meminfo", "proc/cpuinfo", "proc/asound/cards"] {
        let path = folder.path("copy").join(name);
        let _ = std::fs::remove_file(&path);
        assert!(std::process::Command::new("mkfifo").arg(&path).status().unwrap().success());
    }
    let begun = std::time::Instant::now();
    let _ = folder.run(&["survey", "--root", "copy", "--json"]);
    assert!(begun.elapsed() < std::time::Duration::from_secs(20));
}

#[test]
fn lists_without_end_have_one() {
    let folder = copied();
    let cards: String =
        (0..5000).map(|n| format!("{n:3} [C{n}            ]: USB-Audio - box {n}\n   a box\n")).collect();
    put(&folder, "proc/asound/cards", cards);
    for n in 0..40 {
        put(
            &folder,
            &format!("proc/asound/card{n}/stream0"),
            "box\n\nPlayback:\n".to_string() + &"  Format: S16_LE\n  Rates: 48000\n".repeat(40_000),
        );
        put(&folder, &format!("proc/asound/card{n}/usbbus"), "001/004\n");
    }
    for n in 0..6000 {
        put(&folder, &format!("sys/bus/usb/devices/1-{n}/busnum"), "1\n");
    }
    for n in 0..3000 {
        std::fs::create_dir_all(
            folder.path("copy").join(format!("sys/devices/system/cpu/cpu{n}/cpuidle/state0")),
        )
        .unwrap();
    }
    put(&folder, "proc/sys/kernel/hostname", "n".repeat(3 << 20));
    let begun = std::time::Instant::now();
    let said = surveyed(&folder, "endless lists");
    assert!(begun.elapsed() < std::time::Duration::from_secs(100), "{:?}", begun.elapsed());
    assert!(said["inventory"]["cards"].as_array().unwrap().len() <= 64);
    let unseen = said["inventory"]["unseen"].to_string();
    assert!(unseen.contains("sound cards: only the first 64"), "{unseen}");
}

/// A million names where a computer has a few: what is looked at has an end, and so does the answer.
#[cfg(unix)]
#[test]
fn a_million_files_are_not_waited_for() {
    let folder = copied();
    let mut made = 0;
    for place in ["proc/asound", "sys/bus/usb/devices", "sys/devices/system/cpu", "sys/class/net"] {
        let place = folder.path("copy").join(place);
        std::fs::create_dir_all(&place).unwrap();
        for name in 0..250_000 {
            // Names only, of a few files: file systems let one have some ten thousand of them.
            // Beyond those that the copy has.
            let named = |n: u32| place.join(format!("cpu{}", n + 1000));
            if name % 30_000 == 0 {
                std::fs::write(named(name), "1\n").unwrap();
            } else {
                std::fs::hard_link(named(name / 30_000 * 30_000), named(name)).unwrap();
            }
            made += 1;
        }
    }
    assert_eq!(made, 1_000_000);
    let begun = std::time::Instant::now();
    surveyed(&folder, "a million files");
    assert!(begun.elapsed() < super::mutants::PATIENCE, "{:?}", begun.elapsed());
}
