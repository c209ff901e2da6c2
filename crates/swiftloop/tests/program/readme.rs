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

/// Each word of a document with the next.
fn pairs(text: &str) -> Vec<(&str, &str)> {
    let words: Vec<&str> =
        text.split([' ', '\n', '`', '(', ')', ',', ';', ':']).filter(|w| !w.is_empty()).collect();
    words.windows(2).map(|w| (w[0], w[1])).collect()
}

/// Sources of tests, as one text.
fn sources(folder: &std::path::Path, into: &mut String) {
    for entry in std::fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            sources(&path, into);
        } else if path.extension().is_some_and(|e| e == "rs") {
            into.push_str(&std::fs::read_to_string(&path).expect("a source"));
        }
    }
}

#[test]
fn documents_name_only_what_is_there() {
    let root = std::path::Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../"));
    let crates: Vec<_> =
        std::fs::read_dir(root.join("crates")).expect("crates").flatten().map(|e| e.path()).collect();
    let in_a_crate = |inner: &str| crates.iter().any(|c| c.join(inner).exists());
    let target = |kind: &str, name: &str| {
        [".rs", "/main.rs"].iter().any(|end| in_a_crate(&format!("{kind}/{name}{end}")))
    };
    let mut tests = String::new();
    crates.iter().for_each(|c| ["src", "tests"].iter().for_each(|f| sources(&c.join(f), &mut tests)));
    let is_test = |word: &str| {
        let declared = |l: &str| (l.contains("fn ") || l.contains("mod ")) && l.contains(word);
        tests.lines().any(declared)
    };
    let mut documents = vec![root.join("README.md"), root.join("SECURITY.md"), root.join("CHANGELOG.md")];
    documents.extend(std::fs::read_dir(root.join("docs")).expect("docs").flatten().map(|e| e.path()));
    let (mut seen, mut wrong) = (0, Vec::new());
    for document in documents.iter().filter(|d| d.extension().is_some_and(|e| e == "md")) {
        let text = std::fs::read_to_string(document).expect("a document");
        let mut check = |is_there: bool, what: &str| {
            seen += 1;
            if !is_there {
                wrong.push(format!("{}: {what}", document.display()));
            }
        };
        for (option, name) in pairs(&text) {
            match option {
                "--test" => check(target("tests", name), name),
                "--bench" => check(target("benches", name), name),
                "--example" => check(target("examples", name), name),
                _ => {}
            }
            if ["xtask/", "packaging/", "fuzz/"].iter().any(|folder| option.starts_with(folder)) {
                check(root.join(option.trim_end_matches('.')).exists(), option);
            }
            if option.starts_with("tests/") && option.ends_with(".rs") {
                check(in_a_crate(option), option);
            }
        }
        // The tests that a command picks: all words after its `--` that are no options.
        for command in text.split('`').filter(|c| c.starts_with("cargo test ")) {
            let picked = command.split_once(" -- ").map_or("", |(_, picked)| picked);
            for word in
                picked.split_whitespace().filter(|w| !w.starts_with("--") && w.parse::<u32>().is_err())
            {
                word.split("::").filter(|part| !part.is_empty()).for_each(|part| check(is_test(part), word));
            }
        }
    }
    assert!(seen >= 25, "only {seen} names were found");
    assert!(wrong.is_empty(), "{wrong:#?}");
}
