//! Runs the built program on files in a temporary folder.
#![allow(dead_code)]

use assert_cmd::Command;
use serde_json::Value;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;
use tempfile::TempDir;

/// A folder with the demo's files in it.
pub struct Folder {
    dir: TempDir,
}

pub struct Answer {
    pub code: i32,
    pub out: String,
    pub err: String,
}

impl Folder {
    pub fn empty() -> Self {
        Self { dir: TempDir::new().expect("a temporary folder") }
    }

    /// The program writes the demo once for all tests of a file; each gets descriptions to edit and the same recordings.
    pub fn with_demo() -> Self {
        static DEMO: OnceLock<Folder> = OnceLock::new();
        let demo = DEMO.get_or_init(|| {
            let folder = Self::empty();
            assert_eq!(folder.run(&["demo", "."]).code, 0);
            folder
        });
        let folder = Self::empty();
        for name in demo.files() {
            let (from, to) = (demo.path(&name), folder.path(&name));
            if from.is_dir() {
                copy_tree(&from, &to);
            } else if name.ends_with(".wav") {
                std::fs::hard_link(from, to).expect("linked");
            } else {
                std::fs::copy(from, to).expect("copied");
            }
        }
        folder
    }

    /// The same without the far side that distance forbids: then all that is asked for can be had.
    pub fn with_demo_in_reach() -> Self {
        let folder = Self::with_demo();
        folder.edit("session.toml", "far = [\"loft\", \"harbour\"]", "far = [\"loft\"]");
        folder
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.dir.path().join(name)
    }

    pub fn root(&self) -> &Path {
        self.dir.path()
    }

    pub fn write(&self, name: &str, content: impl AsRef<[u8]>) {
        std::fs::write(self.path(name), content).expect("written");
    }

    pub fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.path(name)).expect("read")
    }

    /// `name` leads to a path outside of the folder.
    #[cfg(unix)]
    pub fn link(&self, name: &str, to: &str) {
        std::os::unix::fs::symlink(to, self.path(name)).expect("linked");
    }

    /// The file with every `from` replaced by `to`; fails when there is nothing to replace.
    pub fn edit(&self, name: &str, from: &str, to: &str) {
        let text = self.read(name);
        assert!(text.contains(from), "`{from}` is not in {name}");
        self.write(name, text.replacen(from, to, 1));
    }

    pub fn files(&self) -> Vec<String> {
        let mut names: Vec<String> = std::fs::read_dir(self.root())
            .expect("a folder")
            .map(|f| f.expect("an entry").file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        names
    }

    pub fn run(&self, args: &[&str]) -> Answer {
        self.run_with(args, &[])
    }

    pub fn run_with(&self, args: &[&str], env: &[(&str, &str)]) -> Answer {
        let mut command = Command::cargo_bin("swiftloop").expect("the program");
        command.current_dir(self.root()).args(args).env_remove("COLUMNS").env_remove("NO_COLOR");
        // What this user weighed is no part of a test.
        command.env_remove("CLICOLOR_FORCE").env("XDG_DATA_HOME", self.root().join(".kept"));
        command.env("XDG_STATE_HOME", self.root().join(".state"));
        for (key, value) in env {
            command.env(key, value);
        }
        // Whatever hangs is a fault with a name, not a run that never ends.
        let output = command.timeout(std::time::Duration::from_secs(900)).output().expect("it ran");
        let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("UTF-8 output");
        let (out, err) = (text(output.stdout), text(output.stderr));
        assert!(!err.contains("panicked"), "{args:?} panicked: {err}");
        Answer { code: output.status.code().unwrap_or(-1), out, err }
    }

    /// The JSON answer, whatever the verdict.
    pub fn json(&self, args: &[&str]) -> Value {
        let answer = self.run(&[args, &["--json"]].concat());
        assert!(answer.code <= 1, "{args:?}: {}", answer.err);
        serde_json::from_str(&answer.out).unwrap_or_else(|e| panic!("{e}: {}", answer.out))
    }
}

/// A folder with all that is in it.
pub fn copy_tree(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).expect("made");
    for entry in std::fs::read_dir(from).expect("a folder") {
        let entry = entry.expect("an entry");
        let target = to.join(entry.file_name());
        if entry.path().is_dir() {
            copy_tree(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), target).expect("copied");
        }
    }
}

/// The choice of a plan for an interface and phase, possible or not.
pub fn choice<'a>(plan: &'a Value, interface: &str, phase: &str) -> &'a Value {
    let list = |key: &str| plan[key].as_array().expect("a list").iter();
    let nearest = list("infeasible").map(|i| &i["nearest"]);
    let is = |c: &&Value| c["setting"]["interface"] == interface && c["setting"]["phase"] == phase;
    list("choices").chain(nearest).find(is).unwrap_or_else(|| panic!("no choice for {interface} {phase}"))
}

/// `try` or `soak` of the demo's files at a place, with more options.
pub fn at<'a>(command: &'a str, interface: &'a str, phase: &'a str, more: &[&'a str]) -> Vec<&'a str> {
    let place = [command, "rig.toml", "session.toml", "--interface", interface, "--phase", phase];
    [&place[..], more].concat()
}
