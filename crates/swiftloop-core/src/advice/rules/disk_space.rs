//! What is to be recorded fits the disk.

use super::super::{AdviceContext, Warning};
use crate::loops::Context;
use crate::rig::Setting;
use crate::session::{Phase, Source};
use swiftloop_units::Gigabytes;

pub fn too_small(look: &AdviceContext<'_>) -> Vec<Warning> {
    let Some(minutes) = look.phase.minutes else { return Vec::new() };
    let a_minute = recording_mb_per_minute(&look.context, look.setting, look.phase);
    let needed = Gigabytes::new(a_minute * minutes / 1000.0);
    let free = look.context.rig.machine.disk_free_gb;
    if needed > free { vec![Warning::DiskSpace { minutes, needed, free }] } else { Vec::new() }
}

/// Disk space that a minute of recording takes in `phase`, in 10⁶ bytes: its live inputs at the session's depth.
#[must_use]
pub fn recording_mb_per_minute(context: &Context<'_>, setting: &Setting, phase: &Phase) -> f64 {
    let performing = |id: &String| context.session.performers_in(phase).any(|(_, p)| p.hears.contains(id));
    let recorded = context
        .session
        .tracks
        .iter()
        .filter(|t| t.source == Source::Live && !t.disabled && performing(&t.id));
    let channels: u32 = recorded.map(|t| t.channels).sum();
    let bytes = f64::from(context.session.deliver.depth) / 8.0;
    f64::from(channels) * f64::from(setting.rate.get()) * bytes * 60.0 / 1e6
}
