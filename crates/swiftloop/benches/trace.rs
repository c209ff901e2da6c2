//! How long `trace read` takes for ten million lines of the kernel's text, and how much memory: a capture again and again, each time
//! later, goes through a pipe into the built program. `cargo bench -p swiftloop --bench trace` (Linux).
#![allow(missing_docs, clippy::unwrap_used)]

use std::io::{BufWriter, Write};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

const LINES: usize = 10_000_000;

/// A line before its time, its time in µs, and after it.
type Line = (String, u64, String);

fn lines() -> Vec<Line> {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../swiftloop-files/tests/traces/net.trace.txt");
    let text = std::fs::read_to_string(path).unwrap();
    text.lines()
        .filter(|l| !l.starts_with('#'))
        .map(|line| {
            let end = line.find(": ").unwrap();
            let begin = line[..end].rfind(' ').unwrap() + 1;
            let us = line[begin..end].replace('.', "").parse().unwrap();
            (line[..begin].to_string(), us, line[end..].to_string())
        })
        .collect()
}

/// All of it, once more and later; times within marks move along.
fn write(out: &mut impl Write, lines: &[Line], later: u64) -> std::io::Result<()> {
    for (before, us, after) in lines {
        let at = us + later;
        write!(out, "{before}{}.{:06}", at / 1_000_000, at % 1_000_000)?;
        if after.contains("swiftloop late") {
            for (n, part) in after.split_inclusive('=').enumerate() {
                let digits = part.bytes().take_while(u8::is_ascii_digit).count();
                match part[..digits].parse::<u64>() {
                    // The first two figures are instants.
                    Ok(ns) if n == 1 || n == 2 => write!(out, "{}{}", ns + later * 1000, &part[digits..])?,
                    _ => write!(out, "{part}")?,
                }
            }
            writeln!(out)?;
        } else {
            writeln!(out, "{after}")?;
        }
    }
    Ok(())
}

fn main() {
    let lines = lines();
    let span = lines.last().unwrap().1 - lines[0].1 + 100;
    let begun = Instant::now();
    let mut child = Command::new(env!("CARGO_BIN_EXE_swiftloop"))
        .args(["trace", "read", "/dev/stdin", "--json"])
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let status = format!("/proc/{}/status", child.id());
    let watch = std::thread::spawn(move || {
        let mut most = 0u64;
        while let Ok(text) = std::fs::read_to_string(&status) {
            let line = text.lines().find_map(|l| l.strip_prefix("VmHWM:"));
            let Some(kb) = line.and_then(|l| l.split_whitespace().next()?.parse::<u64>().ok()) else { break };
            most = most.max(kb);
            std::thread::sleep(Duration::from_millis(100));
        }
        most
    });
    let rounds = LINES.div_ceil(lines.len());
    let mut out = BufWriter::with_capacity(1 << 20, child.stdin.take().unwrap());
    for round in 0..rounds {
        write(&mut out, &lines, round as u64 * span).unwrap();
    }
    drop(out);
    child.wait().unwrap();
    let seconds = begun.elapsed().as_secs_f64();
    let all = (rounds * lines.len()) as f64;
    println!(
        "{:.1} million lines, {rounds} late blocks: {seconds:.1} s, {:.2} million lines a second, at most {:.0} MB",
        all / 1e6,
        all / 1e6 / seconds,
        watch.join().unwrap() as f64 / 1024.0
    );
}
