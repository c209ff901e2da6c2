//! A loop in every possible rig: its legs and its limit come in, delays and limits rig by rig go out, and in which share of
//! them it stays under its limits. Legs with one cause lean together: what is in doubt on the way in is on the way out.

use super::{Context, Leg, LegKind, Limit, Loop, SMALL_DOUBT};
use crate::doubt::{Cause, DelayShares, Rigs};
use crate::rig::Setting;
use swiftloop_units::ids::FarId;
use swiftloop_units::{Ms, Range, Share};

/// Delay and limits in every rig, in milliseconds.
#[derive(Debug, Clone, PartialEq)]
pub struct PerRig {
    pub delay: Vec<f64>,
    /// Where it is noticed.
    pub noticed: Vec<f64>,
    /// Where playing in time fails.
    pub fails: Vec<f64>,
}

impl PerRig {
    /// In which share it stays under its limits.
    #[must_use]
    pub fn shares(&self, rigs: &Rigs) -> DelayShares {
        DelayShares {
            immediate: rigs.share(|i| self.delay[i] <= self.noticed[i] + HAIR),
            playable: rigs.share(|i| self.delay[i] <= self.fails[i] + HAIR),
        }
    }
}

/// A sum of legs is not refused for its last bit.
const HAIR: f64 = 1e-9;

impl Leg {
    /// What this leg can be off by; nothing where its figure is as good as exact.
    #[must_use]
    pub fn cause(&self, setting: &Setting, whole: &Loop) -> Option<Cause> {
        let (i, d, performer) = (setting.interface, setting.driver, whole.performer);
        let far = |of: fn(FarId) -> Cause| whole.far.map(of);
        match self.kind {
            LegKind::AirIn => performer.map(Cause::MicDistance),
            LegKind::AirOut => performer.map(Cause::SpeakerDistance),
            LegKind::ConverterIn | LegKind::ConverterOut => Some(Cause::Converters(i)),
            LegKind::TransportIn | LegKind::TransportOut => Some(Cause::Transport(i)),
            LegKind::SafetyIn | LegKind::SafetyOut => Some(Cause::Safety(i)),
            LegKind::CaptureBlocks | LegKind::PlaybackBlocks | LegKind::DescribedBlocks => {
                Some(Cause::Blocks(i, d))
            }
            LegKind::OverheadIn | LegKind::OverheadOut => Some(Cause::Overhead(i, d)),
            LegKind::ReportedIn | LegKind::ReportedOut => Some(Cause::Hidden(i, d)),
            LegKind::RoundTrip | LegKind::MeasuredBlocks | LegKind::MeasuredFixed | LegKind::FixedPart => {
                Some(Cause::Trip(i, d))
            }
            LegKind::WayOut | LegKind::WayIn => Some(Cause::Split(i, d)),
            LegKind::Packet => None,
            LegKind::Way => far(Cause::Way),
            LegKind::ReceiveBuffer => far(Cause::Line),
            LegKind::Mixing => Some(Cause::Mixing),
            LegKind::BlockOfListener => far(Cause::FarBlock),
            LegKind::FarIn | LegKind::FarOut => far(Cause::FarInterface),
            LegKind::Resampler => Some(Cause::Resampler),
            LegKind::BlockAdaptation => None,
            LegKind::LivePath => Some(Cause::Latencies),
            LegKind::KeyScan | LegKind::MidiCable | LegKind::MidiUsb | LegKind::Attack => {
                performer.map(Cause::Keyboard)
            }
            LegKind::EventTiming => Some(Cause::NoteTiming),
            LegKind::OnboardMixer => Some(Cause::Mixer(i)),
        }
    }
}

impl Loop {
    /// Delay and limits in every rig; nothing where there is no limit.
    #[must_use]
    pub fn per_rig(&self, context: &Context<'_>, setting: &Setting) -> Option<PerRig> {
        let (limit, rigs) = (self.limit.as_ref()?, context.rigs);
        let mut delay = vec![0.0; rigs.count()];
        for leg in &self.legs {
            add(&mut delay, leg, leg.cause(setting, self), rigs);
        }
        let differs = self.differs(limit, rigs);
        let of = |figure: Ms| differs.iter().map(|f| f * figure.raw()).collect();
        Some(PerRig { delay, noticed: of(limit.noticed), fails: of(limit.fails) })
    }

    /// What a measurement of these legs would show in every rig, in milliseconds; nothing where none of them is in doubt.
    #[must_use]
    pub fn shown(
        &self,
        context: &Context<'_>,
        setting: &Setting,
        measured: impl Fn(&Leg) -> bool,
    ) -> Option<Vec<f64>> {
        let mut legs = self.legs.iter().filter(|l| measured(l) && l.span.spread() >= SMALL_DOUBT).peekable();
        legs.peek()?;
        let mut sum = vec![0.0; context.rigs.count()];
        for leg in legs {
            add(&mut sum, leg, leg.cause(setting, self), context.rigs);
        }
        Some(sum)
    }

    fn differs(&self, limit: &Limit, rigs: &Rigs) -> Vec<f64> {
        match self.performer {
            Some(who) if limit.differs.spread().raw() > 0.0 => {
                let leans = rigs.leans(Cause::Listener(who));
                let log = |to: f64| (to / limit.differs.typical().raw()).ln();
                let (less, more) = (-log(limit.differs.low().raw()), log(limit.differs.high().raw()));
                let typical = limit.differs.typical().raw();
                leans.iter().map(|l| typical * (l * if *l < 0.0 { less } else { more }).exp()).collect()
            }
            Some(_) | None => vec![1.0; rigs.count()],
        }
    }

    /// Holds the loop against its limit.
    pub(crate) fn judge(&mut self, context: &Context<'_>, setting: &Setting) {
        let Some(limit) = &self.limit else { return };
        let (most, least) = (limit.differs.high().raw(), limit.differs.low().raw());
        // Where even the edges agree nothing has to be drawn.
        self.shares = if self.total.high().raw() <= limit.noticed.raw() * least {
            DelayShares::ALWAYS
        } else if self.total.low().raw() > limit.fails.raw() * most {
            DelayShares { immediate: Share::new(0.0), playable: Share::new(0.0) }
        } else {
            self.per_rig(context, setting).map_or(DelayShares::ALWAYS, |all| all.shares(context.rigs))
        };
    }
}

/// Adds a leg, rig by rig.
fn add(sum: &mut [f64], leg: &Leg, cause: Option<Cause>, rigs: &Rigs) {
    let typical = leg.span.typical().raw();
    let Some(cause) = cause.filter(|_| leg.span.spread().raw() > 0.0) else {
        sum.iter_mut().for_each(|s| *s += typical);
        return;
    };
    let (less, more) = sides(leg.span);
    for (s, lean) in sum.iter_mut().zip(rigs.leans(cause).iter()) {
        *s += typical + if *lean < 0.0 { lean * less } else { lean * more };
    }
}

fn sides(span: Range<Ms>) -> (f64, f64) {
    ((span.typical() - span.low()).raw(), (span.high() - span.typical()).raw())
}
