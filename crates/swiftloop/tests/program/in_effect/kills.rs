//! Killed without a chance to do anything about it, at random instants or at the worst call, while it sets and while it goes
//! back, with and without its guard, or refused a call by the system: the journal leads home, byte for byte.

use super::{NONE, changed, content, copied, settings};
use crate::common::{Folder, copy_tree};
use crate::hostile::faults::asked_kills;
use crate::hostile::inject::{CALLS, Fault, can_inject, injected};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const CPUS: usize = 24;

/// A copy with many processors, so that there are many steps to be killed at.
fn folder() -> Folder {
    let folder = Folder::empty();
    folder.write("settings.toml", settings(&[]));
    copied(&folder, "bad-laptop", "copy");
    let cpus = folder.path("copy/sys/devices/system/cpu");
    for cpu in 1..CPUS {
        copy_tree(&cpus.join("cpu0"), &cpus.join(format!("cpu{cpu}")));
    }
    folder
}

fn start(folder: &Folder, args: &[&str]) -> Child {
    Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(args)
        .current_dir(folder.root())
        .env("XDG_STATE_HOME", folder.path(".state"))
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

/// Processes that it started.
fn children(of: u32) -> Vec<String> {
    let text = std::fs::read_to_string(format!("/proc/{of}/task/{of}/children")).unwrap_or_default();
    text.split_whitespace().map(String::from).collect()
}

fn kill(mut child: Child, guard_too: bool) {
    let guards = children(child.id());
    child.kill().unwrap();
    if guard_too {
        let _ = Command::new("kill").arg("-9").args(&guards).stderr(Stdio::null()).status();
    }
    child.wait().unwrap();
    // The guard does its work now, or is gone.
    let patience = Instant::now() + Duration::from_secs(20);
    while guards.iter().any(|g| is_alive(g)) && Instant::now() < patience {
        std::thread::sleep(Duration::from_millis(2));
    }
}

fn is_alive(process: &str) -> bool {
    let stat = std::fs::read_to_string(Path::new("/proc").join(process).join("stat")).unwrap_or_default();
    !stat.is_empty() && !stat.contains(") Z ")
}

/// How long it takes undisturbed.
fn takes(folder: &Folder, args: &[&str]) -> Duration {
    let begun = Instant::now();
    start(folder, args).wait().unwrap();
    begun.elapsed()
}

const APPLY: [&str; 5] = ["apply", "settings.toml", "--root", "copy", "--yes"];
const BACK: [&str; 4] = ["apply", "--back", "--root", "copy"];

#[test]
fn killed_at_any_instant_of_setting_and_going_back_it_leads_home() {
    let folder = folder();
    let before = content(&folder.path("copy"));
    let whole = takes(&folder, &APPLY);
    assert_ne!(changed(&before, &content(&folder.path("copy"))), NONE);
    let whole_back = takes(&folder, &BACK);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
    let mut random = fastrand::Rng::with_seed(9);
    let mut cut_off = 0;
    let ends = asked_kills().unwrap_or(30);
    for round in 0..ends {
        let guard_too = round % 2 == 0;
        let child = start(&folder, &APPLY);
        std::thread::sleep(whole.mul_f64(random.f64()));
        kill(child, guard_too);
        let now = content(&folder.path("copy"));
        if guard_too {
            cut_off += usize::from(now != before);
        }
        // The way back is killed as well, and begun again.
        if now != before {
            let child = start(&folder, &BACK);
            std::thread::sleep(whole_back.mul_f64(random.f64()));
            kill(child, true);
        }
        let back = folder.run(&BACK);
        assert_eq!(back.code, 0, "{round}: {} {}", back.out, back.err);
        assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE, "{round}");
    }
    println!("apply: {ends} ends, {cut_off} between the first step and the last, all lead home");
    assert!(cut_off > 0, "no kill fell between the first step and the last");
}

/// A call of the system refused, or the end at it, while it sets and while it goes back.
#[test]
fn at_the_worst_calls_it_leads_home() {
    if !can_inject() {
        return;
    }
    let folder = folder();
    let before = content(&folder.path("copy"));
    let ours = ["copy/sys/devices/system/cpu/cpu3/cpufreq/scaling_max_freq", ".state", ".state/swiftloop"];
    for (fault, name) in [(Fault::Refused, "refused"), (Fault::Ended, "ended")] {
        let (mut tried, mut felt, mut part) = (0, 0, 0);
        for calls in CALLS {
            for when in 1..=3 * calls.times {
                for going_back in [false, true] {
                    if going_back {
                        // One thing cannot be set in a copy.
                        assert!(folder.run(&APPLY).code <= 1);
                        assert_ne!(content(&folder.path("copy")), before);
                    }
                    let args = if going_back { &BACK[..] } else { &APPLY[..] };
                    let answer = injected(&folder, args, &ours, (calls, fault, when));
                    let about = format!("{args:?}, {} {when} {name}: {}", calls.names, answer.err);
                    assert!(!answer.err.contains("panicked") && answer.code <= 3, "{about}");
                    let now = content(&folder.path("copy"));
                    part += usize::from(now != before);
                    // What was refused and could not be set is not called done.
                    felt += usize::from(!(0..=1).contains(&answer.code));
                    tried += 1;
                    let back = folder.run(&BACK);
                    assert_eq!(back.code, 0, "{about}: {} {}", back.out, back.err);
                    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE, "{about}");
                }
            }
        }
        println!(
            "apply: {tried} calls {name}, felt {felt} times, {part} times something was set; all lead home"
        );
        assert!(felt >= 3, "faults were not felt");
    }
}

#[test]
fn the_guard_alone_puts_everything_back_before_the_first_confirmation() {
    let folder = folder();
    let before = content(&folder.path("copy"));
    let child = start(&folder, &[&APPLY[..], &["--confirm-within", "60s"]].concat());
    let patience = Instant::now() + Duration::from_secs(60);
    // Everything is set, and it waits for somebody to press Enter.
    let governor = format!("copy/sys/devices/system/cpu/cpu{}/cpufreq/scaling_max_freq", CPUS - 1);
    while folder.read(&governor) != "4200000\n" {
        assert!(Instant::now() < patience, "it was not set");
        std::thread::sleep(Duration::from_millis(20));
    }
    kill(child, false);
    assert_eq!(changed(&before, &content(&folder.path("copy"))), NONE);
    assert!(folder.run(&BACK).out.contains("nothing to put back"));
}
