//! The whole program, in this process. Files and arguments go in as anybody could give them; what it said, what it wrote and
//! how it ended come out, and are held against the same laws as in the program's own tests. The one idea: stdout and
//! stderr lead into memory while a command runs, so that the fuzzer sees into every line of code from arguments to answer.

pub mod common;
#[path = "../../crates/swiftloop/tests/program/hostile/laws.rs"]
pub mod laws;

use common::Answer;
use rustix::fs::{MemfdFlags, memfd_create};
use std::collections::BTreeSet;
use std::ffi::OsString;
use std::fs::File;
use std::io::{Read, Seek};
use std::os::fd::OwnedFd;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::{LazyLock, Mutex, MutexGuard, PoisonError};

/// A folder to work in, and where the program's words go.
pub struct Program {
    folder: tempfile::TempDir,
    out: File,
    err: File,
}

/// The fuzzer's own stderr, for what it says between two runs and when one fails.
static OWN_STDERR: LazyLock<OwnedFd> =
    LazyLock::new(|| rustix::io::dup(rustix::stdio::stderr()).expect("stderr is open"));

static PROGRAM: LazyLock<Mutex<Program>> = LazyLock::new(|| {
    LazyLock::force(&OWN_STDERR);
    let before = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |about| {
        let _ = rustix::stdio::dup2_stderr(&*OWN_STDERR);
        before(about);
    }));
    let memory = |name| File::from(memfd_create(name, MemfdFlags::CLOEXEC).expect("memory for what is said"));
    let program =
        Program { folder: tempfile::tempdir().expect("a folder"), out: memory("out"), err: memory("err") };
    rustix::stdio::dup2_stdout(&program.out).expect("stdout can be led away");
    Mutex::new(program)
});

/// The program, with an empty folder.
pub fn program() -> MutexGuard<'static, Program> {
    let program = PROGRAM.lock().unwrap_or_else(PoisonError::into_inner);
    for entry in std::fs::read_dir(program.folder.path()).expect("its folder").flatten() {
        let path = entry.path();
        let _ = if path.is_dir() { std::fs::remove_dir_all(path) } else { std::fs::remove_file(path) };
    }
    program
}

fn said(file: &mut File) -> String {
    let mut bytes = Vec::new();
    file.rewind().and_then(|()| file.read_to_end(&mut bytes)).expect("what was said");
    file.set_len(0).and_then(|()| file.rewind()).expect("room for what will be said");
    String::from_utf8(bytes).expect("what is said is text")
}

impl Program {
    /// The path of a file in the folder.
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// Writes a file into the folder.
    pub fn write(&self, name: &str, bytes: impl AsRef<[u8]>) {
        std::fs::write(self.path(name), bytes).expect("a file in the folder");
    }

    fn files(&self) -> BTreeSet<(OsString, u64)> {
        let entries = std::fs::read_dir(self.folder.path()).expect("the folder").flatten();
        entries.map(|e| (e.file_name(), e.metadata().map_or(0, |m| m.len()))).collect()
    }

    /// Runs a command; arguments that begin with `@` are files in the folder. What holds of every answer is looked at.
    pub fn run(&mut self, arguments: &[&str]) -> Answer {
        let of = |a: &&str| a.strip_prefix('@').map_or_else(|| (*a).into(), |name| self.path(name).into());
        let all: Vec<OsString> =
            std::iter::once("swiftloop".into()).chain(arguments.iter().map(of)).collect();
        let before = self.files();
        rustix::stdio::dup2_stderr(&self.err).expect("stderr can be led away");
        let code = swiftloop::run(all);
        rustix::stdio::dup2_stderr(&*OWN_STDERR).expect("stderr comes back");
        let number = (0..=3).find(|n| code == ExitCode::from(*n)).map_or(-1, i32::from);
        let answer = Answer { code: number, out: said(&mut self.out), err: said(&mut self.err) };
        let about = arguments.join(" ");
        laws::hold(&answer, &about);
        if answer.code >= 2 {
            assert_eq!(self.files(), before, "{about} was refused, and something was written");
        }
        answer
    }

    /// Looks at a drawing, if the last command made one.
    pub fn drawn(&self, name: &str) {
        if let Ok(svg) = std::fs::read_to_string(self.path(name)) {
            laws::drawing(&svg, name);
        }
    }
}

/// The first byte chooses, the rest is the input.
pub fn choice(data: &[u8], of: usize) -> Option<(usize, &[u8])> {
    let (first, rest) = data.split_first()?;
    Some((usize::from(*first) % of, rest))
}

/// The parts of an input that holds several files.
pub const BETWEEN: &str = "\n%%\n";

/// The least of a rig and of a session, for what is read beside them.
pub const SMALL_RIG: &str = include_str!("../../crates/swiftloop-fixtures/cases/desktop-rig.toml");
/// See [`SMALL_RIG`].
pub const SMALL_SESSION: &str = include_str!("../../crates/swiftloop-fixtures/cases/one-live-track-session.toml");
