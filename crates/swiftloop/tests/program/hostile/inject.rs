//! Faults put into the program's own calls, so that the code that ships is what meets them: a tool of the system refuses a call,
//! or ends the program at it.

use crate::common::{Answer, Folder};
use std::process::Command;

/// Whether there is such a tool here, and we may use it.
pub fn can_inject() -> bool {
    let tried = Command::new("strace").args(["-o", "/dev/null", "-e", "trace=none", "true"]).status();
    let can = tried.is_ok_and(|s| s.success());
    if !can {
        swiftloop_fixtures::skipped("no strace, or no right to trace: no faults are injected");
    }
    can
}

/// Calls that a fault is put into.
#[derive(Clone, Copy)]
pub struct Calls {
    /// Names of the calls, with commas between them.
    pub names: &'static str,
    /// What they are refused with.
    pub error: &'static str,
    /// Only those that mean what lies in our folder.
    pub only_ours: bool,
    /// How many of them, one in each run.
    pub times: u32,
}

/// Files are synced and get their names only where we save; writes are the terminal's too, and folders are opened by everybody: of
/// those only the ones in our folder.
pub const CALLS: [Calls; 4] = [
    Calls { names: "fsync", error: "EIO", only_ours: false, times: 2 },
    Calls { names: "write", error: "ENOSPC", only_ours: false, times: 4 },
    Calls { names: "rename,renameat,renameat2,link,linkat", error: "EROFS", only_ours: false, times: 2 },
    Calls { names: "openat", error: "EROFS", only_ours: true, times: 2 },
];

/// What is done at such a call.
#[derive(Clone, Copy)]
pub enum Fault {
    Refused,
    Ended,
}

/// Runs the program with something done at the `when`th of such calls; `ours` are the paths in our folder that it touches.
pub fn injected(
    folder: &Folder,
    args: &[impl AsRef<str>],
    ours: &[&str],
    (calls, fault, when): (Calls, Fault, u32),
) -> Answer {
    let what = match fault {
        Fault::Refused => format!("error={}", calls.error),
        Fault::Ended => "signal=KILL".into(),
    };
    // What hangs is a fault with a name, not a run that never ends.
    let mut strace = Command::new("timeout");
    strace.args(["-s", "KILL", "120", "strace", "-f", "-q", "-o", "/dev/null", "-e"]);
    strace.arg(format!("inject={}:{what}:when={when}", calls.names));
    if calls.only_ours {
        for name in ours {
            strace.arg("-P").arg(folder.path(name));
        }
    }
    let out = strace
        .arg(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(args.iter().map(AsRef::as_ref))
        .current_dir(folder.root())
        .env("XDG_STATE_HOME", folder.root().join(".state"))
        .env("XDG_DATA_HOME", folder.root().join(".kept"))
        .output()
        .unwrap();
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Answer { code: out.status.code().unwrap_or(-1), out: text(&out.stdout), err: text(&out.stderr) }
}
