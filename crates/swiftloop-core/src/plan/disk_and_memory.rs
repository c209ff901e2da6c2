//! Disk and memory as the session stands: what a phase streams and holds.

use crate::loops::Context;
use crate::session::{Phase, Source, Track};
use swiftloop_units::{Gigabytes, Hz, MegabytesPerSecond, Ms};

/// Disk and memory as the session stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Resources {
    /// Channels that stream: recorded tracks play, live ones record.
    pub channels: i64,
    /// Memory of session, tracks and programs, read-ahead not counted.
    pub memory: Gigabytes,
}

pub(super) fn read_ahead(context: &Context<'_>) -> Ms {
    context.session.engine.read_ahead_ms.unwrap_or(context.tables.assume.read_ahead_ms)
}

pub(super) fn stream_of(context: &Context<'_>, rate: Hz, channels: i64) -> MegabytesPerSecond {
    let bytes = f64::from(rate.get()) * f64::from(context.session.deliver.depth) / 8.0;
    MegabytesPerSecond::new(bytes / 1e6) * channels.max(0) as f64
}

/// What is read ahead of all streams.
pub(super) fn held_ahead(context: &Context<'_>, streams: MegabytesPerSecond) -> Gigabytes {
    Gigabytes::new(streams.raw() * read_ahead(context).raw() / 1e6)
}

/// Memory that a phase needs as the session stands.
#[must_use]
pub fn memory_needed(context: &Context<'_>, phase: &Phase, rate: Hz) -> Gigabytes {
    let own = resources(context, phase);
    own.memory + held_ahead(context, stream_of(context, rate, own.channels))
}

/// Disk streams and memory that a phase needs as the session stands.
#[must_use]
pub fn resources(context: &Context<'_>, phase: &Phase) -> Resources {
    let session = context.session;
    let channels = session.tracks.iter().filter(|t| streams(t)).map(|t| i64::from(t.channels)).sum();
    let tracks: Gigabytes = session.tracks.iter().filter(|t| !t.disabled).map(|t| t.memory_gb).sum();
    let programs = context.rig.programs.iter().filter(|p| p.runs_in(phase.id()));
    let others: Gigabytes = programs.map(|p| p.memory_gb).sum();
    Resources { channels, memory: session.engine.memory_gb + tracks + others }
}

/// Whether a track plays from disk or records to it.
pub(super) fn streams(track: &Track) -> bool {
    !track.disabled && !track.unused && track.source != Source::Instrument
}
