//! What is asked of a trace, and what it told.

use super::event::{Instant, Thread, TraceSpan};
use super::heard::{MatchedCrackles, heard};
use super::late::LateBlock;
use super::names::Name;
use super::ranking::{Ranking, rank};

/// What is asked of a trace.
#[derive(Debug, Clone, Default)]
pub struct TraceQuery {
    /// Blocks of threads of this name, also where no mark tells.
    pub thread: Option<String>,
    /// From one block to the next.
    pub period: Option<TraceSpan>,
    /// A block that ran no later than this was in time.
    pub allowed: Option<TraceSpan>,
    /// Keep what every core did around late blocks, of the first ones.
    pub lanes: bool,
}

/// What a trace told.
#[derive(Debug, Clone, Default)]
pub struct TraceSummary {
    /// Events that were read.
    pub events: u64,
    /// Events that the kernel says are missing.
    pub lost: u64,
    /// Blocks that were late, in the order of time; no more than some ten thousand.
    pub late: Vec<LateBlock>,
    /// Late blocks in all.
    pub late_count: u64,
    /// Blocks of the named thread that were followed.
    pub blocks: u64,
    /// Marks of late blocks.
    pub marks: u64,
    /// Marks that could not be read.
    pub unreadable: u64,
    /// Marks whose times lie far from the trace's clock.
    pub apart: u64,
    /// Times at which the clock went back.
    pub clock_jumps: u64,
    /// From the first to the last event.
    pub covered: Option<(Instant, Instant)>,
    /// Threads with real-time priority that were woken, and how often: those to choose from.
    pub candidates: Vec<(Thread, u64)>,
    /// What was noticed, and when.
    pub noticed: Vec<(Instant, Name)>,
    /// The ranking over all late blocks that are told.
    pub ranking: Ranking,
}

impl TraceSummary {
    /// Something in it could be judged: a thread was followed, or a mark tells of a block.
    #[must_use]
    pub fn is_judged(&self) -> bool {
        self.late_count > 0 || self.blocks > 0 || self.marks > self.apart + self.unreadable
    }

    /// The same with only those late blocks at which a recording made meanwhile crackles (in seconds from its beginning, which may be
    /// given in seconds of the trace's clock); all of them where the two cannot be laid beside each other.
    #[must_use]
    pub fn beside(self, crackles: &[f64], began: Option<f64>) -> (Self, Option<MatchedCrackles>) {
        let late: Vec<f64> = self.late.iter().map(|b| b.way.due.0 as f64 / 1e9).collect();
        match heard(crackles, &late, began) {
            Some(found) => (self.only(&found.blocks), Some(found)),
            None => (self, None),
        }
    }

    /// The same with only those late blocks, by their places in rising order, and their ranking.
    fn only(mut self, blocks: &[usize]) -> Self {
        let mut at = 0;
        self.late.retain(|_| {
            at += 1;
            blocks.binary_search(&(at - 1)).is_ok()
        });
        self.late_count = self.late.len() as u64;
        self.ranking = rank(&self.late);
        self
    }
}
