//! Why there is no answer, in words: what stands in the way, and what to do. One trait for all of the core's refusals.

use super::figures::{decimals, plain};
use swiftloop_core::rig::Misplaced;
use swiftloop_measure::listen::AgainstRefusal;
use swiftloop_measure::probe::{
    BadRecipe, FEWEST_BURSTS, LOUDEST_DB, MOST_BURSTS, MOST_CHANNELS, OnsetRefusal, QUIETEST_DB, Refusal,
    Trouble, UnusableFit,
};

/// A refusal that can be explained.
pub trait Explain {
    /// What stands in the way, without a full stop.
    fn what(&self) -> String;
    /// What to do, as an order, without a full stop.
    fn help(&self) -> String;
}

impl Explain for Refusal {
    fn what(&self) -> String {
        match self {
            Self::Nothing => "no probe was found in this recording".into(),
            Self::ProbeItself { .. } => "this is the probe as it was made, not a recording of it".into(),
            Self::TooShort { have, need } => format!(
                "the recording lasts {} s, a probe at least {} s",
                decimals(have.raw(), 1),
                decimals(need.raw(), 1)
            ),
            Self::Clipped { channel, places } => format!(
                "channel {} is clipped in {places} places: its delay could be read, its gain and noise could not",
                channel + 1
            ),
            Self::WrongRate { made, says } => format!(
                "this probe was made for {made} Hz, the recording says {says}: somewhere between them a rate is wrong"
            ),
            Self::Mixed { channel, first, second, below } => format!(
                "outputs {} and {} both arrive on channel {} (the second {} dB below the first)",
                first + 1,
                second + 1,
                channel + 1,
                decimals(below.raw(), 0)
            ),
            Self::TooFew { channel, found } => {
                format!(
                    "only {found} of the bursts on channel {} are whole: three are the least",
                    channel + 1
                )
            }
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Nothing => {
                "check that the probe's output is patched into this input and that the recording began together with the \
                 probe; if the probe has more than 8 channels, name it with --probe"
            }
            Self::ProbeItself { .. } => {
                "play it through the loop, record what comes back on another track, and read that recording"
            }
            Self::TooShort { .. } => "start recording first, then play the whole probe",
            Self::Clipped { .. } => {
                "turn the input down by some 10 dB, or make a quieter probe (--level), and record again"
            }
            Self::WrongRate { .. } => {
                "set panel, session and system to one rate, make the probe at that rate, record again"
            }
            Self::Mixed { .. } => "mute one of the outputs, or take the cable of one away, and record again",
            Self::TooFew { .. } => {
                "record the whole probe again; if bursts are lost every time, take a larger buffer first"
            }
        }
        .into()
    }
}

impl Explain for OnsetRefusal {
    fn what(&self) -> String {
        match self {
            Self::Quiet(channel) => format!("channel {} has no clear onsets", channel + 1),
            Self::Unrelated => "no act is followed by a sound within half a second".into(),
        }
    }

    fn help(&self) -> String {
        "channel 1 hears the act, channel 2 the sound; play a dozen separate notes with a sharp attack".into()
    }
}

impl Explain for AgainstRefusal {
    fn what(&self) -> String {
        match self {
            Self::Unrelated => {
                "the recording does not hold the original, or begins more than ten seconds off".into()
            }
            Self::Rates => "recording and original have different sample rates".into(),
            Self::Lost { from } => format!(
                "from {} s on the recording no longer follows the original: two clocks, or another take",
                decimals(from.raw(), 3)
            ),
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Lost { .. } => "listen without --against, or read the drift with swiftloop probe read",
            Self::Unrelated => "check that this is what was played; listen without --against if it is lost",
            Self::Rates => "compare at one rate: convert neither, record again at the original's",
        }
        .into()
    }
}

