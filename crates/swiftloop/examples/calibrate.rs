//! Predicted and observed misses per hour on this machine, as a table: `cargo run --release --example calibrate`.
//! Runs `swiftloop soak` for every combination of block and work, several rounds one after another so that a noisy
//! quarter of an hour strikes all alike, and prints the medians.
#![allow(clippy::unwrap_used, clippy::expect_used)]

use serde_json::Value;
use std::process::Command;
use swiftloop_units::stats::median;

/// Blocks in frames and work in percent of the period, on one worker.
const COMBINATIONS: [(u32, u32); 9] =
    [(32, 40), (32, 60), (64, 50), (64, 70), (128, 60), (128, 75), (256, 70), (256, 85), (512, 85)];

fn main() {
    let mut numbers = std::env::args().skip(1).map(|a| a.parse::<u32>().expect("ROUNDS SECONDS"));
    let (rounds, seconds) = (numbers.next().unwrap_or(5), numbers.next().unwrap_or(20));
    let program = std::env::current_exe().unwrap().parent().unwrap().parent().unwrap().join("swiftloop");
    let mut seen: Vec<Vec<[f64; 6]>> = vec![Vec::new(); COMBINATIONS.len()];
    for _ in 0..rounds {
        for (all, (block, work)) in seen.iter_mut().zip(COMBINATIONS) {
            let output = Command::new(&program)
                .args(["soak", "--json", "--seconds", &seconds.to_string(), "--buffer", &block.to_string()])
                .args(["--work", &work.to_string()])
                .output()
                .expect("build swiftloop first: cargo build --release");
            let answer: Value = serde_json::from_slice(&output.stdout).expect("a soak's answer");
            let rung = &answer["rungs"][0];
            let number = |v: &Value| v.as_f64().unwrap_or(0.0);
            all.push([
                number(&rung["misses"]),
                number(&rung["misses_per_hour"]["typical"]),
                number(&rung["predicted_per_hour"]["low"]),
                number(&rung["predicted_per_hour"]["typical"]),
                number(&rung["predicted_per_hour"]["high"]),
                number(&rung["wake_us"]["p999"]),
            ]);
        }
    }
    println!(
        "| frames | work | misses in {seconds} s | seen an hour | predicted (low – high) | seen / predicted | of single rounds | late: 99.9 % |"
    );
    println!("| --- | --- | --- | --- | --- | --- | --- | --- |");
    for (all, (block, work)) in seen.iter().zip(COMBINATIONS) {
        let median = |of: &dyn Fn(&[f64; 6]) -> f64| median(all.iter().map(of));
        let ratios = all.iter().filter(|r| r[0] >= 20.0).map(|r| r[1] / r[3]);
        let (least, most) = ratios.fold((f64::INFINITY, 0.0f64), |(a, b), r| (a.min(r), b.max(r)));
        let (misses, rate, said) = (median(&|r| r[0]), median(&|r| r[1]), median(&|r| r[3]));
        let ratio = if misses >= 20.0 { format!("{:.2}", rate / said) } else { "too few".into() };
        let single = if most > 0.0 { format!("{least:.2} – {most:.2}") } else { String::new() };
        println!(
            "| {block} | {work} % | {misses:.0} | {rate:.0} | {said:.0} ({:.0} – {:.0}) | {ratio} | {single} | {:.0} µs |",
            median(&|r| r[2]),
            median(&|r| r[4]),
            median(&|r| r[5])
        );
    }
}
