//! Says what the program is built with, for `--version`. The commit is told by whoever builds packages (`SWIFTLOOP_COMMIT`):
//! asking for it here would build the program anew at each commit.

use std::process::Command;

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    println!("cargo:rerun-if-env-changed=SWIFTLOOP_COMMIT");
    let of = |name: &str| std::env::var(name).unwrap_or_default();
    let compiler = Command::new(of("RUSTC")).arg("--version").output().ok();
    let compiler = compiler.and_then(|o| String::from_utf8(o.stdout).ok()).unwrap_or_default();
    let is_static = of("CARGO_CFG_TARGET_FEATURE").split(',').any(|f| f == "crt-static");
    let linux = of("CARGO_CFG_TARGET_OS") == "linux";
    let loads = match (linux, is_static) {
        (true, false) => "yes",
        (true, true) => "no, this build stands alone and loads no library",
        (false, _) => "no, on Linux only",
    };
    let sound = if of("CARGO_FEATURE_SOUND").is_empty() { "no, needs --features sound" } else { "yes" };
    let from = of("SWIFTLOOP_COMMIT");
    let from = if from.is_empty() { from } else { format!(" ({from})") };
    let profile = of("PROFILE");
    println!("cargo:rustc-env=SWIFTLOOP_BUILT_FROM={from}");
    println!("cargo:rustc-env=SWIFTLOOP_BUILT_WITH={}, {profile}", compiler.trim());
    println!(
        "cargo:rustc-env=SWIFTLOOP_BUILT_FOR={}{}",
        of("TARGET"),
        if is_static { ", static" } else { "" }
    );
    println!("cargo:rustc-env=SWIFTLOOP_BUILT_SOUND={sound}");
    println!("cargo:rustc-env=SWIFTLOOP_BUILT_LOADS={loads}");
}
