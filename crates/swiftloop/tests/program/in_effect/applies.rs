//! `apply` on copies: every file that is set, and back byte for byte; what is refused, what somebody else changed.

use super::{NONE, changed, content, copied, settings};
use crate::common::{Answer, Folder};
use std::os::unix::fs::{MetadataExt, PermissionsExt, chown};

const APPLY: [&str; 6] = ["apply", "settings.toml", "--root", "copy", "--yes", "--json"];
const BACK: [&str; 4] = ["apply", "--back", "--root", "copy"];

/// Settings, and a copy on which much is otherwise.
fn folder(changes: &[(&str, &str)]) -> Folder {
    let folder = Folder::empty();
    folder.write("settings.toml", settings(changes));
    copied(&folder, "bad-laptop", "copy");
    folder
}

fn json(answer: &Answer) -> serde_json::Value {
    serde_json::from_str(&answer.out).unwrap_or_else(|e| panic!("{e}: {} {}", answer.out, answer.err))
}

fn set(answer: &Answer) -> Vec<String> {
    let all = json(answer)["set"].as_array().unwrap().clone();
    all.iter().map(|s| s["what"]["lever"].as_str().unwrap().to_string()).collect()
}

#[test]
fn all_that_can_be_set_is_set_and_goes_back_byte_for_byte() {
    let folder =
        folder(&[("driver", "driver = \"pipewire\""), ("interface_name", "interface_name = \"box\"")]);
    let before = content(&folder.path("copy"));
    let answer = folder.run(&APPLY);
    assert_eq!(answer.code, 1, "much is left to the hands: {}", answer.err);
    let mut kinds = set(&answer);
    kinds.dedup();
    assert_eq!(
        kinds,
        ["forced-buffer", "governor", "most-clock", "idle-off", "usb-power", "realtime-share"],
        "{}",
        answer.out
    );
    let read = |name: &str| folder.read(&format!("copy/{name}"));
    assert_eq!(read("sys/devices/system/cpu/cpu0/cpufreq/scaling_governor"), "performance\n");
    assert_eq!(read("proc/sys/kernel/sched_rt_runtime_us"), "950000\n");
    // What was just set is no difference any more, and setting it again sets nothing.
    let left: Vec<String> = json(&answer)["still_differs"]
        .as_array()
        .unwrap()
        .iter()
        .map(|d| d["id"].as_str().unwrap().to_string())
        .collect();
    for cured in ["power", "limited-clock", "idle", "realtime-share", "buffer", "usb-autosuspend"] {
        assert!(!left.contains(&cured.to_string()), "{left:?}");
    }
    assert_eq!(set(&folder.run(&APPLY)), Vec::<String>::new());
    let back = folder.run(&BACK);
    assert!(
        back.code == 0 && back.out.contains("Everything is as it was before"),
        "{}{}",
        back.out,
        back.err
    );
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
    let twice = folder.run(&BACK);
    assert!(twice.code == 0 && twice.out.contains("nothing to put back"), "{}", twice.out);
}

#[test]
fn nothing_is_set_that_nobody_agreed_to() {
    let folder = folder(&[]);
    let before = content(&folder.path("copy"));
    let asked = folder.run(&["apply", "settings.toml", "--root", "copy"]);
    assert!(asked.code == 2 && asked.err.contains("--yes"), "{} {}", asked.code, asked.err);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
    // Only what was named.
    let clocks = folder.run(&[&APPLY[..], &["--only", "clocks"]].concat());
    assert_eq!(set(&clocks), ["governor", "most-clock"]);
    folder.run(&BACK);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
}

#[test]
fn without_a_confirmation_everything_goes_back() {
    let folder = folder(&[]);
    let before = content(&folder.path("copy"));
    let answer = folder.run(&[&APPLY[..], &["--confirm-within", "1s"]].concat());
    assert_eq!(answer.code, 1);
    assert!(json(&answer)["went_back"].as_array().unwrap().len() >= 4, "{}", answer.out);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
    assert!(folder.run(&BACK).out.contains("nothing to put back"));
}

#[test]
fn the_next_phase_sets_only_what_differs_and_back_leads_before_the_first() {
    let first = settings(&[("driver", "driver = \"pipewire\"")]);
    let second = settings(&[
        ("driver", "driver = \"pipewire\""),
        ("phase", "phase = \"mixing\""),
        ("buffer_frames", "buffer_frames = 1024"),
        ("buffer", "buffer = \"1024\""),
    ]);
    let phase = second.split_once("[[phase]]").unwrap().1;
    let folder = folder(&[]);
    folder.write("settings.toml", format!("{first}\n[[phase]]{phase}"));
    let before = content(&folder.path("copy"));
    let of = |phase: &str| set(&folder.run(&[&APPLY[..], &["--phase", phase]].concat()));
    assert!(of("tracking").len() >= 5);
    assert_eq!(of("mixing"), ["forced-buffer"]);
    let mut files = std::fs::read_dir(folder.path(".state/swiftloop")).unwrap().map(|e| e.unwrap().path());
    let journal = files.find(|p| p.extension().is_some_and(|e| e == "jsonl")).unwrap();
    assert_eq!(std::fs::metadata(&journal).unwrap().permissions().mode() & 0o777, 0o600);
    assert_eq!(folder.run(&BACK).code, 0);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
}

