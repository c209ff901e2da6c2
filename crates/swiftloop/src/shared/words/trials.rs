//! Why a setting cannot be tried, in words.

use super::refusals::Explain;
use crate::shared::page::and_list;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::TrialRefusal;
use swiftloop_core::rig::nearest;
use swiftloop_core::tables::RemedyKind;

/// A refusal with the names that go with its numbers.
pub struct InContext<'a>(pub &'a Context<'a>, pub TrialRefusal);

fn list(words: &[String]) -> String {
    words.join(", ")
}

/// Remedies named in a message at most.
const NAMED: usize = 8;

impl Explain for InContext<'_> {
    fn what(&self) -> String {
        match &self.1 {
            TrialRefusal::NoSuchDriver { asked, .. } => format!("there is no driver called `{asked}`"),
            TrialRefusal::RateNotOffered { driver, rate, .. } => format!("{driver} does not offer {rate} Hz"),
            TrialRefusal::BufferNotOffered { driver, asked, rate, .. } => {
                format!("{driver} does not offer the buffer `{asked}` at {rate} Hz")
            }
            TrialRefusal::NoBuffer { .. } => "which buffer? The plan has none here".into(),
            TrialRefusal::NoWorkers { .. } => "zero workers can do no work".into(),
            TrialRefusal::TooManyWorkers { asked, cores } => {
                format!(
                    "{asked} workers on {cores} cores: threads that share a core do not make a block shorter"
                )
            }
            TrialRefusal::CannotRenderAhead => "the session's software does not render ahead".into(),
            TrialRefusal::RollTooSmall { device, .. } => {
                format!("a roll block is larger than the device's block of {device}")
            }
            TrialRefusal::CannotRide(p) => format!(
                "{} can neither ride the small block nor be bypassed in this phase",
                self.0.session.processor(*p).title()
            ),
            TrialRefusal::PartOfSetting { id, .. } => format!("`{id}` is part of the setting"),
            TrialRefusal::NoSuchRemedy { asked, .. } => {
                format!("no remedy `{asked}` applies to this phase here")
            }
            TrialRefusal::NotInPhase { performer, .. } => {
                format!("{} does not perform in this phase", self.0.session.performer(*performer).id)
            }
        }
    }

    fn help(&self) -> String {
        match &self.1 {
            TrialRefusal::NoSuchDriver { asked, known } => {
                let words: Vec<&str> = known.iter().map(String::as_str).collect();
                match nearest(asked, &words) {
                    Some(near) => format!("did you mean `{near}`? There are: {}", list(known)),
                    None => format!("there are: {}", list(known)),
                }
            }
            TrialRefusal::RateNotOffered { offered, .. } => {
                let rates: Vec<String> = offered.iter().map(ToString::to_string).collect();
                format!("it offers: {}", list(&rates))
            }
            TrialRefusal::BufferNotOffered { offered, .. } => format!("it offers: {}", list(offered)),
            TrialRefusal::NoBuffer { offered } => format!("add --buffer with one of: {}", list(offered)),
            TrialRefusal::NoWorkers { cores } | TrialRefusal::TooManyWorkers { cores, .. } => {
                format!("try --workers {cores}")
            }
            TrialRefusal::CannotRenderAhead => {
                "set renders_ahead = true under [engine] in the session file if it does".into()
            }
            TrialRefusal::RollTooSmall { offered, .. } => match offered.first() {
                Some(block) => format!("try --roll {block}"),
                None => "take a smaller --buffer, or none of the roll blocks".into(),
            },
            TrialRefusal::CannotRide(_) => {
                "try without --roll, or take it off the list `keep` of the phase".into()
            }
            TrialRefusal::PartOfSetting { kind, target, .. } => match kind {
                RemedyKind::Roll => format!("use --roll {target} for it"),
                RemedyKind::DeviceBlocks => "use --buffer for it, such as --buffer 3x256".into(),
                RemedyKind::RemoveUnused
                | RemedyKind::DisableMuted
                | RemedyKind::Unload
                | RemedyKind::HideView
                | RemedyKind::SmallerPacket
                | RemedyKind::ShorterReceive
                | RemedyKind::QuietLine
                | RemedyKind::SparePackets
                | RemedyKind::LowDelay
                | RemedyKind::CoarserTimeline
                | RemedyKind::FullPower
                | RemedyKind::ReserveCore
                | RemedyKind::ReleaseCore
                | RemedyKind::Quit
                | RemedyKind::Precision32
                | RemedyKind::BypassMain
                | RemedyKind::Draft
                | RemedyKind::Direct
                | RemedyKind::Cable
                | RemedyKind::StraightWay
                | RemedyKind::OtherMeeting
                | RemedyKind::Mono
                | RemedyKind::LessOversampling
                | RemedyKind::ShareSend
                | RemedyKind::FewerVoices
                | RemedyKind::PrintDry
                | RemedyKind::Bypass
                | RemedyKind::Print => "use --workers for it".into(),
            },
            TrialRefusal::NoSuchRemedy { near: Some(near), .. } => format!("did you mean `{near}`?"),
            TrialRefusal::NoSuchRemedy { known, .. } if known.is_empty() => "none applies here".into(),
            TrialRefusal::NoSuchRemedy { known, .. } => {
                let more = known.len().saturating_sub(NAMED);
                let rest = if more > 0 { format!(" and {more} more") } else { String::new() };
                format!("those that apply: {}{rest}", list(&known[..known.len().min(NAMED)]))
            }
            TrialRefusal::NotInPhase { there, .. } if there.is_empty() => "nobody performs in it".into(),
            TrialRefusal::NotInPhase { there, .. } => {
                let ids: Vec<String> =
                    there.iter().map(|p| self.0.session.performer(*p).id.clone()).collect();
                format!("these do: {}", and_list(&ids))
            }
        }
    }
}
