//! An end at any moment, a disk that refuses at any moment, two at once, a clock that was set back: what was there before is
//! there, or the new whole; never half of it, and nothing is left that the next run does not clear away.

use super::inject::{CALLS, Fault, can_inject, injected};
use super::writers::{Around, WRITERS, Writer, folder};
use crate::common::Folder;
use std::collections::BTreeMap;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant, SystemTime};

/// All files below a folder but unfinished ones, with their content.
fn content(folder: &Folder) -> BTreeMap<String, Vec<u8>> {
    let mut all = BTreeMap::new();
    let mut open = vec![folder.root().to_path_buf()];
    while let Some(at) = open.pop() {
        for entry in std::fs::read_dir(at).unwrap().flatten() {
            let path = entry.path();
            let name = path.strip_prefix(folder.root()).unwrap().to_string_lossy().into_owned();
            let own = [".swiftloop-new-", ".state", ".kept"];
            if path.is_dir() {
                open.push(path);
            } else if !own.iter().any(|o| name.contains(o)) {
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

fn begun(folder: &Folder, args: &[impl AsRef<str>]) -> Child {
    Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(args.iter().map(AsRef::as_ref))
        .current_dir(folder.root())
        .env("XDG_STATE_HOME", folder.root().join(".state"))
        .env("XDG_DATA_HOME", folder.root().join(".kept"))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

/// The same once more, to the end: whether it did what it was asked to. What listens for a while is asked again where the
/// machine stood still.
fn done_again(folder: &Folder, writer: &Writer, args: &[String]) -> bool {
    let tries = if writer.takes_its_time() { 5 } else { 1 };
    (0..tries).any(|_| begun(folder, args).wait().unwrap().code().is_some_and(|c| c <= 1))
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
    asked_kills().unwrap_or(3)
}

/// As somebody asked for.
pub fn asked_kills() -> Option<u32> {
    std::env::var("SWIFTLOOP_KILLS").ok().and_then(|n| n.parse().ok())
}

/// How many calls of a kind are tried: all of them when somebody asks for many faults, or where it takes no time.
fn times(writer: &Writer, all: u32) -> u32 {
    if writer.takes_its_time() && asked_kills().is_none() { 1 } else { all }
}

#[test]
fn an_end_at_any_moment_loses_nothing_and_leaves_nothing_half() {
    let mut random = fastrand::Rng::with_seed(0x51);
    let around = Around::new();
    for writer in WRITERS.iter().filter(|w| around.has(w)) {
        let (args, _alone) = (around.args(writer), writer.alone());
        // How long it takes when nobody disturbs it.
        let whole = folder();
        let start = Instant::now();
        assert!(done_again(&whole, writer, &args), "{args:?}");
        let takes = start.elapsed();
        let (mut kept, mut new, mut left) = (0, 0, 0);
        for n in 0..kills() {
            let folder = folder();
            let before = content(&folder);
            let mut child = begun(&folder, &args);
            std::thread::sleep(takes.mul_f64(random.f64() * 1.05));
            let _ = child.kill();
            child.wait().unwrap();
            let about = format!("{}, end {n}", writer.name());
            let was_new = judge(&folder, writer, &before, &about);
            (kept, new) = (kept + u32::from(!was_new), new + u32::from(was_new));
            left += unfinished(&folder);
            // What it was asked to do can be done now, and what it left is gone.
            let again = done_again(&folder, writer, &args);
            assert!(again || was_new, "{about}: cannot be done again");
            if again {
                let now = String::from_utf8_lossy(&content(&folder)[writer.file]).into_owned();
                assert!((writer.whole)(&now), "{about}: not whole when done again");
                assert_eq!(unfinished(&folder), 0, "{about}: an unfinished file is left for good");
            }
        }
        println!(
            "{}: {} ends, {kept} as before, {new} new and whole, {left} unfinished left and cleared",
            writer.name(),
            kills()
        );
    }
}

#[test]
fn a_disk_that_refuses_at_any_call_loses_nothing() {
    if !can_inject() {
        return;
    }
    let around = Around::new();
    for writer in WRITERS.iter().filter(|w| around.has(w)) {
        let (args, _alone) = (around.args(writer), writer.alone());
        let (mut tried, mut refused) = (0, 0);
        for calls in CALLS {
            for when in 1..=times(writer, calls.times) {
                let folder = folder();
                let before = content(&folder);
                let answer =
                    injected(&folder, &args, &["", "made", writer.file], (calls, Fault::Refused, when));
                let about = format!("{}, {} {when} refused with {}", writer.name(), calls.names, calls.error);
                assert!(
                    (0..=3).contains(&answer.code) && !answer.err.contains("panicked"),
                    "{about}: {} {}",
                    answer.code,
                    answer.err
                );
                judge(&folder, writer, &before, &about);
                tried += 1;
                refused += u32::from(answer.code >= 2);
            }
        }
        println!(
            "{}: {tried} calls refused, {refused} times it could not be done and said so",
            writer.name()
        );
        assert!(refused >= times(writer, 3), "{}: faults were not felt", writer.name());
    }
}

/// As the loss of power would: at the very call that syncs a file, names it or writes it.
#[test]
fn an_end_at_the_worst_call_loses_nothing() {
    if !can_inject() {
        return;
    }
    let around = Around::new();
    for writer in WRITERS.iter().filter(|w| around.has(w)) {
        let (args, _alone) = (around.args(writer), writer.alone());
        let (mut ended, mut left) = (0, 0);
        for calls in CALLS {
            for when in 1..=times(writer, calls.times) {
                let folder = folder();
                let before = content(&folder);
                let answer =
                    injected(&folder, &args, &["", "made", writer.file], (calls, Fault::Ended, when));
                let about = format!("{}, ended at {} {when}", writer.name(), calls.names);
                judge(&folder, writer, &before, &about);
                ended += u32::from(!(0..=3).contains(&answer.code));
                left += unfinished(&folder);
                if done_again(&folder, writer, &args) {
                    assert_eq!(unfinished(&folder), 0, "{about}: an unfinished file is left for good");
                }
            }
        }
        println!("{}: {ended} ends at a call, {left} unfinished files left and cleared", writer.name());
        assert!(ended >= times(writer, 3), "{}: nothing was ended", writer.name());
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
