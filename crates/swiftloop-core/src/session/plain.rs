//! The parts of a session with all that may be left out left out, as a file would have them: for sessions that nobody writes.

use super::{
    Cost, Deliver, Description, Engine, KeysLink, Listens, Main, Monitor, Performer, Phase, Processor,
    ProcessorKind, Source, State, Track,
};
use std::collections::BTreeMap;
use swiftloop_units::{Frames, Gigabytes, Share};

impl Description {
    /// A session of these tracks, performers and phases.
    #[must_use]
    pub fn of(tracks: Vec<Track>, performers: Vec<Performer>, phases: Vec<Phase>) -> Self {
        Self {
            format: String::new(),
            name: String::new(),
            deliver: Deliver::default(),
            engine: Engine::default(),
            tracks,
            buses: vec![],
            main: Main::default(),
            performers,
            phases,
        }
    }
}

impl Track {
    /// A track of audio from disk, mono, to the main output.
    #[must_use]
    pub fn plain(id: &str) -> Self {
        Self {
            id: id.into(),
            name: None,
            count: None,
            source: Source::default(),
            channels: 1,
            to: "main".into(),
            sends: vec![],
            processors: vec![],
            muted: false,
            disabled: false,
            unused: false,
            memory_gb: Gigabytes::default(),
            sounding: Share::new(1.0),
            monitor: Monitor::default(),
        }
    }
}

impl Processor {
    /// An effect without delay, of a class of cost.
    #[must_use]
    pub fn plain(id: &str, class: &str) -> Self {
        Self {
            id: id.into(),
            name: None,
            is: None,
            settings: None,
            kind: ProcessorKind::default(),
            latency_frames: Frames::default(),
            latency_at: vec![],
            weighed_delays: vec![],
            low_delay_frames: None,
            cost: Cost::Class(class.into()),
            oversampling: 1,
            voices: None,
            internal_block: None,
            state: State::default(),
            sensitive: false,
            has_draft: false,
            rests: false,
            tail_s: 0.0,
            same_as: None,
        }
    }
}

impl Performer {
    /// Somebody who plays this in one of these tracks.
    #[must_use]
    pub fn plain(id: &str, plays: &str, hears: Option<Vec<String>>) -> Self {
        Self {
            id: id.into(),
            name: None,
            plays: plays.into(),
            listens: Listens::default(),
            says_hears: hears,
            hears: vec![],
            cue: "main".into(),
            needs_software: false,
            mic_m: None,
            speaker_m: None,
            keys: KeysLink::default(),
            key_scan_ms: None,
            limit_ms: None,
        }
    }
}

impl Phase {
    /// A phase of a kind, with these performers, wherever the rig has an interface.
    #[must_use]
    pub fn plain(kind: &str, performers: Vec<String>) -> Self {
        Self {
            id: None,
            kind: kind.into(),
            performers,
            interfaces: None,
            limits_ms: BTreeMap::new(),
            target_per_hour: None,
            bypass_over_ms: None,
            keep: vec![],
            far: None,
            tempo_bpm: None,
            together_ms: None,
            late_packets_per_hour: None,
            minutes: None,
        }
    }
}
