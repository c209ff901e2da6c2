//! `link`: against itself on this computer, against a peer that is not ours, over lines that are uneven on purpose, and with input
//! that is wrong.

mod bad;
mod lines;
mod plans;
#[cfg(unix)]
mod standard;

use crate::common::Folder;
use serde_json::Value;
use std::io::{BufRead, BufReader, Read};
use std::process::{Child, Command, Stdio};

/// The program in the background, ended with the test.
pub struct Running {
    child: Child,
    /// Where it listens, as it says itself.
    pub address: String,
}

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Running {
    /// Starts something that says where it listens; the words before the address are `listening on`.
    pub fn start(mut command: Command) -> Self {
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().expect("started");
        let out = child.stdout.take().expect("piped");
        let err = child.stderr.take().expect("piped");
        let (send, receive) = std::sync::mpsc::channel();
        for pipe in [Box::new(out) as Box<dyn Read + Send>, Box::new(err)] {
            let send = send.clone();
            std::thread::spawn(move || {
                for line in BufReader::new(pipe).lines().map_while(Result::ok) {
                    if let Some(rest) = line.strip_prefix("listening on ") {
                        let address = rest.split([',', ' ']).next().unwrap_or_default();
                        let _ = send.send(address.to_string());
                    }
                }
            });
        }
        let address = receive.recv_timeout(std::time::Duration::from_secs(60)).expect("it listens");
        Self { child, address }
    }

    /// Our own reflector on a free port.
    pub fn reflector(args: &[&str]) -> Self {
        Self::reflector_for(300, args)
    }

    /// The same, for so many seconds.
    pub fn reflector_for(seconds: u32, args: &[&str]) -> Self {
        let mut command = Command::new(assert_cmd::cargo::cargo_bin("swiftloop"));
        command.args(["link", "reflect", "--seconds", &seconds.to_string()]).args(args);
        if !args.contains(&"--listen") {
            command.args(["--listen", "127.0.0.1:0"]);
        }
        Self::start(command)
    }
}

/// A short measurement, with more options.
pub fn measured(folder: &Folder, address: &str, more: &[&str]) -> Value {
    folder.json(&[&["link", "measure", address, "--seconds", "2"], more].concat())
}

#[test]
fn a_way_within_this_computer_is_measured_kept_and_planned_with() {
    let (folder, reflector) = (Folder::empty(), Running::reflector(&[]));
    let found = measured(
        &folder,
        &reflector.address,
        &["--save", "link.json", "--packets", "packets.csv", "--svg", "link.svg", "--allow", "1000"],
    );
    assert_eq!(found["format"], "swiftloop.link-measure/1");
    assert!(found["received"].as_u64() > Some(400), "{found}");
    assert!(found["loss_by_way"]["forth"]["typical"].is_number(), "our reflector counts: {found}");
    for key in ["floor", "p50", "p99", "p999", "max"] {
        assert!(found["round_trip_ms"][key].is_number(), "{key}");
        assert!(
            found["variation_ms"]["forth"][key].is_number() && found["variation_ms"]["back"][key].is_number()
        );
    }
    for key in ["low", "typical", "high"] {
        assert!(found["clock_ppm"][key].is_number() && found["loss"][key].is_number(), "{key}");
        assert!(found["receive_buffer"][3]["late_per_hour"][key].is_number(), "{key}");
    }
    roxmltree::Document::parse(&folder.read("link.svg")).expect("a drawing");
    // What was kept says what was printed, and each packet says the same once more.
    let kept: Value = serde_json::from_str(&folder.read("link.json")).expect("JSON");
    assert_eq!(kept, found);
    let planned = folder.json(&["link", "plan", "link.json"]);
    assert_eq!(planned["format"], "swiftloop.link-plan/1");
    let again = folder.json(&["link", "plan", "packets.csv", "--allow", "1000"]);
    assert_eq!(again["far_sides"][0]["measured"]["received"], found["received"]);
    assert_eq!(again["far_sides"][0]["measured"]["variation_ms"], found["variation_ms"]);
    // Nothing is written over.
    let once_more =
        folder.run(&["link", "measure", &reflector.address, "--seconds", "1", "--save", "link.json"]);
    assert_eq!(once_more.code, 2, "{}", once_more.err);
}

#[test]
fn signed_packets_and_stateless_reflectors_do_as_well_and_other_keys_are_refused() {
    let folder = Folder::empty();
    folder.write("key", "boathouse at night\n");
    folder.write("other", "boathouse at day\n");
    let key = folder.path("key").display().to_string();
    let signed = Running::reflector(&["--key-file", &key, "--stateless"]);
    let found = measured(&folder, &signed.address, &["--key-file", "key"]);
    assert!(found["received"].as_u64() > Some(400), "{found}");
    for keys in [&["--key-file", "other"][..], &[]] {
        let refused = folder.run(&[&["link", "measure", &signed.address, "--seconds", "1"], keys].concat());
        assert_eq!(refused.code, 3, "{}", refused.err);
        assert!(
            refused.err.contains("does not answer") || refused.err.contains("not as it should"),
            "{}",
            refused.err
        );
    }
}

#[test]
fn ip_version_6_other_traffic_and_a_question_about_one_buffer() {
    let folder = Folder::empty();
    let v6 = Running::reflector(&["--listen", "[::1]:0"]);
    let found = measured(&folder, &v6.address, &["--dscp", "46", "--packet", "5ms", "--depth", "96kbit/s"]);
    assert_eq!((&found["packet"]["v6"], &found["packet"]["bytes"]), (&true.into(), &72.into()));
    let reflector = Running::reflector(&[]);
    let long = folder.run(&[
        "link",
        "measure",
        &reflector.address,
        "--seconds",
        "60",
        "--buffer",
        "400",
        "--allow",
        "100000",
    ]);
    assert_eq!(long.code, 0, "{}{}", long.out, long.err);
    assert!(long.out.starts_with("Yes: 400 ms is long enough"), "{}", long.out);
    let short = folder.run(&[
        "link",
        "measure",
        &reflector.address,
        "--seconds",
        "60",
        "--buffer",
        "0",
        "--allow",
        "1",
    ]);
    assert_eq!(short.code, 1);
    assert!(short.out.starts_with("No: 0.00 ms is too short"), "{}", short.out);
    let loaded =
        folder.json(&["link", "measure", &reflector.address, "--seconds", "11", "--with-load", "4000"]);
    assert!(loaded["with_load"]["loaded_ms"]["p99"].is_number(), "{}", loaded["with_load"]);
    assert!(loaded["receive_buffer_with_load"].as_array().is_some_and(|rows| rows.len() > 10));
}
