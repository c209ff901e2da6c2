//! The README shows what the program prints today: every line of its example blocks, to the letter.

use crate::common::Folder;
use std::collections::HashSet;

/// The fenced blocks of the README.
fn blocks() -> Vec<String> {
    let text =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../README.md")).expect("the README");
    let mut blocks = Vec::new();
    let mut open: Option<Vec<&str>> = None;
    for line in text.lines() {
        match (&mut open, line.starts_with("```")) {
            (None, true) => open = Some(Vec::new()),
            (Some(lines), true) => {
                blocks.push(lines.join("\n"));
                open = None;
            }
            (Some(lines), false) => lines.push(line),
            (None, false) => {}
        }
    }
    blocks
}

/// All lines a command prints, results and complaints, at the width the README uses.
fn printed(folder: &Folder, args: &[&str]) -> HashSet<String> {
    let answer = folder.run_with(args, &[("COLUMNS", "80")]);
    answer.out.lines().chain(answer.err.lines()).map(|l| l.trim_end().to_string()).collect()
}

fn check(block: &str, printed: &HashSet<String>) {
    for line in
        block.lines().map(str::trim_end).filter(|l| !l.is_empty() && *l != "…" && !l.starts_with("$ "))
    {
        assert!(printed.contains(line), "the README shows a line that no command prints today:\n{line}");
    }
}

#[test]
fn every_example_is_real() {
    let folder = Folder::with_demo();
    // Some examples are about files of the sources.
    #[cfg(unix)]
    folder.link("crates", concat!(env!("CARGO_MANIFEST_DIR"), "/../../crates"));
    let mut commands = 0;
    for block in blocks() {
        if let Some(command) = block.lines().next().and_then(|l| l.strip_prefix("$ swiftloop ")) {
            check(&block, &printed(&folder, &command.split_whitespace().collect::<Vec<_>>()));
            commands += 1;
        } else if block.starts_with("bad.toml") {
            folder.write("bad.toml", folder.read("rig.toml").replacen("cores = 4", "coers = 4", 1));
            check(&block, &printed(&folder, &["plan", "bad.toml", "session.toml"]));
            commands += 1;
        }
    }
    assert!(commands >= 7, "only {commands} examples were found");
}

#[test]
fn every_picture_is_there() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../../");
    let text = std::fs::read_to_string(format!("{root}README.md")).expect("the README");
    let links: Vec<&str> = text
        .split("](")
        .skip(1)
        .filter_map(|rest| rest.split(')').next())
        .filter(|l| !l.starts_with("http"))
        .collect();
    assert!(links.len() >= 6);
    for link in links.iter().map(|l| l.split_once('#').map_or(*l, |(file, _)| file)) {
        assert!(std::path::Path::new(&format!("{root}{link}")).exists(), "{link} leads nowhere");
    }
}