#[test]
fn what_somebody_changed_meanwhile_stays_and_is_told() {
    let folder = folder(&[]);
    folder.run(&APPLY);
    let governor = "copy/sys/devices/system/cpu/cpu0/cpufreq/scaling_governor";
    folder.write(governor, "schedutil\n");
    let vanished = folder.path("copy/sys/devices/system/cpu/cpu0/cpuidle/state3/disable");
    std::fs::remove_file(vanished).unwrap();
    let back = folder.run(&BACK);
    assert_eq!(back.code, 0, "{}", back.err);
    for says in ["changed by somebody else", "somebody set it to schedutil", "not there any more"] {
        assert!(back.out.contains(says), "{says}: {}", back.out);
    }
    assert_eq!(folder.read(governor), "schedutil\n");
    assert_eq!(folder.read("copy/proc/sys/kernel/sched_rt_runtime_us"), "600000\n");
}

#[test]
fn read_only_and_lying_files_are_told_and_the_rest_is_set() {
    let folder = folder(&[]);
    let at = |name: &str| folder.path(&format!("copy/sys/devices/system/cpu/cpu0/{name}"));
    std::fs::set_permissions(at("cpufreq/scaling_governor"), std::fs::Permissions::from_mode(0o444)).unwrap();
    // One that leads out of the copy, to a file that must not be touched.
    folder.write("mine", "2800000\n");
    std::fs::remove_file(at("cpufreq/scaling_max_freq")).unwrap();
    std::os::unix::fs::symlink(folder.path("mine"), at("cpufreq/scaling_max_freq")).unwrap();
    let before = content(&folder.path("copy"));
    let answer = folder.run(&APPLY);
    let refused = json(&answer)["refused"].clone();
    let whys: Vec<&str> = refused.as_array().unwrap().iter().map(|r| r["why"].as_str().unwrap()).collect();
    // What leads out of the copy is not even read, so nothing is asked of it.
    assert_eq!(whys.len(), 1, "{refused}");
    assert_eq!(set(&answer), ["idle-off", "realtime-share"]);
    assert_eq!(folder.read("mine"), "2800000\n");
    assert_eq!(folder.run(&BACK).code, 0);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
}

#[test]
fn files_of_others_are_refused_before_anything_is_set() {
    let folder = folder(&[]);
    let before = content(&folder.path("copy"));
    let file = folder.path("settings.toml");
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o666)).unwrap();
    let open = folder.run(&APPLY);
    assert!(open.code == 2 && open.err.contains("others may write into it"), "{}", open.err);
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o644)).unwrap();
    // Only the superuser can give a file away.
    if std::fs::metadata(&file).unwrap().uid() == 0 {
        chown(&file, Some(4242), None).unwrap();
        let theirs = folder.run(&APPLY);
        assert!(theirs.code == 2 && theirs.err.contains("another user"), "{}", theirs.err);
        chown(&file, Some(0), None).unwrap();
        // A journal of somebody else leads to nothing either.
        folder.run(&APPLY);
        let state = folder.path(".state/swiftloop");
        let journals = std::fs::read_dir(&state).unwrap().map(|e| e.unwrap().path());
        for path in journals.filter(|p| p.extension().is_some_and(|e| e == "jsonl")) {
            chown(path, Some(4242), None).unwrap();
        }
        let set = content(&folder.path("copy"));
        let back = folder.run(&BACK);
        assert!(back.code == 2 && back.err.contains("another user"), "{}", back.err);
        assert_eq!(changed(&set, &content(&folder.path("copy"))), NONE);
        return;
    }
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
}

#[test]
fn a_place_that_leads_elsewhere_is_no_place() {
    let folder = folder(&[("interface_name", "interface_name = \"two-channel desk box\"")]);
    // The card says where it hangs; a folder of that name is looked for among the bus's own only.
    folder.write("copy/proc/asound/card1/usbbus", "../../../x/y\n");
    let answer = folder.run(&APPLY);
    assert!((0..=1).contains(&answer.code), "{}", answer.err);
    assert!(!set(&answer).contains(&"usb-power".to_string()));
}

#[test]
fn the_interfaces_interrupt_goes_to_the_cores_that_the_plan_leaves() {
    let folder =
        folder(&[("interface_name", "interface_name = \"built-in sound\""), ("workers", "workers = 3")]);
    // Four cores of two threads each: the last core are the threads 3 and 7.
    std::fs::create_dir_all(folder.path("copy/proc/irq/16")).unwrap();
    folder.write("copy/proc/irq/16/smp_affinity_list", "0-7\n");
    let before = content(&folder.path("copy"));
    let only = folder.run(&[&APPLY[..], &["--only", "interrupts"]].concat());
    assert_eq!(set(&only), ["interrupt-cores"], "{}", only.err);
    assert_eq!(folder.read("copy/proc/irq/16/smp_affinity_list"), "3,7\n");
    // As the system may write it by then: the same cores.
    folder.write("copy/proc/irq/16/smp_affinity_list", "7,3\n");
    assert_eq!(folder.run(&BACK).code, 0);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
}
