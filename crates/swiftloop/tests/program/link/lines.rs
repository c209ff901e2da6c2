//! Over a line between two network namespaces that is uneven on purpose (an example of the host crate): what is said of it beside
//! what it did, packet by packet. As root, where the kernel has namespaces: `.ci/run` runs it.
#![cfg(target_os = "linux")]

use crate::common::Folder;
use serde_json::Value;
use std::collections::HashMap;
use std::io::{BufRead, BufReader};
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};

/// Two computers with a line between them.
struct Line {
    number: u8,
    children: Vec<Child>,
}

fn ip(words: &str) -> bool {
    Command::new("ip")
        .args(words.split_whitespace())
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|s| s.success())
}

impl Line {
    /// Nothing where namespaces may not be had.
    fn between(number: u8) -> Option<Self> {
        let line = Self { number, children: Vec::new() };
        for (side, net) in [("a", 77), ("b", 78)] {
            let n = number;
            let made = ip(&format!("netns add swl-{side}{n}"))
                && ip(&format!("link add swl{side}{n} type veth peer name swl{side}{n}p"))
                && ip(&format!("link set swl{side}{n}p netns swl-{side}{n}"))
                && ip(&format!("addr add 10.{net}.{n}.1/30 dev swl{side}{n}"))
                && ip(&format!("link set swl{side}{n} up"))
                && ip(&format!("-n swl-{side}{n} addr add 10.{net}.{n}.2/30 dev swl{side}{n}p"))
                && ip(&format!("-n swl-{side}{n} link set swl{side}{n}p up"))
                && ip(&format!("-n swl-{side}{n} link set lo up"));
            if !made {
                swiftloop_fixtures::skipped("no network namespaces to be had");
                return None;
            }
        }
        Some(line)
    }

    /// Starts the reflector and the line; the line's log goes into a file.
    fn start(&mut self, log: &str, seconds: u32, manner: &[&str]) {
        let n = self.number;
        let mut reflector = Command::new("ip");
        reflector
            .args(["netns", "exec", &format!("swl-b{n}")])
            .arg(assert_cmd::cargo::cargo_bin("swiftloop"));
        reflector.args([
            "link",
            "reflect",
            "--listen",
            &format!("10.78.{n}.2:8620"),
            "--seconds",
            &(seconds + 20).to_string(),
        ]);
        self.children.push(reflector.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap());
        let line: PathBuf =
            assert_cmd::cargo::cargo_bin("swiftloop").with_file_name("examples").join("uneven_line");
        assert!(line.exists(), "{} is built by cargo build --workspace --examples", line.display());
        let mut command = Command::new(line);
        command.args([format!("10.77.{n}.1:8620"), format!("10.78.{n}.2:8620")]).args(manner);
        command.args([format!("seconds={seconds}"), format!("log={log}")]);
        let mut child = command.stdout(Stdio::piped()).spawn().unwrap();
        let mut said = String::new();
        BufReader::new(child.stdout.take().unwrap()).read_line(&mut said).unwrap();
        assert_eq!(said.trim(), "ready");
        std::thread::sleep(std::time::Duration::from_millis(700));
        self.children.push(child);
    }

    fn measured(&self, folder: &Folder, seconds: u32, more: &[&str]) -> Value {
        let n = self.number;
        let mut command = Command::new("ip");
        command.current_dir(folder.root());
        command.args(["netns", "exec", &format!("swl-a{n}")]).arg(assert_cmd::cargo::cargo_bin("swiftloop"));
        command.args([
            "link",
            "measure",
            &format!("10.77.{n}.1:8620"),
            "--seconds",
            &seconds.to_string(),
            "--json",
        ]);
        let output = command.args(more).output().unwrap();
        serde_json::from_slice(&output.stdout)
            .unwrap_or_else(|e| panic!("{e}: {}", String::from_utf8_lossy(&output.stderr)))
    }

    /// Waits until the line has written what it did.
    fn done(&mut self) {
        if let Some(line) = self.children.get_mut(1) {
            line.wait().unwrap();
        }
    }
}

impl Drop for Line {
    fn drop(&mut self) {
        for child in &mut self.children {
            let _ = child.kill();
            let _ = child.wait();
        }
        for side in ["a", "b"] {
            ip(&format!("netns del swl-{side}{}", self.number));
            ip(&format!("link del swl{side}{}", self.number));
        }
    }
}

/// What the line did: for each way the delay of every packet in milliseconds, and how many were lost. The measurement proper is the
/// session with most packets.
struct Did {
    delays: [HashMap<u32, f64>; 2],
    lost: [usize; 2],
}

