//! An end at any moment, a disk that refuses at any moment, two at once, a clock that was set back: what was there before is
//! there, or the new whole; never half of it, and nothing is left that the next run does not clear away.

use crate::common::{Answer, Folder};
use std::collections::BTreeMap;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant, SystemTime};

/// A command that writes: its options, what it writes, and what has to hold of that file when it is there.
struct Writer {
    args: &'static [&'static str],
    file: &'static str,
    whole: fn(&str) -> bool,
}

const WRITERS: [Writer; 11] = [
    Writer {
        args: &["plan", "rig.toml", "session.toml", "--svg", "plan.svg", "--force"],
        file: "plan.svg",
        whole: |text| text.starts_with("<svg") && text.trim_end().ends_with("</svg>"),
    },
    Writer {
        args: &["sheet", "rig.toml", "session.toml", "--out", "sheet.html", "--force"],
        file: "sheet.html",
        whole: |text| text.trim_end().ends_with("</html>"),
    },
    Writer { args: &["new", "made"], file: "made/session.toml", whole: |text| text.contains("[[track]]") },
    Writer {
        args: &[
            "note",
            "rig.toml",
            "session.toml",
            "--interface",
            "rack",
            "--phase",
            "tracking",
            "--dropouts",
            "2",
            "--minutes",
            "20",
        ],
        file: "notes.toml",
        whole: |text| text.contains("[[note]]") && toml_is_whole(text),
    },
    Writer {
        args: &["survey", "--root", "computer", "--save", "rig.toml"],
        file: "rig.toml",
        whole: |text| text.starts_with("# The boathouse") && toml_is_whole(text),
    },
    Writer {
        args: &["probe", "make", "--out", "probe.wav", "--force"],
        file: "probe.wav",
        whole: |text| text.len() > 100_000,
    },
    Writer {
        args: &["import", "recordings", "--into", "made/session.toml", "--force"],
        file: "made/session.toml",
        whole: toml_is_whole,
    },
    Writer {
        args: &[
            "probe",
            "fit",
            "128=loop-128.wav",
            "256=loop-256.wav",
            "512=loop-512.wav",
            "--save",
            "rig.toml",
            "--interface",
            "rack",
            "--driver",
            "asio",
        ],
        file: "rig.toml",
        whole: |text| text.starts_with("# The boathouse") && toml_is_whole(text),
    },
    Writer {
        args: &["trace", "read", "mixing.trace.txt", "--ranking", "ranking.svg", "--force"],
        file: "ranking.svg",
        whole: |text| text.starts_with("<svg") && text.trim_end().ends_with("</svg>"),
    },
    Writer {
        args: &["link", "plan", "loft-link.json", "--svg", "link.svg", "--force"],
        file: "link.svg",
        whole: |text| text.starts_with("<svg") && text.trim_end().ends_with("</svg>"),
    },
    Writer {
        args: &["man", "--into", "made", "--force"],
        file: "made/swiftloop-plan.1",
        whole: |text| text.contains(".SH OPTIONS"),
    },
];

/// Every list and table that begins also ends: what was cut off seldom does.
fn toml_is_whole(text: &str) -> bool {
    text.ends_with('\n')
        && text.matches('[').count() == text.matches(']').count()
        && text.matches('"').count().is_multiple_of(2)
}

fn folder() -> Folder {
    let folder = Folder::with_demo();
    let good = format!("{}/demo/computers/good-desktop", env!("CARGO_MANIFEST_DIR"));
    crate::common::copy_tree(std::path::Path::new(&good), &folder.path("computer"));
    std::fs::create_dir(folder.path("recordings")).unwrap();
    std::fs::create_dir(folder.path("made")).unwrap();
    for name in ["Fiddle.wav", "Harp.wav"] {
        let wav = folder.files().into_iter().find(|f| f.ends_with(".wav")).expect("the demo has recordings");
        std::fs::hard_link(folder.path(&wav), folder.path("recordings").join(name)).unwrap();
    }
    folder
}

/// All files below a folder but unfinished ones, with their content.
fn content(folder: &Folder) -> BTreeMap<String, Vec<u8>> {
    let mut all = BTreeMap::new();
    let mut open = vec![folder.root().to_path_buf()];
    while let Some(at) = open.pop() {
        for entry in std::fs::read_dir(at).unwrap().flatten() {
            let path = entry.path();
            let name = path.strip_prefix(folder.root()).unwrap().to_string_lossy().into_owned();
            if path.is_dir() {
                open.push(path);
            } else if !name.contains(".swiftloop-new-") && !name.contains(".state") && !name.contains(".kept")
            {
                all.insert(name, std::fs::read(path).unwrap());
            }
        }
    }
    all
}

fn unfinished(folder: &Folder) -> usize {
    let names = |at: std::path::PathBuf| std::fs::read_dir(at).into_iter().flatten().flatten();
    let here = names(folder.root().to_path_buf()).chain(names(folder.path("made")));
    here.filter(|e| e.file_name().to_string_lossy().starts_with(".swiftloop-new-")).count()
}

