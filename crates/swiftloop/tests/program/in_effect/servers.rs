//! Against real servers without hardware, and this very computer: needs pipewire, jackd and the superuser, so these are not run
//! by default; .ci/run does, one after another.

use super::settings;
use crate::common::{Answer, Folder};
use crate::servers::Server;
use serde_json::Value;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const SHARE: &str = "/proc/sys/kernel/sched_rt_runtime_us";

/// A program that works all the time.
struct Busy(Child);

impl Busy {
    fn start() -> Self {
        Self(Command::new("sh").args(["-c", "while :; do :; done"]).spawn().unwrap())
    }
}

impl Drop for Busy {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// The computer's own share of real-time work, put back whatever happens.
struct Share {
    all: String,
    group: Option<String>,
}

/// Where the kernel shares real-time work out among groups, they may not have more than all.
const GROUP: &str = "/sys/fs/cgroup/cpu/cpu.rt_runtime_us";

impl Share {
    fn set(us: &str) -> Self {
        let share =
            Self { all: std::fs::read_to_string(SHARE).unwrap(), group: std::fs::read_to_string(GROUP).ok() };
        if share.group.is_some() {
            std::fs::write(GROUP, us).unwrap();
        }
        std::fs::write(SHARE, us).unwrap();
        share
    }
}

impl Drop for Share {
    fn drop(&mut self) {
        let _ = std::fs::write(SHARE, &self.all);
        if let Some(group) = &self.group {
            let _ = std::fs::write(GROUP, group);
        }
    }
}

fn metadata(server: &Server) -> String {
    let output = Command::new("pw-metadata").args(["-n", "settings"]).envs(server.env()).output().unwrap();
    String::from_utf8(output.stdout).unwrap()
}

fn set_metadata(server: &Server, key: &str, value: &str) {
    let _ = Command::new("pw-metadata")
        .args(["-n", "settings", "0", key, value])
        .envs(server.env())
        .stdout(Stdio::null())
        .status();
}

fn limit_us() -> i32 {
    let bytes = std::fs::read("/dev/cpu_dma_latency").unwrap_or_default();
    bytes.get(..4).map_or(-1, |b| i32::from_ne_bytes([b[0], b[1], b[2], b[3]]))
}

fn json(answer: &Answer) -> Value {
    serde_json::from_str(&answer.out).unwrap_or_else(|e| panic!("{e}: {} {}", answer.out, answer.err))
}

fn ids(check: &Value, key: &str) -> Vec<String> {
    let list = if key == "differences" { &check["computers"][0][key] } else { &check[key] };
    list.as_array().unwrap().iter().map(|d| d["id"].as_str().unwrap().to_string()).collect()
}

const DUMMY: (&str, &str) = ("interface_name", "interface_name = \"Dummy-Driver\"");

/// Scheduling of the thread of the server that moves sound.
fn scheduling(server: &Server) -> (u32, String) {
    let pid = server.pid();
    let tasks = std::fs::read_dir(format!("/proc/{pid}/task")).unwrap();
    let mut all: Vec<u32> =
        tasks.map(|t| t.unwrap().file_name().to_str().unwrap().parse().unwrap()).collect();
    all.sort_unstable();
    let thread = *all.iter().find(|t| **t != pid).expect("a thread that moves sound");
    let stat = std::fs::read_to_string(format!("/proc/{thread}/stat")).unwrap();
    let rest: Vec<&str> = stat.rsplit_once(')').unwrap().1.split_whitespace().collect();
    (thread, format!("{} {}", rest[38], rest[37]))
}

#[test]
#[ignore = "needs pipewire, and the superuser"]
fn ten_differences_made_on_purpose_are_named_what_can_be_set_is_set_and_all_goes_back() {
    let server = Server::pipewire();
    let folder = Folder::empty();
    folder.write(
        "settings.toml",
        settings(&[
            ("driver", "driver = \"pipewire\""),
            ("interface_name", "interface_name = \"a box that is not here\""),
            ("interface", "interface = \"absent\""),
            ("rate_hz", "rate_hz = 44100"),
            ("buffer_frames", "buffer_frames = 4096"),
            ("buffer", "buffer = \"4096\""),
            ("memory_gb", "memory_gb = 100000"),
            ("recording_mb_per_minute", "recording_mb_per_minute = 1e9"),
            ("quit", "quit = [\"sh\"]"),
        ]),
    );
    folder.write("good.toml", "format = \"swiftloop.good/1\"\n");
    let check = |args: &[&str]| server.run_in(&folder, &[&["check", "settings.toml"], args].concat());
    check(&["--remember"]);
    let good = folder.read("good.toml");
    let kernel = good.lines().find(|l| l.starts_with("is = ")).unwrap().to_string();
    folder.write("good.toml", good.replacen(&kernel, "is = \"another\"", 1));
    set_metadata(&server, "clock.force-quantum", "256");
    let (thread, before) = scheduling(&server);
    let ordinary = Command::new("chrt").args(["-o", "-p", "0", &thread.to_string()]).status().unwrap();
    assert!(ordinary.success());
    let _share = Share::set("600000");
    let _busy = Busy::start();
    std::thread::sleep(Duration::from_millis(500));
    let was = (metadata(&server), std::fs::read_to_string(SHARE).unwrap(), limit_us());
    let found = ids(&json(&check(&["--json"])), "differences");
    for wanted in [
        "device",
        "rate",
        "rate-not-allowed",
        "buffer",
        "buffer-bounds",
        "thread-priority",
        "realtime-share",
        "programs",
        "too-little-memory",
        "disk",
        "version",
    ] {
        assert!(found.contains(&wanted.to_string()), "{wanted}: {found:?}");
    }
    let applied = server.run_in(&folder, &["apply", "settings.toml", "--yes", "--json"]);
    let left = ids(&json(&applied), "still_differs");
    for cured in ["rate", "rate-not-allowed", "buffer", "buffer-bounds", "thread-priority", "realtime-share"]
    {
        assert!(!left.contains(&cured.to_string()), "{cured}: {}", applied.out);
    }
    for hands in ["device", "programs", "too-little-memory", "disk", "version"] {
        assert!(left.contains(&hands.to_string()), "{hands}: {left:?}");
    }
    let now = metadata(&server);
    assert!(
        now.contains("clock.force-quantum' value:'4096'") && now.contains("clock.force-rate' value:'44100'"),
        "{now}"
    );
    assert_eq!(std::fs::read_to_string(SHARE).unwrap().trim(), "950000");
    assert!(scheduling(&server).1.starts_with("1 80"), "{:?}", scheduling(&server));
    assert!((0..=200).contains(&limit_us()) || limit_us() == -1, "{}", limit_us());
    let back = server.run_in(&folder, &["apply", "--back"]);
    assert_eq!(back.code, 0, "{}{}", back.out, back.err);
    assert_eq!((metadata(&server), std::fs::read_to_string(SHARE).unwrap(), limit_us()), was);
    assert_eq!(scheduling(&server).1, "0 0");
    let again = Command::new("chrt")
        .args(["-f", "-p", before.rsplit(' ').next().unwrap(), &thread.to_string()])
        .status();
    assert!(again.is_ok());
}

#[test]
#[ignore = "needs pipewire"]
fn what_another_program_changes_meanwhile_stays_and_a_server_that_dies_takes_its_settings_with_it() {
    let server = Server::pipewire();
    let folder = Folder::empty();
    folder.write("settings.toml", settings(&[("driver", "driver = \"pipewire\""), DUMMY]));
    let apply = ["apply", "settings.toml", "--only", "server"];
    let set = server.run_in(&folder, &apply);
    assert!(set.out.contains("not held → 128 frames"), "{}{}", set.out, set.err);
    set_metadata(&server, "clock.force-quantum", "512");
    let back = server.run_in(&folder, &["apply", "--back"]);
    assert!(back.code == 0 && back.out.contains("somebody set it to 512 frames"), "{}{}", back.out, back.err);
    assert!(metadata(&server).contains("clock.force-quantum' value:'512'"));
    // Again, and now the server dies.
    set_metadata(&server, "clock.force-quantum", "0");
    server.run_in(&folder, &apply);
    let env: Vec<(String, String)> = server.env().iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
    drop(server);
    let env: Vec<(&str, &str)> = env.iter().map(|(k, v)| (k.as_str(), v.as_str())).collect();
    let dead = folder.run_with(&["apply", "--back"], &env);
    assert!(dead.code == 0 && dead.out.contains("not there any more"), "{}{}", dead.out, dead.err);
}

#[test]
#[ignore = "needs pipewire"]
fn while_something_plays_buffer_and_rate_of_the_graph_itself_go_there_and_back() {
    let server = Server::pipewire();
    let folder = Folder::empty();
    folder.write(
        "settings.toml",
        settings(&[("driver", "driver = \"pipewire\""), DUMMY, ("rate_hz", "rate_hz = 44100")]),
    );
    let args = ["watch", "settings.toml", "--length", "25s", "--log", "log.jsonl"];
    std::thread::scope(|scope| {
        // It takes part in the graph, and tells how that runs.
        let watch = scope.spawn(|| server.run_in(&folder, &args));
        std::thread::sleep(Duration::from_secs(4));
        let set = server.run_in(&folder, &["apply", "settings.toml", "--only", "server"]);
        assert!(set.out.contains("2 things were set"), "{}{}", set.out, set.err);
        std::thread::sleep(Duration::from_secs(3));
        let back = server.run_in(&folder, &["apply", "--back"]);
        assert_eq!(back.code, 0, "{}", back.err);
        watch.join().unwrap();
    });
    let log: Vec<Value> =
        folder.read("log.jsonl").lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    for (what, values) in [("buffer", ["1024 frames", "128 frames"]), ("rate", ["48000 Hz", "44100 Hz"])] {
        let all: Vec<(&str, &str)> = log
            .iter()
            .filter(|e| e["event"] == "changed" && e["what"] == what)
            .map(|e| (e["from"].as_str().unwrap(), e["to"].as_str().unwrap()))
            .collect();
        let [usual, planned] = values;
        assert_eq!(all.first(), Some(&(usual, planned)), "{log:?}");
        assert_eq!(all.last().unwrap().1, usual, "{log:?}");
    }
}

#[test]
#[ignore = "needs pipewire"]
fn killed_while_it_sets_a_server_everything_goes_back() {
    let server = Server::pipewire();
    let folder = Folder::empty();
    folder.write(
        "settings.toml",
        settings(&[("driver", "driver = \"pipewire\""), DUMMY, ("rate_hz", "rate_hz = 44100")]),
    );
    let was = metadata(&server);
    let mut random = fastrand::Rng::with_seed(3);
    for round in 0..10 {
        let mut child = Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
            .args(["apply", "settings.toml", "--only", "server"])
            .current_dir(folder.root())
            .envs(server.env())
            .env("XDG_STATE_HOME", folder.path(".state"))
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(Duration::from_millis(random.u64(700..2200)));
        child.kill().unwrap();
        child.wait().unwrap();
        let patience = Instant::now() + Duration::from_secs(20);
        loop {
            let back = server.run_in(&folder, &["apply", "--back"]);
            if metadata(&server) == was {
                break;
            }
            assert!(Instant::now() < patience, "{round}: {}{}", back.out, back.err);
        }
    }
}

#[test]
#[ignore = "needs jackd"]
fn the_buffer_of_jack_is_set_and_goes_back_and_a_rate_it_cannot_have_is_told() {
    let server = Server::jack();
    let folder = Folder::empty();
    let jack = [("driver", "driver = \"jack\""), ("interface_name", "interface_name = \"system\"")];
    folder.write("settings.toml", settings(&jack));
    let set = server.run_in(&folder, &["apply", "settings.toml", "--only", "server", "--json"]);
    assert_eq!(json(&set)["set"][0]["is"], "128", "{}", set.out);
    assert_eq!(server.buffer(), 128);
    assert_eq!(server.run_in(&folder, &["apply", "--back"]).code, 0);
    assert_eq!(server.buffer(), 512);
    let other = [&jack[..], &[("rate_hz", "rate_hz = 44100")]].concat();
    folder.write("settings.toml", settings(&other));
    let check = json(&server.run_in(&folder, &["check", "settings.toml", "--json"]));
    let rate = check["computers"][0]["differences"]
        .as_array()
        .unwrap()
        .iter()
        .find(|d| d["id"] == "rate")
        .unwrap()
        .clone();
    assert_eq!(rate["apply_sets_it"], false, "{rate}");
}

#[test]
#[ignore = "needs jackd"]
fn a_watch_tells_what_changes_and_counts_what_the_server_tells() {
    let server = Server::jack();
    let folder = Folder::empty();
    folder.write(
        "settings.toml",
        settings(&[("driver", "driver = \"jack\""), ("buffer_frames", "buffer_frames = 512")]),
    );
    let watch = std::thread::scope(|scope| {
        let watch = scope.spawn(|| {
            let args = [
                "watch",
                "settings.toml",
                "--length",
                "8s",
                "--log",
                "log.jsonl",
                "--metrics",
                "m.prom",
                "--json",
            ];
            server.run_in(&folder, &args)
        });
        std::thread::sleep(Duration::from_secs(3));
        let _ =
            server.run(&["soak", "--through", "jack", "--work", "1", "--seconds", "1", "--buffer", "1024"]);
        watch.join().unwrap()
    });
    assert!((0..=1).contains(&watch.code), "{}", watch.err);
    let told = json(&watch);
    assert_eq!(
        (told["server"].as_str(), told["summary"]["told_by_server"].as_bool()),
        (Some("JACK"), Some(true))
    );
    assert!(told["own_share_of_core"].as_f64() < Some(0.1), "{told}");
    let log: Vec<Value> =
        folder.read("log.jsonl").lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert_eq!(log[0]["format"], "swiftloop.watch-log/1");
    let changed =
        log.iter().any(|e| e["event"] == "changed" && e["what"] == "buffer" && e["to"] == "1024 frames");
    assert!(changed, "{log:?}");
    assert_eq!(log.last().unwrap()["event"], "end");
    let xruns: u64 = log.iter().filter(|e| e["event"] == "xrun").map(|e| e["count"].as_u64().unwrap()).sum();
    assert_eq!(told["summary"]["dropouts"].as_u64(), Some(xruns));
    assert!(folder.read("m.prom").ends_with("# EOF\n"));
    // No server at all: there is nothing to watch.
    let alone = folder.run_with(
        &["watch", "settings.toml", "--length", "1s"],
        &[("JACK_DEFAULT_SERVER", "nobody"), ("XDG_RUNTIME_DIR", "/nowhere")],
    );
    assert_eq!(alone.code, 3, "{}", alone.err);
}
