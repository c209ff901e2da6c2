//! Where the sound goes: device, server, rates, buffers, clocks, channels.

use super::{hurting, more_dropouts, ours, served};
use crate::in_effect::Demand;
use crate::in_effect::difference::{Difference, DifferenceCost, RuleResult, Unread, Wrong};
use crate::survey::{Finding, Inventory, System};
use swiftloop_units::Hz;

pub fn device(demand: &Demand, now: &Inventory) -> RuleResult {
    if now.is_silent() {
        return RuleResult::one(Some(Wrong::Hurts(Finding::NoSound)));
    }
    if ours::card(demand, now).is_some() || now.servers.iter().any(|s| ours::in_server(demand, s)) {
        return RuleResult::Right;
    }
    let nodes = now.servers.iter().flat_map(|s| s.nodes.iter().cloned());
    let there: Vec<String> = now.cards.iter().map(|c| c.name.clone()).chain(nodes).collect();
    RuleResult::one(Some(Wrong::NoDevice { there }))
}

pub fn server(demand: &Demand, now: &Inventory) -> RuleResult {
    match demand.server {
        None => RuleResult::Beside,
        // Only Linux tells of its servers; that there is no sound at all is told already.
        Some(_) if now.system != System::Linux || now.is_silent() => RuleResult::Beside,
        Some(server) => RuleResult::one(served(demand, now).is_none().then_some(Wrong::NoServer { server })),
    }
}

pub fn rates(demand: &Demand, now: &Inventory) -> RuleResult {
    let places = now.places();
    if places.is_empty() {
        return RuleResult::Unread(Unread::Rates);
    }
    let others = places.into_iter().filter(|p| p.rate_hz != demand.rate_hz);
    let wrong = others.map(|p| Difference {
        wrong: Wrong::Rate { place: p.name, is: p.rate_hz, server: p.card.is_none() },
        cost: DifferenceCost::default(),
    });
    RuleResult::of(wrong.collect())
}

pub fn rate_allowed(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(server) = served(demand, now).filter(|s| !s.allowed_rates_hz.is_empty()) else {
        return RuleResult::Beside;
    };
    let allowed: &[Hz] = &server.allowed_rates_hz;
    let in_the_way = !allowed.contains(&demand.rate_hz) && server.forced_rate_hz != Some(demand.rate_hz);
    RuleResult::one(in_the_way.then(|| Wrong::RateNotAllowed { allowed: allowed.to_vec() }))
}

pub fn buffer(demand: &Demand, now: &Inventory) -> RuleResult {
    let seen: Vec<(String, u32)> = if let Some(server) = served(demand, now) {
        let frames = server.forced_buffer_frames.or(server.buffer_frames);
        frames.map(|f| (server.kind.clone(), f)).into_iter().collect()
    } else if demand.driver == "alsa" {
        let open = ours::card(demand, now).into_iter().flat_map(|c| c.streams.iter().map(move |s| (c, s)));
        open.filter_map(|(c, s)| Some((format!("ALSA, {}", c.id), s.open.as_ref()?.period_frames))).collect()
    } else {
        return if demand.server.is_some() { RuleResult::Beside } else { RuleResult::Unread(Unread::Buffer) };
    };
    if seen.is_empty() {
        return RuleResult::Unread(Unread::Buffer);
    }
    let mut wrong: Vec<Difference> = Vec::new();
    for (who, is) in seen.into_iter().filter(|s| s.1 != demand.buffer_frames.get()) {
        let cost = demand.stakes.at_buffer(is).map_or(DifferenceCost::default(), |at| DifferenceCost {
            late: Some((demand.slowest(), at.late_ms)),
            ..more_dropouts(demand, Some(at.dropouts_per_hour))
        });
        let difference = Difference { wrong: Wrong::Buffer { who, is }, cost };
        if !wrong.contains(&difference) {
            wrong.push(difference);
        }
    }
    RuleResult::of(wrong)
}

pub fn buffer_bounds(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some((server, bounds)) = served(demand, now).and_then(|s| Some((s, s.buffer_range_frames?))) else {
        return RuleResult::Beside;
    };
    let wanted = demand.buffer_frames.get();
    // What is forced passes over the bounds.
    let inside = (bounds.0..=bounds.1).contains(&wanted) || server.forced_buffer_frames == Some(wanted);
    RuleResult::one((!inside).then_some(Wrong::BufferBounds { bounds }))
}

pub fn clock(demand: &Demand, now: &Inventory) -> RuleResult {
    let Some(wanted) = demand.clock.as_deref() else { return RuleResult::Beside };
    let Some(card) = ours::card(demand, now) else { return RuleResult::Beside };
    let Some(is) = &card.clock else { return RuleResult::Unread(Unread::Clock) };
    let word = is.to_lowercase();
    let own = ["internal", "master", "crystal"].iter().any(|own| word.contains(own));
    let right = match wanted {
        "internal" => own,
        "word-clock" => word.contains("word"),
        _ => !own,
    };
    RuleResult::one((!right).then(|| Wrong::Clock { card: card.id.clone(), is: is.clone() }))
}

pub fn two_clocks(_: &Demand, now: &Inventory) -> RuleResult {
    RuleResult::of(hurting(now, |h| matches!(h, Finding::TwoClocks(_)).then(DifferenceCost::default)))
}

pub fn channels_in(demand: &Demand, now: &Inventory) -> RuleResult {
    channels(demand, now, demand.open_inputs, true)
}

pub fn channels_out(demand: &Demand, now: &Inventory) -> RuleResult {
    channels(demand, now, demand.open_outputs, false)
}

fn channels(demand: &Demand, now: &Inventory, should: Option<u32>, inputs: bool) -> RuleResult {
    let Some(should) = should else { return RuleResult::Beside };
    let Some(card) = ours::card(demand, now) else { return RuleResult::Beside };
    let mut streams = card.streams.iter().filter(|s| s.capture == inputs);
    let Some(is) = streams.find_map(|s| s.open.as_ref()).map(|o| o.channels) else {
        return RuleResult::Unread(Unread::Channels);
    };
    let wrong = Wrong::Channels { card: card.id.clone(), inputs, is, should };
    RuleResult::one((is != should).then_some(wrong))
}
