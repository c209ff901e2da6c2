//! What was sent and what came back, put together. The moments of both come in, in nanoseconds of two clocks; for each packet
//! its way there and back goes out, or on which of the two it was lost. A packet is known by its number, and
//! an answer counts once, for the packet that it names, if that was sent before.

use serde::{Deserialize, Serialize};

/// An answer that came back.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EchoedPacket {
    /// The packet's number, from 0.
    pub number: u64,
    /// The reflector's own number of the answer.
    pub counted: u32,
    /// When the packet arrived there, by their clock.
    pub there: i64,
    /// When the answer left there, by their clock.
    pub left: i64,
    /// When it arrived here, by our clock.
    pub back: i64,
}

/// A measurement as it was made.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Exchange {
    /// When each packet was sent, by our clock; its place is its number.
    pub sent: Vec<i64>,
    /// Answers in the order in which they arrived.
    pub answers: Vec<EchoedPacket>,
    /// When there was other traffic of ours on the line: from, to, by our clock.
    pub loaded: Vec<(i64, i64)>,
    /// Answers that were none: of another host, forged, to nothing that was sent.
    pub strays: u64,
    /// The reflector was seen to count its answers, or not to; none where it has to be told from the numbers.
    pub counts: Option<bool>,
}

/// What became of a packet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum PacketFate {
    Back {
        /// Way there, in nanoseconds between two clocks.
        forth: i64,
        back: i64,
    },
    /// It never arrived there.
    LostForth,
    /// It arrived, and the answer was lost.
    LostBack,
    /// It was lost on one of the two, nobody knows on which.
    Lost,
}

/// Packets in the order in which they were sent, and what was seen beside.
#[derive(Debug, Clone, PartialEq)]
pub struct Sorted {
    /// When each was sent, in nanoseconds after the first.
    pub at: Vec<i64>,
    /// What became of it.
    pub fate: Vec<PacketFate>,
    /// Whether there was other traffic of ours.
    pub loaded: Vec<bool>,
    pub seen: StrayCounts,
}

/// What was seen beside delays.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct StrayCounts {
    /// Answers that arrived after one to a later packet (RFC 4737).
    pub reordered: u64,
    /// Answers to a packet that was answered already.
    pub duplicates: u64,
    /// Answers that were none.
    pub strays: u64,
    /// The reflector counts what it answers, so that loss there and loss back can be told apart.
    pub told_apart: bool,
    /// Stretches in which this computer sent nothing although it should have (it slept).
    pub pauses: u64,
}

/// A pause in sending of this length, or of so many packets, is none of the line's.
const PAUSE_NS: i64 = 1_000_000_000;
const PAUSE_PACKETS: i64 = 50;
/// Packets that were sent so shortly before a pause, or before the end, may still have been under way.
const UNDER_WAY_NS: i64 = 1_000_000_000;

impl Exchange {
    /// Puts answers to their packets.
    #[must_use]
    pub fn sorted(&self) -> Sorted {
        let start = self.sent.first().copied().unwrap_or(0);
        let mut fate = vec![PacketFate::Lost; self.sent.len()];
        let mut counted: Vec<Option<u32>> = vec![None; self.sent.len()];
        let mut seen = StrayCounts { strays: self.strays, ..StrayCounts::default() };
        let mut latest: Option<u64> = None;
        for answer in &self.answers {
            let place = usize::try_from(answer.number).ok().filter(|&k| k < self.sent.len());
            let Some(k) = place.filter(|&k| answer.back >= self.sent[k]) else {
                seen.strays += 1;
                continue;
            };
            if counted[k].is_some() {
                seen.duplicates += 1;
                continue;
            }
            counted[k] = Some(answer.counted);
            if latest.is_some_and(|l| answer.number < l) {
                seen.reordered += 1;
            }
            latest = Some(latest.map_or(answer.number, |l| l.max(answer.number)));
            fate[k] = PacketFate::Back {
                forth: answer.there.saturating_sub(self.sent[k]),
                back: answer.back.saturating_sub(answer.left),
            };
        }
        seen.told_apart = tell_apart(&mut fate, &counted, self.counts);
        let mut kept = vec![true; self.sent.len()];
        seen.pauses = self.drop_what_was_under_way(&fate, &mut kept);
        let which: Vec<usize> = (0..kept.len()).filter(|&k| kept[k]).collect();
        let is_loaded = |at: i64| self.loaded.iter().any(|(from, to)| (*from..*to).contains(&at));
        Sorted {
            at: which.iter().map(|&k| self.sent[k] - start).collect(),
            fate: which.iter().map(|&k| fate[k]).collect(),
            loaded: which.iter().map(|&k| is_loaded(self.sent[k])).collect(),
            seen,
        }
    }

    /// What was lost around a pause of this computer, or may still come at the end, says nothing of the line.
    fn drop_what_was_under_way(&self, fate: &[PacketFate], kept: &mut [bool]) -> u64 {
        let sent = &self.sent;
        let steps = sent.len().saturating_sub(1).max(1) as i64;
        let usual = sent.last().map_or(0, |last| (last - sent[0]) / steps);
        let pause = PAUSE_NS.max(usual * PAUSE_PACKETS);
        let mut pauses = 0;
        let mut drop_before = |end: usize| {
            let mut k = end;
            while k > 0 && sent[end - 1] - sent[k - 1] < UNDER_WAY_NS {
                k -= 1;
                kept[k] &= matches!(fate[k], PacketFate::Back { .. });
            }
        };
        for k in 1..sent.len() {
            if sent[k] - sent[k - 1] > pause {
                pauses += 1;
                drop_before(k);
            }
        }
        // At the very end only what nothing overtook.
        let last_back = fate.iter().rposition(|f| matches!(f, PacketFate::Back { .. })).map_or(0, |k| k + 1);
        let recent = sent.last().map_or(0, |last| last - UNDER_WAY_NS);
        for k in last_back..sent.len() {
            kept[k] &= sent[k] < recent;
        }
        pauses
    }
}

/// Says of lost packets on which way they were lost, where the reflector counts. Between two answers that came back, as many
/// answers are missing as its count says; the rest never arrived there. Which of several it was is not known: the first.
fn tell_apart(fate: &mut [PacketFate], counted: &[Option<u32>], counts: Option<bool>) -> bool {
    let answered: Vec<(usize, u32)> =
        counted.iter().enumerate().filter_map(|(k, c)| c.map(|c| (k, c))).collect();
    // A reflector without a memory gives the packet's own number.
    let own = answered.iter().all(|(k, c)| *k as u32 == *c);
    let lost = answered.windows(2).any(|w| w[1].0 - w[0].0 > 1);
    if answered.is_empty() || !counts.unwrap_or(!(own && lost)) {
        return false;
    }
    let mut before: Option<(usize, u32)> = None;
    for &(k, count) in &answered {
        let (from, missing) = match before {
            // It may have counted others of ours before.
            None => (0, 0),
            Some((was, last)) => (was + 1, count.wrapping_sub(last).wrapping_sub(1)),
        };
        let gap = k - from;
        // Overtaken packets were counted before: then no more can be missing than there are.
        let answers = (missing as usize).min(gap);
        let answers = if missing > u32::MAX / 2 { 0 } else { answers };
        for (n, f) in fate[from..k].iter_mut().enumerate() {
            if matches!(f, PacketFate::Lost) {
                *f = if n < gap - answers { PacketFate::LostForth } else { PacketFate::LostBack };
            }
        }
        before = Some((k, count));
    }
    true
}
