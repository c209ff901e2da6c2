//! The languages that panels speak: frames, powers of two, steps, milliseconds, a number of blocks times a
//! size, or named speeds without figures. All come out as [`Offered`]: what to set, and how many frames it is.

use schemars::JsonSchema;
use serde::Deserialize;
use swiftloop_units::{Block, Frames, Hz, Ms, Range};

/// Buffers a driver offers; exactly one of the keys.
#[derive(Debug, Clone, Default, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Buffers {
    /// A list of sizes in frames.
    pub frames: Option<Vec<Block>>,
    /// Powers of two from the first to the second.
    pub powers: Option<[Block; 2]>,
    /// From, to, by.
    pub steps: Option<Steps>,
    /// Sizes in milliseconds; the frame count follows from the rate.
    pub ms: Option<Vec<Ms>>,
    /// A number of blocks times a size.
    pub blocks: Option<CountTimesSize>,
    /// Names of speeds, fastest first, when the panel shows no figures.
    pub speeds: Option<Vec<String>>,
}

/// Sizes in even steps.
#[derive(Debug, Clone, Copy, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Steps {
    /// Smallest size in frames.
    pub from: Block,
    /// Largest size in frames.
    pub to: Block,
    /// Step in frames.
    pub by: Block,
}

/// A number of playback blocks times a size.
#[derive(Debug, Clone, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct CountTimesSize {
    /// Numbers of blocks, the usual one first.
    pub counts: Vec<u32>,
    /// Sizes in frames.
    pub frames: Vec<Block>,
}

/// One thing that can be set on the panel.
#[derive(Debug, Clone, PartialEq)]
pub struct Offered {
    /// Frames in one block; the best guess for a named speed.
    pub block: Block,
    /// Doubt of the frame count: not exact only for a named speed.
    pub doubt: Range<Frames>,
    /// Name on the panel when it shows no figures.
    pub speed: Option<String>,
    /// Number of playback blocks when the panel sets it.
    pub count: Option<u32>,
    /// `true` when this count of blocks is not the panel's usual (first) one.
    pub extra_blocks: bool,
}

impl Buffers {
    /// One size and no other.
    #[must_use]
    pub fn only(block: Block) -> Self {
        Self { frames: Some(vec![block]), ..Self::default() }
    }
}

impl Offered {
    /// A plain block of frames.
    #[must_use]
    pub fn plain(block: Block) -> Self {
        Self { block, doubt: Range::exact(block.frames()), speed: None, count: None, extra_blocks: false }
    }

    /// What to set, in the panel's own words.
    #[must_use]
    pub fn label(&self) -> String {
        match (&self.speed, self.count) {
            (Some(name), _) => format!("\"{name}\""),
            (None, Some(count)) => format!("{count} × {}", self.block),
            (None, None) => self.block.to_string(),
        }
    }
}

/// The block that the fastest of several unlabelled speeds is assumed to have. Panels double from step to
/// step; 64 frames is the smallest that USB drivers commonly offer at single rates.
const FASTEST_SPEED: u32 = 64;
/// An unlabelled speed may well be half or twice the guess.
const SPEED_DOUBT: f64 = 2.0;
/// More sizes than this are thinned out evenly: nobody chooses between neighbours one step apart.
const MOST_SIZES: usize = 24;

impl Buffers {
    /// Everything that can be set at `rate`, smallest first.
    #[must_use]
    pub fn offered(&self, rate: Hz) -> Vec<Offered> {
        let mut all: Vec<Offered> = Vec::new();
        if let Some(list) = &self.frames {
            all.extend(list.iter().map(|&b| Offered::plain(b)));
        }
        if let Some([from, to]) = self.powers {
            let sizes = (0..17).map(|p| 1u32 << p).filter(|s| (from.get()..=to.get()).contains(s));
            all.extend(sizes.map(|s| Offered::plain(Block::new(s))));
        }
        if let Some(steps) = self.steps {
            let sizes: Vec<u32> =
                (steps.from.get()..=steps.to.get()).step_by(steps.by.get().max(1) as usize).collect();
            let stride = sizes.len().div_ceil(MOST_SIZES).max(1);
            all.extend(sizes.iter().step_by(stride).map(|&s| Offered::plain(Block::new(s))));
        }
        if let Some(times) = &self.ms {
            let whole = |t: &Ms| Block::new((t.frames_at(rate).raw().round() as u32).clamp(1, 65_536));
            all.extend(times.iter().map(|t| Offered::plain(whole(t))));
        }
        if let Some(blocks) = &self.blocks {
            for (i, &count) in blocks.counts.iter().enumerate() {
                let with =
                    |&b: &Block| Offered { count: Some(count), extra_blocks: i > 0, ..Offered::plain(b) };
                all.extend(blocks.frames.iter().map(with));
            }
        }
        if let Some(names) = &self.speeds {
            for (i, name) in names.iter().enumerate() {
                let block = Block::new(FASTEST_SPEED << i.min(10));
                let f = block.frames();
                all.push(Offered {
                    doubt: Range::spanning(f * (1.0 / SPEED_DOUBT), f, f * SPEED_DOUBT),
                    speed: Some(name.clone()),
                    ..Offered::plain(block)
                });
            }
        }
        all.sort_by_key(|o| (o.block, o.count));
        all.dedup();
        all
    }

    /// Whether a buffer of exactly this many frames (or this name) is among those offered, thinning aside.
    #[must_use]
    pub fn find(&self, rate: Hz, wanted: &str) -> Option<Offered> {
        let offered = self.offered(rate);
        // `3x256`, `3*256` and `3 × 256` are one.
        let times = wanted.replace(['x', '*', '×'], " × ").split_whitespace().collect::<Vec<_>>().join(" ");
        if let Some(hit) = offered.iter().find(|o| o.count.is_some() && o.label() == times) {
            return Some(hit.clone());
        }
        if let Some(hit) = offered.iter().find(|o| o.speed.as_deref() == Some(wanted) || o.label() == wanted)
        {
            return Some(hit.clone());
        }
        let frames: u32 = wanted.parse().ok()?;
        if let Some(steps) = self.steps {
            let on_step = frames >= steps.from.get()
                && frames <= steps.to.get()
                && (frames - steps.from.get()).is_multiple_of(steps.by.get());
            return on_step.then(|| Offered::plain(Block::new(frames)));
        }
        offered.into_iter().find(|o| o.speed.is_none() && o.block.get() == frames)
    }

    /// How many of the keys are given (exactly one is right).
    pub(super) fn languages(&self) -> usize {
        [
            self.frames.is_some(),
            self.powers.is_some(),
            self.steps.is_some(),
            self.ms.is_some(),
            self.blocks.is_some(),
            self.speeds.is_some(),
        ]
        .into_iter()
        .filter(|&given| given)
        .count()
    }
}
