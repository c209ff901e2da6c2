//! Whether there is sound, at which rates, and who holds it: cards and servers.

use super::{Finding, Grade, Hurt, Inventory, found};

pub fn no_sound(i: &Inventory) -> Vec<Finding> {
    found(Grade::Severe, (i.is_silent() && !i.sound_unseen).then_some(Hurt::NoSound))
}

pub fn rates_disagree(i: &Inventory) -> Vec<Finding> {
    found(Grade::Costly, (!i.rates_agree()).then(|| Hurt::RatesDisagree(i.places())))
}

pub fn two_clocks(i: &Inventory) -> Vec<Finding> {
    let open = i.cards.iter().filter(|c| c.streams.iter().any(|s| s.open.is_some()));
    let cards: Vec<String> = open.map(|c| c.id.clone()).collect();
    found(Grade::Mild, (cards.len() > 1).then_some(Hurt::TwoClocks(cards)))
}

pub fn forced(i: &Inventory) -> Vec<Finding> {
    let held = i.servers.iter().filter(|s| s.forced_buffer_frames.is_some() || s.forced_rate_hz.is_some());
    held.map(|s| Finding {
        grade: Grade::Mild,
        hurt: Hurt::Forced {
            server: s.kind.clone(),
            buffer_frames: s.forced_buffer_frames,
            rate: s.forced_rate_hz,
        },
    })
    .collect()
}

pub fn server_without_realtime(i: &Inventory) -> Vec<Finding> {
    let without = i.servers.iter().filter(|s| s.realtime == Some(false));
    without
        .map(|s| Finding { grade: Grade::Costly, hurt: Hurt::ServerWithoutRealtime(s.kind.clone()) })
        .collect()
}
