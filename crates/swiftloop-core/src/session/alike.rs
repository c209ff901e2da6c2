//! Alike tracks in one table. A description in which a track may stand for many comes in; one with every track by itself goes
//! out, and which table of the file each came from, so that errors point at lines that somebody wrote. The one idea: `*`
//! in an id or a name stands for the number of the copy; where there is none the number is added.

use super::{Description, Source, Track};
use crate::contradiction::SessionContradiction;
use crate::tables::Tables;
use crate::{Invalid, PathStep};

/// Stands for the number of a copy.
const STAR: char = '*';
/// Copies of one track, at the most.
const MOST: u32 = 2000;
/// Tracks that are written out, at the most: far more than any session has.
const IN_ALL: usize = 20_000;

/// Writes every track out. For each of them the position of its table in the file comes back.
pub(super) fn write_out(description: &mut Description, tables: &Tables) -> Result<Vec<usize>, Invalid> {
    let mut written = Vec::with_capacity(description.tracks.len());
    let mut all = Vec::with_capacity(description.tracks.len());
    let mut patterns: Vec<(String, Vec<String>)> = Vec::new();
    for (i, track) in std::mem::take(&mut description.tracks).into_iter().enumerate() {
        let Some(count) = track.count else {
            written.push(i);
            all.push(named(track));
            continue;
        };
        if !(1..=MOST).contains(&count) {
            return Err(Invalid::new(SessionContradiction::Count { count, most: MOST })
                .at("count")
                .in_list("track", i));
        }
        if all.len() + count as usize > IN_ALL {
            return Err(Invalid::new(SessionContradiction::TooManyTracks { most: IN_ALL })
                .at("count")
                .in_list("track", i));
        }
        let copies = (1..=count).map(|n| copy(&track, n));
        let ids = copies.clone().map(|t| t.id).collect();
        patterns.push((track.id.clone(), ids));
        all.extend(copies);
        written.extend(std::iter::repeat_n(i, count as usize));
    }
    description.tracks = all;
    for processors in description.buses.iter_mut().map(|b| (&b.id, &mut b.processors)) {
        name_processors(processors.0, processors.1);
    }
    name_processors("main", &mut description.main.processors);
    for performer in &mut description.performers {
        performer.hears = match performer.says_hears.take() {
            Some(said) => each_of(said, &patterns),
            None => {
                let plays = tables.listener(&performer.plays).map_or("", |l| l.id.as_str());
                usual_tracks(plays, &description.tracks)
            }
        };
    }
    for phase in &mut description.phases {
        phase.keep = each_of(std::mem::take(&mut phase.keep), &patterns);
    }
    Ok(written)
}

/// The same error, at the table that was written.
pub(super) fn as_written(mut invalid: Invalid, written: &[usize]) -> Invalid {
    if let [PathStep::Key("track"), PathStep::At(i), ..] = &mut invalid.path[..] {
        *i = written.get(*i).copied().unwrap_or(*i);
    }
    invalid
}

fn copy(track: &Track, n: u32) -> Track {
    let mut copy = track.clone();
    copy.count = None;
    copy.id = numbered(&track.id, n, "-");
    copy.name = track.name.as_deref().map(|name| numbered(name, n, " "));
    for p in &mut copy.processors {
        // Without a name of its own it takes that of the copy, below.
        if !p.id.is_empty() {
            p.id = numbered(&p.id, n, "-");
        }
        p.name = p.name.as_deref().map(|name| numbered(name, n, " "));
    }
    named(copy)
}

/// With ids for processors that have none.
fn named(mut track: Track) -> Track {
    name_processors(&track.id, &mut track.processors);
    track
}

fn name_processors(owner: &str, processors: &mut [super::Processor]) {
    for (place, p) in processors.iter_mut().enumerate().filter(|(_, p)| p.id.is_empty()) {
        p.id = format!("{owner}-{}", place + 1);
    }
}

fn numbered(word: &str, n: u32, between: &str) -> String {
    if word.contains(STAR) { word.replace(STAR, &n.to_string()) } else { format!("{word}{between}{n}") }
}

/// Who names alike tracks means each of them.
fn each_of(words: Vec<String>, patterns: &[(String, Vec<String>)]) -> Vec<String> {
    let of = |word: String| match patterns.iter().find(|(pattern, _)| *pattern == word) {
        Some((_, ids)) => ids.clone(),
        None => vec![word],
    };
    words.into_iter().flat_map(of).collect()
}

/// The tracks that somebody plays who does not say which: the live ones; for keys and pads the first instrument.
fn usual_tracks(plays: &str, tracks: &[Track]) -> Vec<String> {
    let keys = matches!(plays, "keys" | "pads");
    let theirs = |t: &&Track| t.source == if keys { Source::Instrument } else { Source::Live };
    let most = if keys { 1 } else { tracks.len() };
    tracks.iter().filter(theirs).take(most).map(|t| t.id.clone()).collect()
}
