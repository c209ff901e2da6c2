//! The kinds of remedies, one row each: the word in files and outputs, where one is put, and what it does to what it is done to.
//! The row in the data says what one costs.

use serde::{Deserialize, Serialize};

/// Where a remedy is put.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RemedyPlace {
    /// Into the session, with the hands.
    Session,
    /// Into the computer itself.
    Machine,
    /// It is part of how the setting is arranged: roll block, cores, device blocks.
    Arrangement,
    /// Into the line to a far side.
    Line,
}

/// What a remedy does to what it is done to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RemedyAction {
    /// It is there still, and lighter or quicker.
    Changes,
    /// A processor is out of the sound.
    TakesOut,
    /// A track is rendered to audio.
    Prints,
}

macro_rules! kinds {
    ($($(#[$doc:meta])* $name:ident = $word:literal, $place:ident, $does:ident;)*) => {
        /// What is done to session or machine.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Deserialize, Serialize)]
        pub enum RemedyKind {
            $($(#[$doc])* #[serde(rename = $word)] $name,)*
        }

        impl RemedyKind {
            /// All of them, in order.
            pub const ALL: &'static [Self] = &[$(Self::$name),*];

            /// The word in files and outputs: the first half of a remedy's id.
            #[must_use]
            pub fn as_str(self) -> &'static str {
                match self {
                    $(Self::$name => $word,)*
                }
            }

            /// Where it is put.
            #[must_use]
            pub fn place(self) -> RemedyPlace {
                match self {
                    $(Self::$name => RemedyPlace::$place,)*
                }
            }

            /// What it does to what it is done to.
            #[must_use]
            pub fn action(self) -> RemedyAction {
                match self {
                    $(Self::$name => RemedyAction::$does,)*
                }
            }
        }
    };
}

kinds! {
    /// A track or return that nothing is on or feeds is removed.
    RemoveUnused = "remove-unused", Session, Changes;
    /// A muted track is disabled.
    DisableMuted = "disable-muted", Session, Changes;
    /// A processor that is switched off is unloaded.
    Unload = "unload", Session, TakesOut;
    /// What only looks at the sound is closed.
    HideView = "hide-view", Session, TakesOut;
    /// Less sound goes into a packet.
    SmallerPacket = "smaller-packet", Line, Changes;
    /// What arrives is held for less long.
    ShorterReceive = "shorter-receive-buffer", Line, Changes;
    /// Other programs leave the line alone.
    QuietLine = "quiet-line", Line, Changes;
    /// Packets are sent with spare ones.
    SparePackets = "spare-packets", Line, Changes;
    /// A processor goes to its low-delay mode.
    LowDelay = "low-delay", Session, Changes;
    /// The timeline gets coarser.
    CoarserTimeline = "coarser-timeline", Session, Changes;
    /// The machine goes to its performance power plan.
    FullPower = "full-power", Machine, Changes;
    /// A core is kept free of audio work.
    ReserveCore = "reserve-core", Arrangement, Changes;
    /// The session gets a core more.
    ReleaseCore = "release-core", Arrangement, Changes;
    /// What is recorded already is rendered ahead.
    Roll = "roll", Arrangement, Changes;
    /// The device gets more blocks.
    DeviceBlocks = "device-blocks", Arrangement, Changes;
    /// Another program is quit.
    Quit = "quit", Machine, Changes;
    /// Internal precision goes to 32 bits.
    Precision32 = "precision-32", Session, Changes;
    /// A processor on the main output is bypassed until its phase.
    BypassMain = "bypass-main", Session, TakesOut;
    /// A processor goes to draft quality.
    Draft = "draft", Session, Changes;
    /// A performer listens through the interface.
    Direct = "direct", Session, Changes;
    /// A cable takes the place of wireless.
    Cable = "cable", Line, Changes;
    /// Packets go straight to the far side, not through a meeting point.
    StraightWay = "straight-way", Line, Changes;
    /// One meets at another point.
    OtherMeeting = "other-meeting-point", Line, Changes;
    /// One channel goes over the line instead of more.
    Mono = "mono", Line, Changes;
    LessOversampling = "less-oversampling", Session, Changes;
    /// Copies of one processor become one on a send.
    ShareSend = "share-send", Session, Changes;
    FewerVoices = "fewer-voices", Session, Changes;
    /// An instrument is printed without its effects.
    PrintDry = "print-dry", Session, Prints;
    /// A processor is bypassed.
    Bypass = "bypass", Session, TakesOut;
    /// A track is printed.
    Print = "print", Session, Prints;
}

#[cfg(test)]
mod tests {
    use super::RemedyKind;

    #[test]
    fn each_kind_stands_at_its_own_number() {
        assert!(RemedyKind::ALL.iter().enumerate().all(|(i, k)| *k as usize == i));
        let mut words: Vec<&str> = RemedyKind::ALL.iter().map(|k| k.as_str()).collect();
        words.sort_unstable();
        words.dedup();
        assert_eq!(words.len(), RemedyKind::ALL.len());
    }
}
