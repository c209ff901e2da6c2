//! New files to start from: a dozen answers in, a commented `rig.toml` and `session.toml` out. Both are read back
//! by the very reader that users' files go through, so a template can never drift from the format.

use std::fmt::Write;

/// What a new rig and session are made from.
#[derive(Debug, Clone, PartialEq)]
pub struct Answers {
    pub class: String,
    pub cores: u32,
    pub threads: u32,
    pub memory_gb: f64,
    pub disk_free_gb: f64,
    /// How the interface is connected.
    pub connection: String,
    pub driver: String,
    /// Rates that the driver offers.
    pub rates_hz: Vec<u32>,
    /// Rate of the finished work.
    pub rate_hz: u32,
    pub playing: String,
    /// How the performer listens.
    pub listening: String,
    /// Direct monitoring of the interface: `none`, `plain` or `effects`.
    pub direct: String,
    /// Recorded tracks beside the performer's own.
    pub tracks: u32,
    /// Software instruments beside the performer's own.
    pub instruments: u32,
    /// Samples that each of them holds in memory.
    pub memory_each_gb: f64,
    /// Kinds of phases, in order.
    pub phases: Vec<String>,
    /// Look-ahead on the main output, in frames.
    pub main_lookahead: u32,
    /// The software renders recorded tracks ahead.
    pub renders_ahead: bool,
}

impl Default for Answers {
    fn default() -> Self {
        Self {
            class: "desktop".into(),
            cores: 4,
            threads: 4,
            memory_gb: 16.0,
            disk_free_gb: 100.0,
            connection: "usb2".into(),
            driver: "alsa".into(),
            rates_hz: vec![44_100, 48_000, 96_000],
            rate_hz: 48_000,
            playing: "voice".into(),
            listening: "headphones".into(),
            direct: "none".into(),
            tracks: 8,
            instruments: 0,
            memory_each_gb: 0.0,
            phases: vec!["tracking".into(), "mixing".into()],
            main_lookahead: 0,
            renders_ahead: false,
        }
    }
}

impl Answers {
    #[must_use]
    pub fn rig(&self) -> String {
        let rates = list(&self.rates_hz);
        let Self { class, cores, threads, memory_gb, disk_free_gb, connection, driver, direct, .. } = self;
        format!(
            r#"# What there is. The unit is part of each key; a range is [low, typical, high].
# Every key, with its meaning: swiftloop schema rig
format = "swiftloop.rig/1"
name = "My rig"

[machine]
class = "{class}"            # desktop or laptop
power = "balanced"           # power plan: performance, balanced or saving
cores = {cores}
threads = {threads}
core_speed = 1.0             # one core against a 2020 desktop core at 4 GHz
memory_gb = {memory_gb:?}
disk_mb_per_s = 300          # sustained, reading and writing mixed
disk_free_gb = {disk_free_gb:?}
other_load = 0.03            # what else runs all the time, as a share of the machine

[[interface]]
id = "interface"
name = "main interface"
connection = "{connection}"  # pcie, thunderbolt, usb1, usb2, usb3, network, built-in
hub = false                  # true when it shares a hub
clock = "internal"           # internal, word-clock, external
direct = "{direct}"          # direct monitoring: none, plain, effects
channels = {{ inputs = 2, outputs = 2 }}
# From the data sheet, if it says; assumed otherwise:
# converter = [{{ rate_hz = 48000, in_frames = 20, out_frames = 25 }}]

[[interface.driver]]
model = "{driver}"
rates_hz = [{rates}]
depths = [24]
buffers = {{ powers = [32, 2048] }}
# The most useful line of this file, once you have measured a round trip through a cable from output to input:
# measured = [{{ rate_hz = 48000, buffer_frames = 128, round_trip_frames = 400 }}]

# Every place that has a rate of its own, with its present value:
# [[place]]
# name = "system playback"
# kind = "system-playback"   # system-playback, system-recording, panel, program
# interface = "interface"
# rate_hz = 48000

# Programs that run beside the session:
# [[program]]
# id = "browser"
# load = 0.05                # share of the whole machine
# memory_gb = 2
"#
        )
    }

