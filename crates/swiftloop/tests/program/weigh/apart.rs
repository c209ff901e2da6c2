//! What is weighed reaches nothing but its own: a processor that tries files, the network, signals, other programs.

use super::library;
use crate::common::Folder;
use serde_json::Value;
use std::net::{TcpListener, UdpSocket};
use std::path::Path;
use std::process::Command;

/// What it may, of all that it tries: write into its room, and read what the system shows to all.
const OWN: u32 = 1 << 9 | 1 << 10;

/// A program, run by this user or by somebody else.
fn run_as(user: Option<&str>, program: &Path) -> Command {
    let Some(user) = user else { return Command::new(program) };
    let mut command = Command::new("setpriv");
    command.args(["--reuid", user, "--regid", user, "--clear-groups"]).arg(program);
    command
}

/// What the processor that tries everything could reach, a bit for each, and what it was shut off from.
fn reached(folder: &Folder, user: Option<&str>) -> (u32, Value) {
    let tcp = TcpListener::bind("127.0.0.1:0").expect("a port");
    let port = tcp.local_addr().expect("its number").port();
    let udp = UdpSocket::bind(("127.0.0.1", port)).expect("the same port");
    udp.set_nonblocking(true).expect("it can be asked");
    folder.write("secret", "nobody's business");
    let mut other = run_as(user, Path::new("sleep")).arg("100").spawn().expect("another program");
    let told = format!("{}:{port}:{}", folder.path("secret").display(), other.id());
    let mut command = run_as(user, &assert_cmd::cargo::cargo_bin("swiftloop"));
    let library = library();
    let arguments =
        ["--id", "reach", "--rates", "48000", "--blocks", "32,512", "--catalogue", "p.toml", "--json"];
    let answer = command
        .current_dir(folder.root())
        .env("SWIFTLOOP_REACH", told)
        .env("HOME", folder.root())
        .arg("weigh")
        .arg(library)
        .args(arguments)
        .output()
        .expect("it runs");
    assert!(other.try_wait().expect("asked").is_none(), "the other program was ended");
    let _ = other.kill();
    let _ = other.wait();
    assert!(udp.recv(&mut [0; 8]).is_err(), "a packet arrived");
    assert_eq!(folder.read("secret"), "nobody's business");
    let out = String::from_utf8_lossy(&answer.stdout);
    let value: Value = serde_json::from_str(&out)
        .unwrap_or_else(|e| panic!("{e}: {out} {}", String::from_utf8_lossy(&answer.stderr)));
    let one = value["processors"][0].clone();
    let bits = one["by_rate"][0]["delay"]["reported_frames"].as_f64().unwrap_or(f64::NAN);
    (bits as u32, one["shut_off_from"].clone())
}

/// What of all fences this kernel has; whoever has none is told so, and nothing is promised.
fn fences() -> bool {
    let modules = std::fs::read_to_string("/sys/kernel/security/lsm").unwrap_or_default();
    let known = std::fs::read_to_string("/proc/kallsyms").unwrap_or_default();
    modules.contains("landlock") || known.contains("landlock_restrict_self")
}

#[test]
fn what_is_weighed_reaches_nothing_but_its_own() {
    if !fences() {
        swiftloop_fixtures::skipped("this kernel shuts nothing in");
        return;
    }
    let (bits, apart) = reached(&Folder::empty(), None);
    for fence in ["files", "calls"] {
        assert_eq!(apart[fence], true, "{apart}");
    }
    assert_eq!(bits & !OWN, 0, "reached: {bits:b}, {apart}");
    assert_eq!(bits & OWN, OWN, "it cannot do what it may: {bits:b}");
}

/// The superuser becomes somebody else, who has fewer rights and no fewer fences.
#[test]
fn nor_when_nobody_in_particular_weighs_it() {
    use std::os::unix::fs::PermissionsExt;
    let folder = Folder::empty();
    let open = std::fs::Permissions::from_mode(0o777);
    std::fs::set_permissions(folder.root(), open).expect("a folder for all");
    let becomes = Command::new("setpriv")
        .args(["--reuid", "65534", "--regid", "65534", "--clear-groups", "test", "-r"])
        .arg(library())
        .status()
        .is_ok_and(|s| s.success());
    if !fences() || !becomes {
        swiftloop_fixtures::skipped("no other user can be asked");
        return;
    }
    let (bits, apart) = reached(&folder, Some("65534"));
    assert_eq!(bits & !OWN, 0, "reached: {bits:b}, {apart}");
    assert_eq!(bits & OWN, OWN, "it cannot do what it may: {bits:b}");
}
