//! Processors that are built into this program, so that there is something to weigh where nothing else is: the made-up ones of the
//! sample session. Their work is steps that wait for each other; what they cost is what a machine takes for these.

use super::{Listed, Running, Standard, Unfit};
use std::path::{Path, PathBuf};

struct SyntheticKind {
    id: &'static str,
    name: &'static str,
    /// Steps of work in each call and in each frame.
    call: u32,
    frame: u32,
    /// Frames that the sound comes later.
    late: usize,
    /// A block of its own, and its steps.
    own: Option<(u32, u32)>,
    /// Steps in each frame of each voice, and voices at the most.
    voices: Option<(u32, u32)>,
}

const PLAIN: SyntheticKind =
    SyntheticKind { id: "", name: "", call: 0, frame: 0, late: 0, own: None, voices: None };

const KINDS: [SyntheticKind; 10] = [
    SyntheticKind { id: "gate", name: "gate", call: 120, frame: 8, ..PLAIN },
    SyntheticKind { id: "compressor", name: "compressor", call: 400, frame: 40, late: 64, ..PLAIN },
    SyntheticKind { id: "equaliser", name: "equaliser", call: 300, frame: 45, ..PLAIN },
    SyntheticKind {
        id: "tuner",
        name: "pitch correction",
        call: 200,
        frame: 4,
        late: 2048,
        own: Some((512, 120_000)),
        ..PLAIN
    },
    SyntheticKind { id: "room", name: "room reverb", call: 1_500, frame: 220, ..PLAIN },
    SyntheticKind { id: "warmth", name: "saturation", call: 350, frame: 35, ..PLAIN },
    SyntheticKind {
        id: "cleaning",
        name: "noise cleaning",
        call: 100,
        frame: 4,
        late: 4096,
        own: Some((1024, 50_000)),
        ..PLAIN
    },
    SyntheticKind { id: "limiter", name: "look-ahead limiter", call: 400, frame: 50, late: 240, ..PLAIN },
    SyntheticKind { id: "harp", name: "sampled harp", call: 900, frame: 20, voices: Some((8, 32)), ..PLAIN },
    SyntheticKind {
        id: "bells",
        name: "modelled bells",
        call: 900,
        frame: 30,
        voices: Some((25, 16)),
        ..PLAIN
    },
];

pub(super) struct MadeUp;

impl Standard for MadeUp {
    fn word(&self) -> &'static str {
        "made-up"
    }

    fn may_be(&self, path: &Path) -> bool {
        self.own().is_some_and(|own| own == path)
    }

    fn places(&self) -> (&'static str, &'static [&'static str]) {
        ("", &[])
    }

    fn own(&self) -> Option<PathBuf> {
        std::env::current_exe().ok()
    }

    fn list(&self, _: &Path) -> Result<Vec<Listed>, Unfit> {
        let of = |k: &SyntheticKind| Listed {
            id: k.id.into(),
            name: k.name.into(),
            channels: (if k.voices.is_some() { 0 } else { 2 }, 2),
            version: None,
        };
        Ok(KINDS.iter().map(of).collect())
    }

    fn begin(&self, _: &Path, id: &str, _: u32, longest: usize) -> Result<Box<dyn Running>, Unfit> {
        let kind = KINDS.iter().find(|k| k.id == id).ok_or_else(|| Unfit::NotThere(id.into()))?;
        let channels = |n: usize| vec![vec![0.0; longest]; n];
        Ok(Box::new(SyntheticProcessor {
            kind,
            inputs: channels(if kind.voices.is_some() { 0 } else { 2 }),
            outputs: channels(2),
            past: vec![vec![0.0; kind.late.max(1)]; 2],
            at: 0,
            seen: 0,
            held: 0,
        }))
    }
}

struct SyntheticProcessor {
    kind: &'static SyntheticKind,
    inputs: Vec<Vec<f32>>,
    outputs: Vec<Vec<f32>>,
    past: Vec<Vec<f32>>,
    at: usize,
    seen: u64,
    held: u32,
}

/// So many steps, each of which waits for the one before.
fn steps(count: u64) {
    let mut x = std::hint::black_box(0.5f32);
    for _ in 0..count {
        x = x * 0.999 + 0.000_1;
    }
    std::hint::black_box(x);
}

impl Running for SyntheticProcessor {
    fn inputs(&mut self) -> &mut [Vec<f32>] {
        &mut self.inputs
    }

    fn outputs(&self) -> &[Vec<f32>] {
        &self.outputs
    }

    fn work(&mut self, frames: usize) {
        let kind = self.kind;
        let voices = kind.voices.map_or(0, |(each, most)| each * self.held.min(most));
        steps(u64::from(kind.call) + u64::from(kind.frame + voices) * frames as u64);
        if let Some((block, work)) = kind.own {
            let before = self.seen / u64::from(block);
            self.seen += frames as u64;
            steps((self.seen / u64::from(block) - before) * u64::from(work));
        }
        let (late, from) = (kind.late, self.at);
        for ((input, output), past) in self.inputs.iter().zip(&mut self.outputs).zip(&mut self.past) {
            self.at = from;
            for (o, i) in output[..frames].iter_mut().zip(&input[..frames]) {
                *o = if late == 0 { *i } else { std::mem::replace(&mut past[self.at], *i) };
                self.at = (self.at + 1) % late.max(1);
            }
        }
    }

    fn reported(&self) -> Option<f64> {
        Some(self.kind.late as f64)
    }

    fn hold(&mut self, keys: &[u8]) -> bool {
        self.held = keys.len() as u32;
        self.kind.voices.is_some()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_is_as_late_as_it_says_and_hands_on_what_it_gets() {
        let own = MadeUp.own().expect("this program");
        assert!(MadeUp.may_be(&own) && !MadeUp.may_be(Path::new("another")));
        for listed in MadeUp.list(&own).expect("built in") {
            let mut one = MadeUp.begin(&own, &listed.id, 48_000, 64).expect("begun");
            assert_eq!((one.inputs().len(), one.outputs().len()), listed.channels);
            if listed.channels.0 == 0 {
                assert!(one.hold(&[60, 64]), "{}", listed.id);
                continue;
            }
            assert!(!one.hold(&[60]));
            let late = one.reported().expect("said") as usize;
            let mut heard = Vec::new();
            for block in 0..(late / 64 + 2) {
                one.inputs()[0].fill(0.0);
                one.inputs()[0][0] = if block == 0 { 1.0 } else { 0.0 };
                one.work(64);
                heard.extend_from_slice(&one.outputs()[0]);
            }
            assert_eq!(heard.iter().position(|s| *s == 1.0), Some(late), "{}", listed.id);
        }
        assert!(matches!(MadeUp.begin(&own, "nothing", 48_000, 64), Err(Unfit::NotThere(_))));
    }
}
