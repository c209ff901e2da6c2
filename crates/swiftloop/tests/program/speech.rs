//! How the program speaks, held over everything it says: its own words and not the statisticians', nothing called
//! impossible without a doubt, an error of one form, a last line that can be followed.

use super::snapshots::{TEXTS, at_80};
use crate::common::Folder;
use std::process::Command;

/// Words that a recording engineer does not use for this, each with what is said instead.
const NOT: &[(&str, &str)] = &[
    ("price", "effort"),
    ("prices", "effort"),
    ("calm", "holds"),
    ("uneasy", "open"),
    ("breaking", "breaks"),
    ("doubtful", "playable or open"),
    ("bears", "you allow"),
    ("bear", "you allow"),
    ("binds", "limits"),
    ("reckons", "uses"),
    ("arrangement", "phase on interface"),
    ("wish", "phase on interface"),
    ("wishes", "phases"),
    ("mantissa", "nothing"),
    ("quantile", "nothing"),
    ("posterior", "nothing"),
    ("themselves", "a name, or himself or herself"),
    ("impossible", "what was tried"),
    ("‰", "99.9 %"),
    ("½", "median"),
];

/// Words of a text without figures and marks around them.
fn words(text: &str) -> impl Iterator<Item = String> {
    text.split(|c: char| !(c.is_alphanumeric() || matches!(c, '‰' | '½' | '-' | '\'')))
        .filter(|w| !w.is_empty())
        .map(str::to_lowercase)
}

fn speaks_plainly(said: &str, by: &str) {
    for word in words(said) {
        if let Some((_, instead)) = NOT.iter().find(|(not, _)| *not == word) {
            let line = said.lines().find(|l| words(l).any(|w| w == word)).unwrap_or_default();
            panic!("{by} says `{word}`, where an engineer says {instead}: {line}");
        }
    }
}

#[test]
fn no_view_speaks_in_our_own_terms() {
    let folder = Folder::with_demo();
    for (args, answer) in TEXTS.iter().zip(at_80()) {
        speaks_plainly(&answer.out, &args.join(" "));
    }
    for kind in ["rig", "session"] {
        speaks_plainly(&folder.run(&["schema", kind]).out, kind);
    }
    speaks_plainly(&folder.run(&["demo"]).out, "demo");
    speaks_plainly(&folder.run(&["demo", "--full"]).out, "demo --full");
}

/// Every command and subcommand that the help names.
fn commands(folder: &Folder) -> Vec<Vec<String>> {
    let mut found = vec![vec![]];
    let mut at = 0;
    while at < found.len() {
        let mut args: Vec<&str> = found[at].iter().map(String::as_str).collect();
        args.push("--help");
        let help = folder.run(&args).out;
        let listed = help.lines().skip_while(|l| !l.starts_with("Commands:")).skip(1);
        let names = listed.take_while(|l| l.starts_with("  ")).filter(|l| !l.starts_with("   "));
        for name in names.filter_map(|l| l.split_whitespace().next()).filter(|n| *n != "help") {
            let mut deeper = found[at].clone();
            deeper.push(name.to_string());
            found.push(deeper);
        }
        at += 1;
    }
    found
}

#[test]
fn help_is_plain_and_fits_and_every_command_has_it() {
    let folder = Folder::empty();
    let all = commands(&folder);
    let named: Vec<String> = all.iter().map(|c| c.join(" ")).collect();
    for wanted in
        ["plan", "try", "new", "demo", "survey", "soak", "listen", "probe make", "probe read", "probe fit"]
    {
        assert!(named.iter().any(|n| n == wanted), "{wanted} is not in {named:?}");
    }
    for command in &all {
        for form in ["--help", "-h"] {
            let mut args: Vec<&str> = command.iter().map(String::as_str).collect();
            args.push(form);
            let help = folder.run_with(&args, &[("COLUMNS", "80")]);
            assert_eq!(help.code, 0, "{args:?}");
            speaks_plainly(&help.out, &args.join(" "));
            assert!(help.out.contains("Usage:"), "{args:?}: {}", help.out);
            for line in help.out.lines() {
                assert!(line.chars().count() <= 100, "{args:?}: {line}");
            }
        }
    }
}

/// The commands to copy at the end of an answer run as they stand, or ask for a file that only the reader can have.
#[test]
fn what_is_told_to_do_next_can_be_done() {
    let folder = Folder::with_demo();
    // Whatever several answers tell is done once.
    let mut followed = std::collections::HashSet::new();
    for (args, answer) in TEXTS.iter().zip(at_80()) {
        let next = answer.out.lines().filter_map(|l| l.trim_start().strip_prefix("swiftloop "));
        // What soak and survey say is this machine's, a reflector listens until it is told to stop; a name in capitals is a file
        // that only the reader has.
        let ours = |l: &&str| {
            !["soak", "survey", "link reflect"].iter().any(|c| l.starts_with(c))
                && !l.contains(char::is_uppercase)
        };
        for line in next.filter(ours).filter(|l| followed.insert(l.to_string())).collect::<Vec<_>>() {
            let words = shell(&folder, line);
            let words: Vec<&str> = words.iter().map(String::as_str).collect();
            // Who is told to describe a rig has none yet.
            let there = if words[0] == "new" { Folder::empty() } else { Folder::with_demo() };
            // What the command before it would have kept.
            if line.contains("link.json") && there.path("loft-link.json").exists() {
                std::fs::copy(there.path("loft-link.json"), there.path("link.json")).unwrap();
            }
            let then = there.run(&words);
            assert!(then.code <= 1, "{args:?} leads to `{line}`, and that to: {}", then.err);
        }
    }
    assert!(followed.len() >= 15, "only {} commands to follow", followed.len());
}

/// A command line as a shell takes it apart.
fn shell(folder: &Folder, line: &str) -> Vec<String> {
    let split = Command::new("sh")
        .current_dir(folder.root())
        .args(["-c", &format!("for a in {line}; do printf '%s\\n' \"$a\"; done")])
        .output()
        .unwrap();
    String::from_utf8(split.stdout).unwrap().lines().map(String::from).collect()
}
