//! What a processor has no business with, tried: `SWIFTLOOP_REACH` names a file of the user's, a port of this machine and a process
//! (`FILE:PORT:PROCESS`); what could be reached comes back as a number, a bit for each.

use std::io::Write;
use std::net::{TcpStream, UdpSocket};
use std::process::Command;

/// A bit for each that could be reached.
pub fn all() -> u32 {
    let told = std::env::var("SWIFTLOOP_REACH").unwrap_or_default();
    let parts: Vec<&str> = told.split(':').collect();
    let [file, port, process] = parts[..] else { return 1 << 12 };
    let process: i32 = process.parse().unwrap_or(1);
    let there = format!("127.0.0.1:{port}");
    let sent = || UdpSocket::bind("127.0.0.1:0").and_then(|s| s.send_to(b"here", &there));
    let room = std::env::var("HOME").unwrap_or_default();
    let made = |name: &str| std::fs::File::create(name).and_then(|mut f| f.write_all(b"was here"));
    // SAFETY: these calls touch no memory of ours.
    let (signal, group, traced) = unsafe {
        (
            libc::kill(process, 0) == 0 || libc::kill(libc::getppid(), 0) == 0,
            libc::kill(0, 0) == 0,
            libc::ptrace(libc::PTRACE_ATTACH, process, 0, 0) == 0,
        )
    };
    let tried = [
        std::fs::read(file).is_ok(),
        made(&format!("{file}.new")).is_ok() || std::fs::remove_file(file).is_ok(),
        TcpStream::connect(&there).is_ok(),
        sent().is_ok(),
        signal,
        group,
        traced,
        Command::new("/bin/true").status().is_ok(),
        std::fs::read(format!("/proc/{process}/environ")).is_ok(),
        // What it may: write into its room, read what the system shows to all.
        made(&format!("{room}/mine")).is_ok(),
        std::fs::read("/usr/lib/os-release").is_ok() || std::fs::read_dir("/usr").is_ok(),
    ];
    tried.iter().enumerate().map(|(bit, held)| u32::from(*held) << bit).sum()
}
