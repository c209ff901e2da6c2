//! Limits and doubts: what a performer bears, which leg is least certain, and what would make it certain.

use super::{Loop, Part};
use crate::session::{Listens, Performer, Phase};
use crate::tables::Tables;
use crate::units::{Ms, Origin};

/// The least certain leg of a loop.
#[derive(Debug, Clone, PartialEq)]
pub struct WidestDoubt {
    /// Its name.
    pub leg: String,
    /// `high − low`.
    pub spread: Ms,
    /// What removes the doubt.
    pub measure_with: &'static str,
}

/// What `person` bears in `phase`, and why: the phase's word, or their own, or the table's.
#[must_use]
pub fn limit_for(tables: &Tables, person: &Performer, phase: Option<&Phase>) -> (Ms, String) {
    if let Some(limit) = phase.and_then(|p| p.limits_ms.get(&person.id)) {
        return (*limit, "as the phase asks".into());
    }
    if let Some(limit) = person.limit_ms {
        return (limit, "as the performer asks".into());
    }
    match tables.listener(&person.plays) {
        Some(row) => {
            let limit = match person.listens {
                Listens::InEars => row.in_ears_ms,
                Listens::Speakers => row.speakers_ms,
                Listens::Headphones | Listens::Direct => row.headphones_ms,
            };
            (limit, row.reason.clone())
        }
        None => (Ms(10.0), "ten milliseconds suit most".into()),
    }
}

impl Loop {
    /// The leg with the widest range that a measurement could narrow.
    #[must_use]
    pub fn widest_doubt(&self) -> Option<WidestDoubt> {
        let widest = self.legs.iter().max_by(|a, b| a.span.spread().0.total_cmp(&b.span.spread().0))?;
        let spread = widest.span.spread();
        if spread.0 <= 0.0 {
            return None;
        }
        let measure_with = match widest.part {
            _ if widest.origin == Origin::Measured => "measure it again, more often and at more buffers",
            Part::Air => "measure the distance and write it into session.toml (mic_m, speaker_m)",
            Part::Electric => {
                "patch an output into an input, play and record what swiftloop probe make writes, then probe read; \
                 probe fit --save puts the figures into rig.toml"
            }
            Part::Split => {
                "write the converters' delays and safety frames into rig.toml: the round trip is measured, its split \
                 into in and out rests on them"
            }
            Part::Keys => {
                "record the key's knock and the sound on two channels, and write the time between into session.toml \
                 (key_scan_ms)"
            }
            Part::Chain => "switch the processor off and unload it, then look whether the delay goes away",
            Part::Software => {
                "look up the software's own block and write it into session.toml (block_frames)"
            }
        };
        Some(WidestDoubt { leg: widest.name.clone(), spread, measure_with })
    }
}
