//! A whole recording: stretches are fetched and looked at by as many workers as there are, channel by channel; what they
//! mark is put together to events.

use super::attribution::{Attribution, CrackleCause, attribute};
use super::levels::Levels;
use super::{AudioSource, ChannelMarks, Crackle, CrackleKind, Grain, banks, jumps, repeats, runs};
use std::ops::Range;
use std::sync::{Mutex, PoisonError};
use swiftloop_units::workers::Workers;

/// Frames looked at in one go.
const STRETCH: u64 = 1 << 18;
/// Stretches handed out at a time: progress is told in between.
const HANDFUL: u64 = 64;
/// Frames before a stretch that are looked at as well: copies lie behind their originals.
const BEFORE: u64 = repeats::FARTHEST as u64 + 4096;
/// Frames after it.
const AFTER: u64 = 6144;
/// Marks on two channels this near are one event.
const TOGETHER: u64 = 8;
/// Clicks and skips this near a gap, hold or repeat are its edges.
const EDGE: u64 = 48;

/// What a recording holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Scan {
    /// Every crackle, in order.
    pub events: Vec<Crackle>,
    /// What they point to.
    pub attribution: Attribution,
    pub levels: Vec<Levels>,
    /// Length in frames.
    pub frames: u64,
}

/// Listens to all of a recording; `progress` hears the share that is done.
///
/// # Errors
/// The first stretch that could not be fetched.
pub fn listen<P: AudioSource>(
    programme: &P,
    workers: &impl Workers,
    mut progress: impl FnMut(f64),
) -> Result<Scan, P::Error> {
    let frames = programme.frames();
    let mut marks: Vec<(usize, u64, ChannelMarks)> = Vec::new();
    let mut levels = vec![Levels::default(); programme.channels()];
    let mut done = 0;
    // What stretches were fetched into, for the next ones.
    let used = Mutex::new(Vec::new());
    for handful in 0..frames.div_ceil(STRETCH * HANDFUL) {
        let first = handful * HANDFUL;
        let last = (first + HANDFUL).min(frames.div_ceil(STRETCH));
        let pieces = (first..last).flat_map(|i| banks(programme.channels()).map(move |bank| (i, bank)));
        for result in workers.map(pieces.collect(), |(i, bank)| look(programme, i * STRETCH, bank, &used)) {
            let (found, bank, own) = result?;
            marks.extend(found);
            let count = STRETCH.min(frames - done);
            for (all, one) in levels[bank.clone()].iter_mut().zip(own) {
                *all = all.with(done, one, count);
            }
            // The last bank ends a stretch.
            if bank.end == programme.channels() {
                done += count;
                progress(done as f64 / frames as f64);
            }
        }
    }
    let (events, attribution) = believed(together(marks), programme);
    Ok(Scan { events, attribution, levels, frames })
}

/// Jumps from this confidence on are firm.
const FIRM: f64 = 0.5;

/// Weak jumps are believed where they keep company: slips as regular as two clocks make them, or no fewer firm crackles
/// beside them (what breaks breaks more than once). By themselves they are the starts of notes.
fn believed<P: AudioSource>(mut events: Vec<Crackle>, programme: &P) -> (Vec<Crackle>, Attribution) {
    let point_to = |events: &[Crackle]| attribute(events, programme.channels(), programme.rate());
    let attribution = point_to(&events);
    let weak = events.iter().filter(|e| is_jump(e.kind) && e.confidence < FIRM).count();
    if attribution.cause == CrackleCause::Clock || 2 * weak <= events.len() {
        // In company they are as sure as they look by themselves.
        for event in events.iter_mut().filter(|e| is_jump(e.kind) && e.confidence < FIRM) {
            event.confidence /= jumps::WEAK;
        }
        return (events, attribution);
    }
    events.retain(|e| !is_jump(e.kind) || e.confidence >= FIRM);
    let attribution = point_to(&events);
    (events, attribution)
}

/// Marks of a stretch: channel, frame of the recording, mark; the channels that were looked at, and the levels of each.
type Looked = (Vec<(usize, u64, ChannelMarks)>, Range<usize>, Vec<Levels>);

fn look<P: AudioSource>(
    programme: &P,
    from: u64,
    bank: Range<usize>,
    used: &Mutex<Vec<Vec<Vec<f32>>>>,
) -> Result<Looked, P::Error> {
    let used = || used.lock().unwrap_or_else(PoisonError::into_inner);
    let mut channels = used().pop().unwrap_or_default();
    let to = (from + STRETCH).min(programme.frames());
    let (outer_from, outer_to) = (from.saturating_sub(BEFORE), (to + AFTER).min(programme.frames()));
    programme.fetch_into(outer_from, outer_to, bank.clone(), &mut channels)?;
    let rate = f64::from(programme.rate().get());
    let mut marks = Vec::new();
    let mut levels = Vec::new();
    for (c, samples) in bank.clone().zip(&channels) {
        let grain = Grain::new(samples, programme.step());
        let mut own = runs::runs(samples, &grain, rate);
        own.extend(repeats::repeats(samples, &grain));
        let firm = own.clone();
        // What comes from the neighbourhood only: the sound has to be there on both sides.
        let near = (from - outer_from).saturating_sub(6144) as usize;
        for mut mark in jumps::jumps(&samples[near..], programme.step(), rate) {
            mark.start += near;
            if !firm.iter().any(|f| touches(f.start as u64, f.length as u64, mark.start as u64)) {
                own.push(mark);
            }
        }
        let inner = (from - outer_from) as usize..(to - outer_from) as usize;
        marks.extend(
            own.into_iter().filter(|m| inner.contains(&m.start)).map(|m| (c, outer_from + m.start as u64, m)),
        );
        levels.push(Levels::of(&samples[inner]));
    }
    used().push(channels);
    Ok((marks, bank, levels))
}

fn touches(start: u64, length: u64, at: u64) -> bool {
    at + EDGE >= start && at <= start + length + EDGE
}

/// Breaks of the run of the sound; the other kinds are stretches.
fn is_jump(kind: CrackleKind) -> bool {
    matches!(kind, CrackleKind::Click | CrackleKind::Skip | CrackleKind::Slip)
}

/// Puts the marks of all channels together.
fn together(mut marks: Vec<(usize, u64, ChannelMarks)>) -> Vec<Crackle> {
    marks.sort_by_key(|(c, at, m)| (is_jump(m.kind), *at, *c));
    let mut events: Vec<Crackle> = Vec::new();
    for (channel, start, mark) in marks {
        let length = mark.length as u64;
        let jump = is_jump(mark.kind);
        let same = events.iter_mut().rev().take(64).find(|e| {
            let near = e.start.abs_diff(start) <= TOGETHER;
            let edge = jump && !is_jump(e.kind) && touches(e.start, e.length, start);
            edge || near && is_jump(e.kind) == jump && (jump || e.kind == mark.kind)
        });
        let Some(event) = same else {
            let (kind, shift, confidence) = (mark.kind, mark.shift, mark.confidence);
            events.push(Crackle { start, length, kind, channels: vec![channel], shift, confidence });
            continue;
        };
        if !event.channels.contains(&channel) {
            event.channels.push(channel);
        }
        if is_jump(event.kind) && mark.confidence > event.confidence {
            (event.kind, event.shift, event.length) = (mark.kind, mark.shift, length);
        }
        event.start = event.start.min(start);
        event.confidence = event.confidence.max(mark.confidence);
    }
    for event in &mut events {
        event.channels.sort_unstable();
    }
    events.sort_by_key(|e| (e.start, e.kind));
    events
}