fn begun(folder: &Folder, args: &[&str]) -> std::process::Child {
    Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(args)
        .current_dir(folder.root())
        .env("XDG_STATE_HOME", folder.root().join(".state"))
        .env("XDG_DATA_HOME", folder.root().join(".kept"))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

/// After a fault: the file is as it was, or new and whole; everything else is untouched; and the same command then works.
fn judge(folder: &Folder, writer: &Writer, before: &BTreeMap<String, Vec<u8>>, about: &str) -> bool {
    let now = content(folder);
    let own = |name: &str| name == writer.file || name.starts_with("made/");
    for (name, bytes) in before {
        assert!(own(name) || now.get(name) == Some(bytes), "{about}: {name} changed");
    }
    let strange: Vec<&String> = now.keys().filter(|n| !before.contains_key(*n) && !own(n)).collect();
    assert!(strange.is_empty(), "{about}: left behind {strange:?}");
    match (now.get(writer.file), before.get(writer.file)) {
        (Some(now), Some(before)) if now == before => false,
        (Some(now), _) => {
            assert!((writer.whole)(&String::from_utf8_lossy(now)), "{about}: {} is not whole", writer.file);
            true
        }
        (None, None) => false,
        (None, Some(_)) => panic!("{about}: {} is gone", writer.file),
    }
}

/// How often each is ended: a few times in every run of the tests, a hundred times when asked (`SWIFTLOOP_KILLS=100`), which
/// the reliability table is made from.
fn kills() -> u32 {
    std::env::var("SWIFTLOOP_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(3)
}

#[test]
fn an_end_at_any_moment_loses_nothing_and_leaves_nothing_half() {
    let mut random = 0x51u64;
    for writer in &WRITERS {
        // How long it takes when nobody disturbs it.
        let whole = folder();
        let start = Instant::now();
        assert!(
            begun(&whole, writer.args).wait().unwrap().code().is_some_and(|c| c <= 1),
            "{:?}",
            writer.args
        );
        let takes = start.elapsed();
        let (mut kept, mut new, mut left) = (0, 0, 0);
        for n in 0..kills() {
            let folder = folder();
            let before = content(&folder);
            random = random.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            let mut child = begun(&folder, writer.args);
            std::thread::sleep(takes.mul_f64((random >> 40) as f64 / f64::from(1 << 24) * 1.05));
            let _ = child.kill();
            child.wait().unwrap();
            let about = format!("{:?}, end {n}", writer.args);
            let was_new = judge(&folder, writer, &before, &about);
            (kept, new) = (kept + u32::from(!was_new), new + u32::from(was_new));
            left += unfinished(&folder);
            // What it was asked to do can be done now, and what it left is gone.
            let again = begun(&folder, writer.args).wait().unwrap();
            assert!(again.code().is_some_and(|c| c <= 1 || was_new), "{about}: {again:?}");
            if again.code().is_some_and(|c| c <= 1) {
                let now = String::from_utf8_lossy(&content(&folder)[writer.file]).into_owned();
                assert!((writer.whole)(&now), "{about}: not whole when done again");
                assert_eq!(unfinished(&folder), 0, "{about}: an unfinished file is left for good");
            }
        }
        println!(
            "{}: {} ends, {kept} as before, {new} new and whole, {left} unfinished left and cleared",
            writer.args[..2].join(" "),
            kills()
        );
    }
}

/// A tool that makes the system refuse a call: the program's own code is the one that ships.
fn can_inject() -> bool {
    let tried = Command::new("strace").args(["-o", "/dev/null", "-e", "trace=none", "true"]).status();
    let can = tried.is_ok_and(|s| s.success());
    if !can {
        eprintln!("no strace, or no right to trace: no faults are injected here");
    }
    can
}

/// What the system is made to do at a call of a kind: refuse it, or end the program then and there. Files are synced and get
/// their names only where we save; writes are the terminal's too, and folders are opened by everybody: of those only the
/// ones in our folder.
const CALLS: [(&str, &str, bool, u32); 4] = [
    ("fsync", "EIO", false, 2),
    ("write", "ENOSPC", false, 4),
    ("rename,renameat,renameat2,link,linkat", "EROFS", false, 2),
    ("openat", "EROFS", true, 2),
];

/// Runs a command with something injected; its exit code, below zero where it was ended.
fn injected(folder: &Folder, writer: &Writer, (call, what, only_ours): (&str, &str, bool)) -> Answer {
    let mut strace = Command::new("strace");
    strace.args(["-f", "-q", "-o", "/dev/null", "-e", &format!("inject={call}:{what}")]);
    if only_ours {
        for name in ["", "made", writer.file] {
            strace.arg("-P").arg(folder.path(name));
        }
    }
    let out = strace
        .arg(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(writer.args)
        .current_dir(folder.root())
        .env("XDG_STATE_HOME", folder.root().join(".state"))
        .env("XDG_DATA_HOME", folder.root().join(".kept"))
        .output()
        .unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Answer { code: out.status.code().unwrap_or(-1), out: text(&out.stdout), err: text(&out.stderr) }
}

#[test]
fn a_disk_that_refuses_at_any_call_loses_nothing() {
    if !can_inject() {
        return;
    }
    for writer in &WRITERS {
        let (mut tried, mut refused) = (0, 0);
        for (call, error, only_ours, times) in CALLS {
            for when in 1..=times {
                let folder = folder();
                let before = content(&folder);
                let answer =
                    injected(&folder, writer, (call, &format!("error={error}:when={when}"), only_ours));
                let about = format!("{:?}, {call} {when} refused with {error}", writer.args);
                assert!(
                    (0..=3).contains(&answer.code) && !answer.err.contains("panicked"),
                    "{about}: {}",
                    answer.err
                );
                judge(&folder, writer, &before, &about);
                tried += 1;
                refused += u32::from(answer.code == 2);
            }
        }
        println!(
            "{}: {tried} calls refused, {refused} times it could not be done and said so",
            writer.args[..2].join(" ")
        );
        assert!(refused >= 3, "{:?}: faults were not felt", writer.args);
    }
}

/// As the loss of power would: at the very call that syncs a file, names it or writes it.
#[test]
fn an_end_at_the_worst_call_loses_nothing() {
    if !can_inject() {
        return;
    }
    for writer in &WRITERS {
        let (mut ended, mut left) = (0, 0);
        for (call, _, only_ours, times) in CALLS {
            for when in 1..=times {
                let folder = folder();
                let before = content(&folder);
                let answer =
                    injected(&folder, writer, (call, &format!("signal=KILL:when={when}"), only_ours));
                let about = format!("{:?}, ended at {call} {when}", writer.args);
                judge(&folder, writer, &before, &about);
                ended += u32::from(!(0..=3).contains(&answer.code));
                left += unfinished(&folder);
                let again = begun(&folder, writer.args).wait().unwrap();
                if again.code().is_some_and(|c| c <= 1) {
                    assert_eq!(unfinished(&folder), 0, "{about}: an unfinished file is left for good");
                }
            }
        }
        println!(
            "{}: {ended} ends at a call, {left} unfinished files left and cleared",
            writer.args[..2].join(" ")
        );
        assert!(ended >= 3, "{:?}: nothing was ended", writer.args);
    }
}

#[test]
fn two_at_once_lose_nothing_of_each_other() {
    let folder = folder();
    let note = |who: &str| {
        begun(
            &folder,
            &[
                "note",
                "rig.toml",
                "session.toml",
                "--interface",
                "rack",
                "--phase",
                "tracking",
                "--dropouts",
                who,
                "--minutes",
                "20",
            ],
        )
    };
    let all: Vec<_> = (1..=8).map(|n| note(&n.to_string())).collect();
    for mut child in all {
        assert_eq!(child.wait().unwrap().code(), Some(0));
    }
    let notes = folder.read("notes.toml");
    assert_eq!(notes.lines().filter(|l| *l == "[[note]]").count(), 8, "{notes}");
    // Whoever comes second finds the first one's file, whole.
    let mut codes: Vec<i32> = (0..4)
        .map(|_| begun(&folder, &["plan", "rig.toml", "session.toml", "--svg", "one.svg"]))
        .collect::<Vec<_>>()
        .into_iter()
        .map(|mut child| child.wait().unwrap().code().unwrap())
        .collect();
    codes.sort_unstable();
    assert_eq!(codes, [1, 2, 2, 2], "one drew, and three found it drawn");
    assert_eq!(unfinished(&folder), 0);
}

/// Files from tomorrow: a clock that was set back, or never set, changes no answer.
#[test]
fn a_clock_that_was_set_back_changes_nothing() {
    let folder = folder();
    let said = folder.run(&["plan", "rig.toml", "session.toml", "--json"]);
    let tomorrow = SystemTime::now() + Duration::from_secs(400 * 86_400);
    for name in ["rig.toml", "session.toml", "loft-link.json"] {
        let file = std::fs::OpenOptions::new().write(true).open(folder.path(name)).unwrap();
        file.set_modified(tomorrow).unwrap();
    }
    let left = folder.path(".swiftloop-new-left");
    std::fs::write(&left, "half").unwrap();
    std::fs::OpenOptions::new().write(true).open(&left).unwrap().set_modified(tomorrow).unwrap();
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml", "--json"]).out, said.out);
    assert!(folder.run(&["plan", "rig.toml", "session.toml", "--svg", "plan.svg"]).code <= 1);
    assert!(!left.exists(), "what a run left is cleared by what nobody holds, not by its age");
}