impl Explain for Misplaced {
    fn what(&self) -> String {
        match self {
            Self::Interface(asked, _) => nothing_called("interface", asked),
            Self::Driver(asked, _) => nothing_called("driver", asked),
            Self::Speed(asked, _) => nothing_called("speed", asked),
            Self::Rate { driver, interface, rate, .. } => {
                format!("{driver} of {interface} does not offer {rate} Hz in the rig file")
            }
            Self::NamedSpeeds(_) => "this driver's buffers are named speeds in the rig file".into(),
            Self::Unusable(why) => why.what(),
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Interface(asked, known) | Self::Driver(asked, known) | Self::Speed(asked, known) => {
                what_there_is(asked, known)
            }
            Self::Rate { offered, .. } => {
                let rates: Vec<String> = offered.iter().map(ToString::to_string).collect();
                format!("it offers {}: add the rate, or record at one of these", rates.join(", "))
            }
            Self::NamedSpeeds(speeds) => format!("label the takes with them: {}", speeds.join(", ")),
            Self::Unusable(why) => why.help(),
        }
    }
}

/// Nothing has the name that was asked for.
pub fn nothing_called(kind: &str, asked: &str) -> String {
    format!("there is no {kind} called `{asked}`")
}

/// The nearest name there is, and all of them.
pub fn what_there_is(asked: &str, known: &[impl AsRef<str>]) -> String {
    let known: Vec<&str> = known.iter().map(AsRef::as_ref).collect();
    match swiftloop_core::rig::nearest(asked, &known) {
        Some(near) => format!("did you mean `{near}`? There are: {}", known.join(", ")),
        None => format!("there are: {}", known.join(", ")),
    }
}

impl Explain for UnusableFit {
    fn what(&self) -> String {
        match self {
            Self::Shrinks { smaller, larger } => format!(
                "at {larger} frames the sound came back no later than at {smaller}: no driver gets quicker with a larger buffer"
            ),
            Self::TooFewBlocks => {
                "the round trips grow by less than one block in and one out: no driver holds fewer".into()
            }
            Self::NothingFixed => {
                "the blocks alone would take longer than the round trips: less than nothing remains for converters".into()
            }
            Self::TooSoon { block, trip } => format!(
                "at {block} frames the sound came back after {} frames, sooner than one block in and one out", decimals(trip.raw(), 1)
            ),
            Self::BelowModel { blocks, least, model } => format!(
                "the round trips grow by {} blocks; {model} holds {} at the least", decimals(*blocks, 2), plain(*least)
            ),
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Shrinks { .. } => {
                "check which recording belongs to which buffer: two of them seem to have changed places"
            }
            Self::BelowModel { .. } => {
                "check the buffers' names and which driver the recorder used; if the driver really holds fewer, write blocks_in and \
                 blocks_out into the rig"
            }
            Self::TooFewBlocks | Self::NothingFixed | Self::TooSoon { .. } => {
                "switch the recorder's own latency compensation off, check the buffers' names, and record again"
            }
        }
        .into()
    }
}

impl Explain for Trouble {
    fn what(&self) -> String {
        match self {
            Self::TwoClocks => {
                "no lasting round trip: two clocks run apart, so the figure changes all the time"
            }
            Self::Slips => "no sound round trip: frames were lost or put in while it was recorded",
            Self::Compensated => {
                "not the round trip: the recorder took its latency off before it saved the take"
            }
        }
        .into()
    }

    fn help(&self) -> String {
        match self {
            Self::TwoClocks => "lock the two clocks, or use one interface for both; record the probe again",
            Self::Slips => "take the next larger buffer, record the probe again",
            Self::Compensated => "switch the recorder's latency compensation off, record the probe again",
        }
        .into()
    }
}

impl Explain for BadRecipe {
    fn what(&self) -> String {
        match self {
            Self::Channels => format!("a probe has 1 to {MOST_CHANNELS} channels"),
            Self::Bursts => format!("a probe has {FEWEST_BURSTS} to {MOST_BURSTS} bursts on each channel"),
            Self::Level => format!("a probe peaks between {QUIETEST_DB} and {LOUDEST_DB} dBFS"),
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Channels => "try --channels 1: one output is enough for one interface",
            Self::Bursts => "try --bursts 8: more of them see smaller drifts",
            Self::Level => "try --level -12",
        }
        .into()
    }
}
