//! Every place that has a rate has the session's.

use super::super::{AdviceContext, RateMismatch, Warning};
use crate::rig::PlaceKind;

pub fn disagree(look: &AdviceContext<'_>) -> Vec<Warning> {
    let interface = &look.context.interface(look.setting).id;
    let resamples = look.context.model(look.setting).resamples;
    let session_rate = look.setting.rate;
    let places = look.context.rig.places.iter();
    places
        .filter(|p| &p.interface == interface && p.rate_hz != session_rate)
        .map(|place| Warning::RateDisagrees {
            place: place.name.clone(),
            place_rate: place.rate_hz,
            session_rate,
            effect: match place.kind {
                _ if resamples => RateMismatch::Converts,
                PlaceKind::Program => RateMismatch::OneIsSilent,
                PlaceKind::SystemPlayback | PlaceKind::SystemRecording | PlaceKind::Panel => {
                    RateMismatch::Breaks
                }
            },
        })
        .collect()
}
