//! Whether there is sound, at which rates, and who holds it: cards and servers.

use super::{Finding, Grade, GradedFinding, Inventory, found};

pub fn no_sound(i: &Inventory) -> Vec<GradedFinding> {
    found(Grade::Severe, (i.is_silent() && !i.sound_unseen).then_some(Finding::NoSound))
}

pub fn rates_disagree(i: &Inventory) -> Vec<GradedFinding> {
    found(Grade::Costly, (!i.rates_agree()).then(|| Finding::RatesDisagree(i.places())))
}

pub fn two_clocks(i: &Inventory) -> Vec<GradedFinding> {
    let open = i.cards.iter().filter(|c| c.streams.iter().any(|s| s.open.is_some()));
    let cards: Vec<String> = open.map(|c| c.id.clone()).collect();
    found(Grade::Mild, (cards.len() > 1).then_some(Finding::TwoClocks(cards)))
}

pub fn forced(i: &Inventory) -> Vec<GradedFinding> {
    let held = i.servers.iter().filter(|s| s.forced_buffer_frames.is_some() || s.forced_rate_hz.is_some());
    held.map(|s| GradedFinding {
        grade: Grade::Mild,
        finding: Finding::Forced {
            server: s.kind.clone(),
            buffer_frames: s.forced_buffer_frames,
            rate: s.forced_rate_hz,
        },
    })
    .collect()
}

pub fn server_without_realtime(i: &Inventory) -> Vec<GradedFinding> {
    let without = i.servers.iter().filter(|s| s.realtime == Some(false));
    without
        .map(|s| GradedFinding {
            grade: Grade::Costly,
            finding: Finding::ServerWithoutRealtime(s.kind.clone()),
        })
        .collect()
}