fn did(log: &str) -> Did {
    let rows: Vec<Vec<&str>> = log.lines().skip(1).map(|l| l.split(',').collect()).collect();
    let mut sessions: HashMap<&str, usize> = HashMap::new();
    rows.iter().for_each(|r| *sessions.entry(r[1]).or_default() += 1);
    let session = sessions.into_iter().max_by_key(|s| s.1).unwrap().0;
    let mut did = Did { delays: [HashMap::new(), HashMap::new()], lost: [0, 0] };
    for row in rows.iter().filter(|r| r[1] == session) {
        let way = usize::from(row[0] == "back");
        match row[3].parse::<f64>() {
            Ok(us) => {
                did.delays[way].entry(row[2].parse().unwrap()).or_insert(us / 1e3);
            }
            Err(_) => did.lost[way] += 1,
        }
    }
    did
}

fn at(sorted: &[f64], share: f64) -> f64 {
    sorted[((sorted.len() as f64 * share).ceil() as usize).clamp(1, sorted.len()) - 1]
}

#[test]
#[ignore = "needs root and network namespaces; .ci/run runs it"]
fn what_is_said_of_an_uneven_line_is_what_it_did() {
    let Some(mut line) = Line::between(41) else { return };
    let folder = Folder::empty();
    let log = folder.path("log.csv").display().to_string();
    let manner = [
        "seed=7",
        "floor_ms=6",
        "mean_ms=0.4",
        "heavy=0.02",
        "heavy_ms=2",
        "loss=0.002",
        "twice=0.001",
        "ppm=37",
    ];
    line.start(&log, 66, &manner);
    let found = line.measured(&folder, 60, &[]);
    line.done();
    let did = did(&folder.read("log.csv"));
    let trips = did.delays[0].iter().filter_map(|(k, forth)| Some(forth + did.delays[1].get(k)?));
    let floor = trips.fold(f64::INFINITY, f64::min);
    let said = found["round_trip_ms"]["floor"].as_f64().unwrap();
    println!("floor: {floor:.3} ms, said {said:.3}");
    assert!((said - floor).abs() < 0.1);
    for (way, name) in ["forth", "back"].iter().enumerate() {
        let mut late: Vec<f64> = did.delays[way].values().copied().collect();
        late.sort_by(f64::total_cmp);
        let least = late[0];
        for (share, key) in [(0.5, "p50"), (0.9, "p90"), (0.99, "p99"), (0.999, "p999")] {
            let (is, said) = (at(&late, share) - least, found["variation_ms"][name][key].as_f64().unwrap());
            println!("{name} {key}: {is:.3} ms, said {said:.3}");
            // A tenth; and as for the floor, what this machine itself adds between the line's log and the program.
            assert!((said - is).abs() < 0.1 * is + 0.1, "{name} {key}: {is} {said}");
        }
        let of = did.delays[way].len() + did.lost[way];
        let share = did.lost[way] as f64 / of as f64;
        let by = &found["loss_by_way"][name];
        println!("{name} lost: {share:.5}, said {by}");
        assert!((by["typical"].as_f64().unwrap() - share).abs() < 3e-4, "{by} {share}");
        // What was asked of the line lies within the interval.
        assert!(by["low"].as_f64() <= Some(0.002) && Some(0.002) <= by["high"].as_f64(), "{by}");
    }
    println!("clock: {}", found["clock_ppm"]);
    assert!((found["clock_ppm"]["typical"].as_f64().unwrap() - 37.0).abs() < 1.0);
    assert!(found["duplicates"].as_u64() > Some(5) && found["carries_it"] == true);
}

#[test]
#[ignore = "needs root and network namespaces; .ci/run runs it"]
fn a_line_that_is_too_slow_or_disordered_is_told_as_such() {
    let Some(mut line) = Line::between(42) else { return };
    let folder = Folder::empty();
    let log = folder.path("log.csv").display().to_string();
    line.start(&log, 40, &["seed=3", "floor_ms=3", "mean_ms=1.5", "overtake=1"]);
    let found = line.measured(&folder, 10, &["--packet", "1ms"]);
    assert!(found["reordered"].as_u64() > Some(50), "{}", found["reordered"]);
    drop(line);
    let Some(mut slow) = Line::between(43) else { return };
    slow.start(&log, 40, &["seed=3", "floor_ms=3", "kbit_s=1250"]);
    // Stereo in 16 bits takes far more than that, also from a machine that does not always keep the pace.
    let found = slow.measured(&folder, 12, &[]);
    assert_eq!(found["carries_it"], false, "{}", found["loss"]);
    // A way that carries less in one piece than a packet holds says so.
    assert!(ip("-n swl-a43 link set swla43p mtu 600") && ip("link set swla43 mtu 600"));
    let cut = slow.measured(&folder, 2, &["--packet", "256", "--channels", "1", "--depth", "24"]);
    assert_eq!(cut["cut_at_bytes"], 600, "{}", cut["packet"]);
    // Mono does not.
    let found = slow.measured(&folder, 8, &["--channels", "1"]);
    assert_eq!(found["carries_it"], true, "{}", found["loss"]);
}
