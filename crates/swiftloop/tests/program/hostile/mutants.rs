//! Rigs and sessions changed at random, with a fixed seed: what is refused says so, what is answered is answered soon, and no
//! answer holds a figure that cannot be.

use super::laws;
use crate::common::Folder;
use std::time::{Duration, Instant};

/// Small, fixed and our own: the same mutants everywhere.
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        // SplitMix64, in the public domain.
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) % end.max(1) as u64) as usize
    }

    fn one_of<'a>(&mut self, all: &[&'a str]) -> &'a str {
        all[self.below(all.len())]
    }
}

const NUMBERS: [&str; 25] = [
    "0",
    "-1",
    "-0.5",
    "1e9",
    "1e300",
    "-1e300",
    "1e-300",
    "4294967296",
    "9223372036854775807",
    "[-5, -2, -1]",
    "[-1, 0, 1]",
    "[0, 0, 1e9]",
    "0.1",
    "1",
    "2",
    "7",
    "1000",
    "100000",
    "nan",
    "inf",
    "65535",
    "[1, 2, 1e12]",
    "512",
    "4096",
    "1e-9",
];
const WORDS: [&str; 12] = [
    "\"\\u001b[31mred\"",
    "\"\\u001b]0;title\\u0007\"",
    "\"a\\u0000b\"",
    "\"<b>&amp;]]>\"",
    "\"\\u202eright\"",
    "\"\\uFFFE\"",
    "\"\\uFFFF\"",
    "\"\\u2028\"",
    "\"\\u0085 \\u009b31m\"",
    "\"\"",
    "\"'\\\"><script>\"",
    "\"\\U000E0100\"",
];
const BYTES: [&str; 8] = ["\u{1b}", "[", "{", "\"", "=", "\n", "\u{202e}", "-"];

/// Where figures stand, and where words in quotes do.
fn places(text: &str) -> (Vec<std::ops::Range<usize>>, Vec<std::ops::Range<usize>>) {
    let (mut numbers, mut words) = (Vec::new(), Vec::new());
    let bytes = text.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let from = at;
        match bytes[at] {
            b'"' => {
                at += 1 + text[at + 1..].find(['"', '\n']).unwrap_or(0);
                words.push(from..at + 1);
            }
            b'#' => at += text[at..].find('\n').unwrap_or(text.len() - at) - 1,
            c if c.is_ascii_digit() => {
                let own = |c: &u8| c.is_ascii_digit() || *c == b'.';
                at += bytes[at..].iter().take_while(|c| own(c)).count();
                let before = from.checked_sub(1).map_or(b' ', |i| bytes[i]);
                if matches!(before, b' ' | b'[') {
                    numbers.push(from..at);
                }
                continue;
            }
            _ => {}
        }
        at += 1;
    }
    (numbers, words)
}

fn mutate(text: &str, dice: &mut Dice) -> String {
    let mut text = text.to_string();
    for _ in 0..=dice.below(3) {
        let (numbers, words) = places(&text);
        match dice.below(10) {
            0..=5 if !numbers.is_empty() => {
                let place = numbers[dice.below(numbers.len())].clone();
                let old: f64 = text[place.clone()].parse().unwrap_or(1.0);
                let scaled = |by: f64| format!("{}", (old * by * 1e6).round() / 1e6);
                let new = match dice.below(3) {
                    0 => dice.one_of(&NUMBERS).to_string(),
                    1 => scaled([0.01, 0.5, 2.0, 3.0, 10.0, 100.0][dice.below(6)]),
                    _ => scaled([0.3, 0.8, 1.2, 5.0][dice.below(4)]).split('.').next().unwrap().to_string(),
                };
                text.replace_range(place, &new);
            }
            6 | 7 if !words.is_empty() => {
                let place = words[dice.below(words.len())].clone();
                let (old, new) = (text[place.clone()].to_string(), dice.one_of(&WORDS));
                // Everywhere, so that whoever names it still does.
                text = text.replace(&old, new);
            }
            8 => {
                let mut lines: Vec<&str> = text.lines().collect();
                let (from, count) = (dice.below(lines.len()), 1 + dice.below(8));
                let cut: Vec<&str> = lines.iter().copied().skip(from).take(count).collect();
                let to = dice.below(lines.len());
                if dice.below(2) == 0 {
                    lines.drain(from..(from + count).min(lines.len()));
                } else {
                    lines.splice(to..to, cut);
                }
                text = lines.join("\n");
            }
            _ => {
                let at = (0..=dice.below(text.len())).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0);
                text.insert_str(at, dice.one_of(&BYTES));
            }
        }
    }
    text
}

/// So long nothing may take, on the slowest of machines and not optimised; the program itself is far below.
pub const PATIENCE: Duration = Duration::from_secs(100);

#[test]
fn whatever_a_rig_or_a_session_says_the_answer_is_sound_and_soon() {
    let folder = Folder::with_demo();
    let (rig, session) = (folder.read("rig.toml"), folder.read("session.toml"));
    let mut dice = Dice(0x10_0d);
    let mut answered = 0;
    for n in 0..70 {
        let which = dice.below(3);
        folder.write("rig.toml", if which == 0 { mutate(&rig, &mut dice) } else { rig.clone() });
        folder.write("session.toml", if which > 0 { mutate(&session, &mut dice) } else { session.clone() });
        let try_it = [
            "try",
            "rig.toml",
            "session.toml",
            "--interface",
            "rack",
            "--phase",
            "tracking",
            "--buffer",
            "128",
        ];
        let begun = Instant::now();
        let before = folder.files();
        let answer = match dice.below(4) {
            0 => folder.run(&["plan", "rig.toml", "session.toml", "--svg", "plan.svg"]),
            1 => folder.run(&["plan", "rig.toml", "session.toml", "--json"]),
            2 => folder.run(&try_it),
            _ => folder.run(&[&try_it[..], &["--json"]].concat()),
        };
        let about = format!("mutant {n}");
        laws::hold(&answer, &about);
        if answer.code == 2 {
            assert_eq!(folder.files(), before, "{about} was refused, and something was written");
        }
        answered += usize::from(answer.code < 2);
        if folder.path("plan.svg").exists() {
            laws::drawing(&folder.read("plan.svg"), &about);
            std::fs::remove_file(folder.path("plan.svg")).unwrap();
        }
        assert!(begun.elapsed() < PATIENCE, "{about} took {:?}", begun.elapsed());
    }
    assert!(answered >= 12, "only {answered} of all mutants were more than refused");
}

/// One program that takes a whole core and another one's share of the rest: what took a minute once.
#[test]
fn a_session_made_to_be_hard_ends_in_an_answer() {
    let folder = Folder::with_demo();
    folder.edit("rig.toml", "load = 0.06", "load = 1");
    folder.edit("rig.toml", "core_speed = 1.3", "core_speed = 0.5");
    let heavy = folder.read("session.toml").replace("cost = \"medium\"", "cost = \"heavy\"");
    folder.write("session.toml", heavy);
    let begun = Instant::now();
    let answer = folder.run(&["plan", "rig.toml", "session.toml", "--json"]);
    laws::hold(&answer, "the hard session");
    assert!(answer.code <= 1 && begun.elapsed() < PATIENCE, "{:?}", begun.elapsed());
}
