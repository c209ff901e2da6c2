//! Over all late blocks: how many would have been in time without a holder. Late blocks come in, the ranking goes out.
//! A holder's time is taken away and the question asked again. Where no single one is enough, the fewest
//! that are enough together are looked for: as times add up, those are the ones that took most.

use super::event::TraceSpan;
use super::late::{HolderKind, LateBlock, Who};
use statrs::distribution::{Beta, ContinuousCDF};
use std::collections::BTreeMap;

/// How sure the interval is meant to be.
const SURE: f64 = 0.9;

/// A holder over all late blocks.
#[derive(Debug, Clone, PartialEq)]
pub struct Ranked {
    pub who: Who,
    /// Late blocks of which it is the thief.
    pub late_blocks: u64,
    /// Late blocks that would have been in time without it.
    pub cured: u64,
    /// Of all late blocks, so many would be cured: where another such time may lie (exact, 9 of 10).
    pub interval: (f64, f64),
    /// Blocks that it cures only together with others.
    pub together: u64,
    /// All that it took.
    pub took: TraceSpan,
    /// The most it took of one block.
    pub longest: TraceSpan,
}

/// Holders that cure so many blocks only together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TogetherOnly {
    /// Who, in the order of their names.
    pub all: Vec<Who>,
    /// Late blocks that would have been in time without all of them.
    pub cured: u64,
}

#[derive(Debug, Clone, PartialEq, Default)]
pub struct Ranking {
    /// Every holder that cures a block, alone or with others, or is a thief; the one that cures most first.
    pub all: Vec<Ranked>,
    /// Holders that only matter together.
    pub together: Vec<TogetherOnly>,
}

/// Whether a block would have been in time without this much.
fn cured(block: &LateBlock, without: TraceSpan) -> bool {
    without >= block.excess()
}

/// The holders without whom a block would have been in time: one that is enough, or the fewest together; none when all of them
/// are not enough. Our own work counts as far as it is more than usual. What is not known is nobody.
#[must_use]
pub fn fewest(block: &LateBlock) -> Vec<&Who> {
    let mut able: Vec<_> =
        block.holders.iter().filter(|h| h.who.kind != HolderKind::Unknown && h.extra.0 > 0).collect();
    able.sort_by(|a, b| b.extra.cmp(&a.extra).then_with(|| a.who.cmp(&b.who)));
    let mut taken = TraceSpan(0);
    let mut fewest = Vec::new();
    for holder in able {
        taken = TraceSpan(taken.0 + holder.extra.0);
        fewest.push(&holder.who);
        if cured(block, taken) {
            return fewest;
        }
    }
    Vec::new()
}

/// Ranks the holders of all blocks.
#[must_use]
pub fn rank(blocks: &[LateBlock]) -> Ranking {
    let mut all: BTreeMap<&Who, Ranked> = BTreeMap::new();
    let mut together: BTreeMap<Vec<&Who>, u64> = BTreeMap::new();
    for block in blocks {
        for holder in &block.holders {
            let ranked = all.entry(&holder.who).or_insert_with(|| Ranked {
                who: holder.who.clone(),
                late_blocks: 0,
                cured: 0,
                interval: (0.0, 0.0),
                together: 0,
                took: TraceSpan(0),
                longest: TraceSpan(0),
            });
            ranked.took = TraceSpan(ranked.took.0.saturating_add(holder.extra.0));
            ranked.longest = ranked.longest.max(holder.extra);
            ranked.late_blocks += u64::from(holder.who == block.thief);
            ranked.cured += u64::from(holder.who.kind != HolderKind::Unknown && cured(block, holder.extra));
        }
        let mut fewest = fewest(block);
        if fewest.len() > 1 {
            fewest.sort();
            for who in &fewest {
                if let Some(ranked) = all.get_mut(*who) {
                    ranked.together += 1;
                }
            }
            *together.entry(fewest).or_default() += 1;
        }
    }
    let count = blocks.len() as u64;
    let mut ranked: Vec<Ranked> = all
        .into_values()
        .filter(|r| r.cured + r.together + r.late_blocks > 0)
        .map(|mut r| {
            let (low, high) = share(r.cured, count);
            r.interval = (low * count as f64, high * count as f64);
            r
        })
        .collect();
    ranked.sort_by(|a, b| {
        let key = |r: &Ranked| (r.cured, r.late_blocks, r.together, r.took);
        key(b).cmp(&key(a)).then_with(|| a.who.cmp(&b.who))
    });
    let mut together: Vec<TogetherOnly> = together
        .into_iter()
        .map(|(all, cured)| TogetherOnly { all: all.into_iter().cloned().collect(), cured })
        .collect();
    together.sort_by(|a, b| b.cured.cmp(&a.cured).then_with(|| a.all.cmp(&b.all)));
    Ranking { all: ranked, together }
}

/// The interval of a share of which `hits` of `count` were seen: exact (Clopper and Pearson 1934), 9 of 10.
#[must_use]
pub fn share(hits: u64, count: u64) -> (f64, f64) {
    if count == 0 {
        return (0.0, 1.0);
    }
    let (x, n) = (hits as f64, count as f64);
    let tail = (1.0 - SURE) / 2.0;
    let at = |a: f64, b: f64, p: f64| Beta::new(a, b).map_or(p, |beta| beta.inverse_cdf(p));
    let low = if hits == 0 { 0.0 } else { at(x, n - x + 1.0, tail) };
    let high = if hits == count { 1.0 } else { at(x + 1.0, n - x, 1.0 - tail) };
    (low, high)
}
