//! Readings at several buffers: takes come in, one round trip for each buffer goes out, with what changed from start to
//! start, and the line through them that says how many blocks the driver really holds.

use crate::probe::{RoundTripLine, UnusableFit, fit, possible_trip};
use swiftloop_units::{Block, Frames, Hz, Range};

/// What the panel called the buffer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Label {
    /// Frames.
    Block(Block),
    /// So many blocks of so many frames.
    Panel(u32, Block),
    /// A name without a figure.
    Speed(String),
}

impl std::str::FromStr for Label {
    type Err = String;

    /// Digits are frames, two numbers with an x between them blocks of frames, everything else is a name.
    fn from_str(word: &str) -> Result<Self, String> {
        if let Some((count, size)) = word.split_once(['x', '*', '×'])
            && let (Ok(count), Ok(size)) = (count.trim().parse(), size.trim().parse())
        {
            return Ok(Self::Panel(count, size));
        }
        match word.parse() {
            Ok(block) => Ok(Self::Block(block)),
            Err(why) if word.chars().all(|c| c.is_ascii_digit()) => Err(why),
            Err(_) => Ok(Self::Speed(word.into())),
        }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct MeasuredTake {
    pub label: Label,
    pub rate: Hz,
    pub trip: Range<Frames>,
}

/// All readings at one buffer.
#[derive(Debug, Clone, PartialEq)]
pub struct Trip {
    pub label: Label,
    /// From the lowest to the highest of its takes, their doubt included; typical is the middle take.
    pub range: Range<Frames>,
    pub takes: usize,
    /// From the shortest to the longest take: what changes from start to start.
    pub start_to_start: Frames,
}

/// Round trips and the line through them.
#[derive(Debug, Clone, PartialEq)]
pub struct Collected {
    /// In the order of the buffers, named speeds as they came.
    pub trips: Vec<Trip>,
    /// The line, when two or more buffers have figures.
    pub line: Option<RoundTripLine>,
    /// Why the line cannot be that of a driver, if it cannot.
    pub unusable: Option<UnusableFit>,
}

const SMALLEST: Block = Block::new(16);

/// Collects takes by buffer.
#[must_use]
pub fn collect(takes: &[MeasuredTake]) -> Collected {
    let mut labels: Vec<&Label> = Vec::new();
    for take in takes {
        if !labels.contains(&&take.label) {
            labels.push(&take.label);
        }
    }
    labels.sort_by_key(|l| match l {
        Label::Block(b) => (0, b.get()),
        Label::Panel(count, b) => (*count, b.get()),
        Label::Speed(_) => (0, 0),
    });
    let trip = |label: &&Label| {
        let mut own: Vec<Range<Frames>> =
            takes.iter().filter(|t| t.label == **label).map(|t| t.trip).collect();
        own.sort_by(|a, b| a.typical().raw().total_cmp(&b.typical().raw()));
        let edge = |f: fn(f64, f64) -> f64, of: fn(&Range<Frames>) -> f64| {
            own.iter().map(of).reduce(f).unwrap_or(0.0)
        };
        let typical = own.get((own.len() - 1) / 2).map_or(Frames::new(0.0), |r| r.typical());
        let (low, high) = (edge(f64::min, |r| r.low().raw()), edge(f64::max, |r| r.high().raw()));
        let (first, last) = (edge(f64::min, |r| r.typical().raw()), edge(f64::max, |r| r.typical().raw()));
        Trip {
            label: (*label).clone(),
            range: Range::spanning(Frames::new(low), typical, Frames::new(high)),
            takes: own.len(),
            start_to_start: Frames::new(last - first),
        }
    };
    let trips: Vec<Trip> = labels.iter().map(trip).collect();
    // A line goes through one number of blocks only: the first that there is.
    let with = |l: &Label| match l {
        Label::Block(_) => Some(0),
        Label::Panel(count, _) => Some(*count),
        Label::Speed(_) => None,
    };
    let first = trips.iter().find_map(|t| with(&t.label));
    let points: Vec<(Block, Frames)> = trips
        .iter()
        .filter(|t| with(&t.label) == first)
        .filter_map(|t| match t.label {
            Label::Block(b) | Label::Panel(_, b) => Some((b, t.range.typical())),
            Label::Speed(_) => None,
        })
        .collect();
    let line = fit(&points);
    let impossible = trips.iter().find_map(|t| match t.label {
        Label::Block(block) => possible_trip(block, t.range.typical()).err(),
        // Whatever the buffer is called, nobody has a smaller one.
        Label::Panel(..) | Label::Speed(_) => possible_trip(SMALLEST, t.range.typical()).err(),
    });
    let unusable = line.and_then(|l| l.usable(&points).err()).or(impossible);
    Collected { unusable, line, trips }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn starts_that_differ_widen_the_round_trip_and_the_line_goes_through_the_middle() {
        let take = |block: u32, frames: f64| MeasuredTake {
            label: Label::Block(Block::new(block)),
            rate: Hz::new(48_000),
            trip: Range::spanning(Frames::new(frames - 0.5), Frames::new(frames), Frames::new(frames + 0.5)),
        };
        let found = collect(&[take(128, 424.0), take(64, 232.0), take(64, 240.0), take(64, 236.0)]);
        assert_eq!(found.trips.len(), 2);
        let first = &found.trips[0];
        assert_eq!((first.takes, first.start_to_start), (3, Frames::new(8.0)));
        assert_eq!(
            (first.range.low(), first.range.typical(), first.range.high()),
            (Frames::new(231.5), Frames::new(236.0), Frames::new(240.5))
        );
        let line = found.line.unwrap();
        assert!((line.blocks - 188.0 / 64.0).abs() < 1e-9 && line.buffers == 2);
    }

    #[test]
    fn a_round_trip_shorter_than_its_blocks_is_none() {
        let take = |label, frames: f64| MeasuredTake {
            label,
            rate: Hz::new(48_000),
            trip: Range::exact(Frames::new(frames)),
        };
        let block = |n| Label::Block(Block::new(n));
        // The probe itself, or a take from which the recorder took its latency: one buffer is enough to see it.
        for frames in [0.0, 3.0, -40.0, 200.0] {
            let found = collect(&[take(block(128), frames)]);
            assert!(matches!(found.unusable, Some(UnusableFit::TooSoon { .. })), "{frames}");
        }
        assert!(collect(&[take(block(128), 257.0)]).unusable.is_none());
        let line = collect(&[take(block(128), 300.0), take(block(256), 556.0)]).line.unwrap();
        assert!(line.of_model("alsa", 2.0).is_ok());
        assert!(matches!(line.of_model("ring", 3.0), Err(UnusableFit::BelowModel { .. })));
    }

    #[test]
    fn named_speeds_give_round_trips_but_no_line() {
        let take = |name: &str, frames: f64| MeasuredTake {
            label: Label::Speed(name.into()),
            rate: Hz::new(48_000),
            trip: Range::exact(Frames::new(frames)),
        };
        let found = collect(&[take("brisk", 300.0), take("easy", 500.0)]);
        assert!(found.line.is_none() && found.trips.len() == 2);
    }
}
