//! What `link` takes: making sense of a million measured packets, and a core's share while a thousand packets a second go each
//! way. The built program is run; a table comes out, beside what is asked for. `cargo bench -p swiftloop --bench link` (Linux: the
//! kernel counts the time that children took, in steps of 10 ms).
#![allow(missing_docs, clippy::unwrap_used)]

use std::fmt::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Instant;

const PACKETS: u64 = 1_000_000;
const RUNS: usize = 5;
/// A measurement of so many seconds.
const SECONDS: u32 = 20;

fn program() -> Command {
    let mut program = Command::new(env!("CARGO_BIN_EXE_swiftloop"));
    program.stdout(Stdio::null()).stderr(Stdio::null());
    program
}

/// User and system time of a process, in seconds; of its ended children where that is wanted.
fn seconds(process: &str, of: [usize; 2]) -> f64 {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat")).unwrap();
    let after: Vec<&str> = stat.rsplit_once(')').unwrap().1.split_whitespace().collect();
    of.iter().map(|k| after[*k].parse::<f64>().unwrap()).sum::<f64>() / 100.0
}

/// A table of packets of a line that is known.
fn packets() -> String {
    let mut text = String::from(
        "# swiftloop.link-packets/1 every_ms=2.5 bytes=492 line_kbit_s=1500 v6=false counts=yes strays=0 host=x\n\
         packet,sent_ns,there_ns,left_ns,back_ns,counted\n",
    );
    let mut random = fastrand::Rng::with_seed(6);
    let mut late = || (-0.4e6 * (1.0 - random.f64()).ln()) as u64;
    for k in 0..PACKETS {
        let sent = k * 2_500_000;
        let there = sent + 6_000_000 + late();
        let back = there + 50_000 + 6_000_000 + late();
        let _ = writeln!(text, "{k},{sent},{there},{},{back},{k}", there + 50_000);
    }
    text
}

fn main() {
    if !Path::new("/proc/self/stat").exists() {
        println!("the kernel does not count here what children took");
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let table = dir.path().join("packets.csv");
    std::fs::write(&table, packets()).unwrap();
    let mut reads: Vec<f64> = (0..RUNS)
        .map(|_| {
            let begun = Instant::now();
            program().args(["link", "plan"]).arg(&table).status().unwrap();
            begun.elapsed().as_secs_f64()
        })
        .collect();
    reads.sort_by(f64::total_cmp);
    println!("| what | took | asked for |\n| --- | --- | --- |");
    println!(
        "| {PACKETS} packets read and planned with | {:.2} s ({:.2} to {:.2}) | 1 s |",
        reads[RUNS / 2],
        reads[0],
        reads[RUNS - 1]
    );
    let port = "127.0.0.1:18620";
    let mut reflector =
        program().args(["link", "reflect", "--listen", port, "--seconds", "60"]).spawn().unwrap();
    std::thread::sleep(std::time::Duration::from_millis(500));
    let before = seconds("self", [13, 14]);
    let measured = program()
        .args(["link", "measure", port, "--packets-per-second", "1000", "--seconds", &SECONDS.to_string()])
        .status()
        .unwrap();
    assert!(measured.code().is_some_and(|c| c <= 1), "{measured}");
    let sender = seconds("self", [13, 14]) - before;
    let answers = seconds(&reflector.id().to_string(), [11, 12]);
    reflector.kill().unwrap();
    reflector.wait().unwrap();
    let share = |s: f64| s / f64::from(SECONDS) * 100.0;
    println!("| 1000 packets a second measured, all of it | {:.1} % of a core | 5 % |", share(sender));
    println!("| 1000 packets a second answered | {:.1} % of a core | 5 % |", share(answers));
}
