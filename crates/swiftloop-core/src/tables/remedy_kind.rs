//! The kinds of remedies, one row each: the word in files and outputs. The row in the data says what one costs.

use serde::{Deserialize, Serialize};

macro_rules! kinds {
    ($($(#[$doc:meta])* $name:ident = $word:literal,)*) => {
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
        }
    };
}

kinds! {
    /// A track or return that nothing is on or feeds is removed.
    RemoveUnused = "remove-unused",
    /// A muted track is disabled.
    DisableMuted = "disable-muted",
    /// A processor that is switched off is unloaded.
    Unload = "unload",
    /// What only looks at the sound is closed.
    HideView = "hide-view",
    /// Less sound goes into a packet.
    SmallerPacket = "smaller-packet",
    /// What arrives is held for less long.
    ShorterReceive = "shorter-receive-buffer",
    /// Other programs leave the line alone.
    QuietLine = "quiet-line",
    /// Packets are sent with spare ones.
    SparePackets = "spare-packets",
    /// A processor goes to its low-delay mode.
    LowDelay = "low-delay",
    /// The timeline gets coarser.
    CoarserTimeline = "coarser-timeline",
    /// The machine goes to its performance power plan.
    FullPower = "full-power",
    /// A core is kept free of audio work.
    ReserveCore = "reserve-core",
    /// The session gets a core more.
    ReleaseCore = "release-core",
    /// What is recorded already is rendered ahead.
    Roll = "roll",
    /// The device gets more blocks.
    DeviceBlocks = "device-blocks",
    /// Another program is quit.
    Quit = "quit",
    /// Internal precision goes to 32 bits.
    Precision32 = "precision-32",
    /// A processor on the main output is bypassed until its phase.
    BypassMain = "bypass-main",
    /// A processor goes to draft quality.
    Draft = "draft",
    /// A performer listens through the interface.
    Direct = "direct",
    /// A cable takes the place of wireless.
    Cable = "cable",
    /// Packets go straight to the far side, not through a meeting point.
    StraightWay = "straight-way",
    /// One meets at another point.
    OtherMeeting = "other-meeting-point",
    /// One channel goes over the line instead of more.
    Mono = "mono",
    /// Oversampling is halved.
    LessOversampling = "less-oversampling",
    /// Copies of one processor become one on a send.
    ShareSend = "share-send",
    /// Voices are halved.
    FewerVoices = "fewer-voices",
    /// An instrument is printed without its effects.
    PrintDry = "print-dry",
    /// A processor is bypassed.
    Bypass = "bypass",
    /// A track is printed.
    Print = "print",
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