    #[must_use]
    pub fn session(&self) -> String {
        let Self { rate_hz, playing, listening, renders_ahead, .. } = self;
        let (source, first) = if self.plays_keys() {
            ("instrument", "{ id = \"instrument\", kind = \"instrument\", cost = \"heavy\", voices = 16 },")
        } else {
            ("live", "{ id = \"performer-eq\", name = \"equaliser\", cost = \"light\" },")
        };
        // Who listens through the interface would hear the software's copy as well.
        let monitor = if listening == "direct" {
            "monitor = \"never\"              # heard through the interface, not through the software\n"
        } else {
            ""
        };
        let mut text = format!(
            r#"# What is wanted. The unit is part of each key.
# Every key, with its meaning: swiftloop schema session
format = "swiftloop.session/1"
name = "My session"

[deliver]
rate_hz = {rate_hz}
depth = 24

[engine]
renders_ahead = {renders_ahead}        # true when the software renders recorded tracks in larger blocks

[[track]]
id = "performer"
source = "{source}"               # live, instrument or disk
{monitor}processor = [
  {first}
]
"#
        );
        text.push_str(&self.alike());
        if self.main_lookahead > 0 {
            let _ = write!(
                text,
                "\n[main]\nprocessor = [{{ id = \"main-lookahead\", name = \"look-ahead on the main output\", \
                 latency_frames = {}, cost = \"medium\" }}]\n",
                self.main_lookahead
            );
        }
        let _ = write!(
            text,
            r#"
[[performer]]
id = "me"
name = "the performer"
plays = "{playing}"               # voice, drums, plucked, wind, bowed, keys, pads (swells; drum pads are keys)
listens = "{listening}"      # headphones, in-ears, speakers, direct
hears = ["performer"]
"#
        );
        for kind in &self.phases {
            let performers = if PERFORMED.contains(&kind.as_str()) { "performers = [\"me\"]\n" } else { "" };
            let _ = write!(text, "\n[[phase]]\nkind = \"{kind}\"\n{performers}");
        }
        text
    }

    /// A key starts a sound of the software; nothing comes in through a microphone.
    #[must_use]
    pub fn plays_keys(&self) -> bool {
        matches!(self.playing.as_str(), "keys" | "pads")
    }

    /// Tracks that are alike, each kind in one table.
    fn alike(&self) -> String {
        let mut text = String::new();
        if self.tracks > 0 {
            let _ = write!(
                text,
                r#"
[[track]]
id = "track-*"               # track-1, track-2 …: so many alike; what differs gets a table of its own
count = {}
source = "disk"
channels = 2
processor = [
  {{ id = "track-*-eq", cost = "light" }},      # light, medium, heavy or extreme
  {{ id = "track-*-comp", cost = "medium" }},
]
"#,
                self.tracks
            );
        }
        if self.instruments > 0 {
            let _ = write!(
                text,
                r#"
[[track]]
id = "instrument-*"
count = {}
source = "instrument"
channels = 2
memory_gb = {:?}              # samples that each holds
processor = [{{ id = "sampler-*", kind = "instrument", cost = "medium", voices = 16 }}]
"#,
                self.instruments, self.memory_each_gb
            );
        }
        text
    }
}

/// Phases in which somebody performs.
const PERFORMED: [&str; 5] = ["tracking", "overdub", "writing", "show", "remote"];

fn list(all: &[u32]) -> String {
    all.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::Answers;
    use crate::{rig_from, session_from, tables};

    #[test]
    fn every_answer_makes_files_that_are_read_back() {
        for driver in &tables().driver {
            for listener in &tables().listener {
                for listening in ["headphones", "in-ears", "speakers", "direct"] {
                    let answers = Answers {
                        driver: driver.id.clone(),
                        playing: listener.id.clone(),
                        listening: listening.into(),
                        direct: "plain".into(),
                        main_lookahead: 64,
                        instruments: 25,
                        memory_each_gb: 1.8,
                        phases: tables().phase.iter().map(|p| p.id.clone()).collect(),
                        ..Answers::default()
                    };
                    let rig = rig_from("rig.toml", &answers.rig(), tables()).expect("a rig");
                    let session =
                        session_from("session.toml", &answers.session(), &rig, tables()).expect("a session");
                    assert_eq!(session.tracks.len(), 9 + 25);
                }
            }
        }
    }
}
