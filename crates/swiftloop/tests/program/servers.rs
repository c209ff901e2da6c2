//! Against real audio servers without hardware: JACK with its dummy driver, PipeWire without devices. They have to be
//! installed, so these tests are not run by default; .ci/run installs the servers and runs them:
//! `cargo test --test servers -- --ignored --test-threads 1`.
#![cfg(target_os = "linux")]

use crate::common::{Answer, Folder};
use serde_json::Value;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// A server of our own, with a folder for its sockets; ended with the test.
pub struct Server {
    child: Child,
    folder: Folder,
    name: String,
}

impl Drop for Server {
    fn drop(&mut self) {
        // Asked first, so that it clears up after itself.
        let _ = Command::new("kill").arg(self.child.id().to_string()).stderr(Stdio::null()).status();
        let patience = Instant::now() + Duration::from_secs(5);
        while matches!(self.child.try_wait(), Ok(None)) && Instant::now() < patience {
            std::thread::sleep(Duration::from_millis(50));
        }
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Server {
    fn start(program: &str, args: &[&str]) -> Self {
        let folder = Folder::empty();
        // Always the same, so that what a killed server leaves is taken up by the next.
        let name = "swiftloop-test".to_string();
        let child = Command::new(program)
            .args(args)
            .env("XDG_RUNTIME_DIR", folder.root())
            .env("JACK_DEFAULT_SERVER", &name)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap_or_else(|e| panic!("{program} is not installed: {e}"));
        let server = Self { child, folder, name };
        let patience = Instant::now() + Duration::from_secs(20);
        while server.look().is_none() {
            assert!(Instant::now() < patience, "{program} did not start");
            std::thread::sleep(Duration::from_millis(200));
        }
        server
    }

    pub fn jack() -> Self {
        Self::start("jackd", &["-r", "-d", "dummy", "-r", "48000", "-p", "512"])
    }

    pub fn pipewire() -> Self {
        Self::start("pipewire", &[])
    }

    pub fn env(&self) -> [(&str, &str); 2] {
        [("XDG_RUNTIME_DIR", self.folder.root().to_str().unwrap()), ("JACK_DEFAULT_SERVER", &self.name)]
    }

    /// Runs the program in another folder, beside this server.
    pub fn run_in(&self, folder: &Folder, args: &[&str]) -> Answer {
        folder.run_with(args, &self.env())
    }

    /// The server's number.
    pub fn pid(&self) -> u32 {
        self.child.id()
    }

    pub fn run(&self, args: &[&str]) -> Answer {
        self.folder.run_with(args, &self.env())
    }

    fn json(&self, args: &[&str]) -> Value {
        // On a starved machine a server may throw its clients out so roughly that they die of it: once more then.
        let ask = || self.run(&[args, &["--json"]].concat());
        let died = |a: &Answer| a.code < 0;
        let answer = (0..2).map(|_| ask()).find(|a| !died(a)).unwrap_or_else(ask);
        assert!((0..=1).contains(&answer.code), "{args:?} ended with {}: {}", answer.code, answer.err);
        serde_json::from_str(&answer.out).unwrap()
    }

    /// What a survey sees of it.
    fn look(&self) -> Option<Value> {
        let answer = self.run(&["survey", "--json"]);
        let survey: Value = serde_json::from_str(&answer.out).ok()?;
        survey["inventory"]["servers"].as_array()?.first().cloned()
    }

    pub fn buffer(&self) -> u64 {
        self.look().unwrap()["buffer_frames"].as_u64().unwrap()
    }

    /// A server may be silent for a while when a client of it was killed.
    fn wait_for(&self, frames: u64) {
        let patience = Instant::now() + Duration::from_secs(60);
        while self.look().is_none_or(|seen| seen["buffer_frames"] != frames) {
            assert!(Instant::now() < patience, "the buffer did not become {frames}");
        }
    }
}

#[test]
#[ignore = "needs jackd"]
fn a_survey_sees_jack_and_a_soak_goes_through_it_at_three_buffers() {
    let server = Server::jack();
    let seen = server.look().unwrap();
    assert_eq!((seen["kind"].as_str(), seen["rate_hz"].as_u64()), (Some("JACK"), Some(48_000)));
    assert_eq!(seen["buffer_frames"], 512);
    // The dummy driver has two ports each way.
    assert_eq!(seen["port_delays"].as_array().unwrap().len(), 4, "{seen}");
    for frames in [128u64, 256, 1024] {
        let text = frames.to_string();
        let soak =
            server.json(&["soak", "--through", "jack", "--work", "10", "--seconds", "2", "--buffer", &text]);
        let rung = &soak["rungs"][0];
        let (blocks, seconds) = (rung["blocks"].as_f64().unwrap(), rung["seconds"].as_f64().unwrap());
        assert_eq!(rung["buffer_frames"], frames);
        // Real periods: as many blocks as two seconds have, however late each was.
        assert!(
            (blocks / (2.0 * 48_000.0 / frames as f64) - 1.0).abs() < 0.2,
            "{frames}: {blocks} in {seconds} s"
        );
        assert_eq!(soak["server"]["buffer_frames"], 512, "put back");
        assert_eq!(server.buffer(), 512, "put back");
    }
}

#[test]
#[ignore = "needs jackd"]
fn the_buffer_is_put_back_after_the_program_is_killed() {
    let server = Server::jack();
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(["soak", "--through", "jack", "--work", "10", "--seconds", "60", "--buffer", "128"])
        .envs(server.env())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    server.wait_for(128);
    child.kill().unwrap(); // without a chance to do anything about it
    child.wait().unwrap();
    server.wait_for(512);
}

#[test]
#[ignore = "needs jackd"]
fn a_server_that_dies_in_the_middle_is_told() {
    let mut server = Server::jack();
    let child = Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(["soak", "--through", "jack", "--work", "10", "--seconds", "60"])
        .envs(server.env())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(Duration::from_secs(4));
    server.child.kill().unwrap();
    let output = child.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&output.stdout).into_owned();
    assert_eq!(output.status.code(), Some(3), "{:?} {said}", output.status);
    assert!(said.contains("The server went away in the middle"), "{said}");
    // And then there is nobody to go through.
    let answer = server.run(&["soak", "--through", "jack", "--seconds", "1"]);
    assert!(
        answer.code == 3 && answer.err.contains("no JACK or PipeWire server is running"),
        "{}",
        answer.err
    );
}

#[test]
#[ignore = "needs pipewire"]
fn a_survey_sees_pipewire_and_a_soak_goes_through_it_at_three_buffers() {
    let server = Server::pipewire();
    let seen = server.look().unwrap();
    assert_eq!((seen["kind"].as_str(), seen["rate_hz"].as_u64()), (Some("PipeWire"), Some(48_000)));
    assert!(
        seen["nodes"].as_array().unwrap().iter().any(|n| n.as_str().unwrap().contains("Dummy")),
        "{seen}"
    );
    let own = server.buffer();
    for frames in [64u64, 128, 512] {
        let text = frames.to_string();
        let soak =
            server.json(&["soak", "--through", "jack", "--work", "10", "--seconds", "2", "--buffer", &text]);
        let rung = &soak["rungs"][0];
        let blocks = rung["blocks"].as_f64().unwrap();
        assert_eq!(
            (rung["buffer_frames"].as_u64(), soak["server"]["kind"].as_str()),
            (Some(frames), Some("PipeWire"))
        );
        assert!((blocks / (2.0 * 48_000.0 / frames as f64) - 1.0).abs() < 0.3, "{frames}: {blocks}");
        assert_eq!(server.buffer(), own, "as it was");
    }
    let saved = server.run(&["survey", "--save", "rig.toml"]);
    assert!(saved.code <= 1, "{}", saved.err);
    assert!(server.folder.read("rig.toml").contains("model = \"pipewire\""));
}

/// Not a test: an interface that is not there, for the tests below, when they start this very program as such.
#[test]
#[ignore = "started by others"]
fn an_interface_that_is_not_there() {
    let Some(words) = std::env::var("SWIFTLOOP_ECHO").ok() else { return };
    let figures: Vec<usize> = words.split('+').map(|w| w.parse().unwrap()).collect();
    let stop = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    let server = swiftloop_host::jack::Server::connect("echo").unwrap();
    // Until whoever started it lets go of its input.
    let heard = std::sync::Arc::clone(&stop);
    std::thread::spawn(move || {
        let _ = std::io::copy(&mut std::io::stdin(), &mut std::io::sink());
        heard.store(true, std::sync::atomic::Ordering::Relaxed);
    });
    swiftloop_host::jack::echo(&server, (figures[0], figures[1]), &stop, || ()).unwrap();
}

/// So many blocks and frames late; goes when it is dropped.
fn echo(server: &Server, late: &str) -> Child {
    let child = Command::new(std::env::current_exe().unwrap())
        .args(["servers::an_interface_that_is_not_there", "--exact", "--ignored"])
        .envs(server.env())
        .env("SWIFTLOOP_ECHO", late)
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    std::thread::sleep(Duration::from_secs(1));
    child
}

/// What the server itself adds is one block, to the frame; and a loop of so many blocks and frames is found as just that, by itself,
/// at every buffer, and written into the rig.
fn loops_are_found(server: &Server, own: u64) {
    let inside = server.json(&["probe", "run", "--inside", "--buffers", "256,512"]);
    for (trip, buffer) in inside["trips"].as_array().unwrap().iter().zip([256.0, 512.0]) {
        let off = trip["round_trip_frames"].as_f64().unwrap() - buffer;
        assert!(off.abs() < 0.001, "{inside}");
    }
    let mut interface = echo(server, "2+37");
    server.folder.write(
        "rig.toml",
        "format = \"swiftloop.rig/1\"\nmachine = { cores = 4, memory_gb = 16, disk_mb_per_s = 400, disk_free_gb = 100 }\n\
         [[interface]]\nid = \"box\"\n[[interface.driver]]\nmodel = \"jack\"\nrates_hz = [48000]\nbuffers = { powers = [64, 1024] }\n",
    );
    let found = server.json(&[
        "probe",
        "run",
        "--play",
        "echo:in 1",
        "--record",
        "echo:out 1",
        "--buffers",
        "128,256,512",
        "--save",
        "rig.toml",
        "--interface",
        "box",
        "--driver",
        "jack",
    ]);
    let fixed = found["fixed_frames"].as_f64().unwrap();
    let blocks = found["blocks"].as_f64().unwrap();
    // The server lends each of two clients that feed each other one block.
    assert!((fixed - 37.0).abs() < 0.01 && (blocks - 3.0).abs() < 0.001, "{found}");
    assert!(server.folder.read("rig.toml").contains("measured"), "{}", server.folder.read("rig.toml"));
    assert_eq!(server.buffer(), own, "put back");
    drop(interface.stdin.take());
    interface.wait().unwrap();
}

#[test]
#[ignore = "needs jackd"]
fn a_loop_through_jack_is_measured_without_hands() {
    loops_are_found(&Server::jack(), 512);
}

#[test]
#[ignore = "needs pipewire"]
fn a_loop_through_pipewire_is_measured_without_hands() {
    let server = Server::pipewire();
    let own = server.buffer();
    loops_are_found(&server, own);
}

#[test]
#[ignore = "needs jackd"]
fn a_probe_that_is_killed_leaves_the_buffer_as_it_was() {
    let server = Server::jack();
    let mut child = Command::new(assert_cmd::cargo::cargo_bin("swiftloop"))
        .args(["probe", "run", "--inside", "--buffers", "128"])
        .envs(server.env())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    server.wait_for(128);
    child.kill().unwrap();
    child.wait().unwrap();
    server.wait_for(512);
}

#[test]
#[ignore = "needs jackd"]
fn a_loop_that_is_not_patched_says_so() {
    let server = Server::jack();
    let answer = server.run(&["probe", "run", "--level", "-30"]);
    assert!(answer.code == 2 && answer.err.contains("no probe was found"), "{} {}", answer.code, answer.err);
    let answer = server.run(&["probe", "run", "--play", "nowhere:1", "--record", "system:capture_1"]);
    assert!(answer.code == 3 && answer.err.contains("nowhere:1"), "{} {}", answer.code, answer.err);
}

#[test]
#[ignore = "needs jackd"]
fn a_server_that_says_nothing_holds_nobody_up() {
    let server = Server::jack();
    let signal = |name: &str| {
        let told = Command::new("kill").args([name, &server.child.id().to_string()]).status();
        assert!(told.unwrap().success());
    };
    signal("-STOP");
    let survey = server.run(&["survey", "--json"]);
    let soak = server.run(&["soak", "--through", "jack", "--seconds", "1"]);
    signal("-CONT");
    assert!(survey.out.contains("does not answer"), "{}", survey.out);
    assert!(soak.code == 3 && soak.err.contains("does not answer"), "{} {}", soak.code, soak.err);
}
