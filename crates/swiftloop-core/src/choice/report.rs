//! The full report of one arrangement with a set of remedies: loops, load, risk, all with doubt.

use super::ground::Worked;
use super::part::{Applied, Part};
use super::{Ground, Remedy};
use crate::load::{BlockLoad, BoundBy, critical_path, list_schedule};
use crate::loops::{Loop, loops_of};
use crate::risk::{Dropouts, Verdict, verdict};
use crate::units::Origin;

/// Everything there is to say about one arrangement.
#[derive(Debug, Clone)]
pub struct Report {
    /// The loops of the phase, slowest against its limit first.
    pub loops: Vec<Loop>,
    /// The device's block.
    pub cue: BlockLoad,
    /// The roll block with its response time.
    pub roll: Option<(BlockLoad, f64)>,
    /// Dropouts per hour, all causes.
    pub dropouts: Dropouts,
    /// Of these, from the disk and from memory.
    pub from_disk: Dropouts,
    /// Of these, from memory.
    pub from_memory: Dropouts,
    /// What the phase bears.
    pub target: f64,
    /// Where the wake-up delays came from.
    pub profile: Origin,
    /// Remedies applied to session and machine.
    pub remedies: Vec<Remedy>,
    /// Remedies that lie in the arrangement itself: rendering ahead, cores, device blocks.
    pub arranged: Vec<Remedy>,
    /// Disk streams in megabytes per second.
    pub streams_mb_s: f64,
    /// From cursor to ear.
    pub cursor: Loop,
}

impl Report {
    /// The verdict on the dropouts.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        verdict(self.dropouts, self.target)
    }

    /// The longest loop that matters: of a performer through the software, else the first.
    #[must_use]
    pub fn round_trip_ms(&self) -> f64 {
        self.loops.iter().map(|l| l.total.typical().0).fold(0.0, f64::max)
    }

    /// The loop furthest over its limit, if any is.
    #[must_use]
    pub fn worst_over(&self) -> Option<&Loop> {
        let over = self.loops.iter().filter(|l| l.excess().0 > 0.0);
        over.max_by(|a, b| a.excess().0.total_cmp(&b.excess().0))
    }

    /// The loop with the least room under its limit.
    #[must_use]
    pub fn tightest(&self) -> Option<&Loop> {
        let room = |l: &&Loop| l.limit.as_ref().map_or(f64::INFINITY, |x| x.0.0 - l.total.typical().0);
        self.loops.iter().min_by(|a, b| room(a).total_cmp(&room(b)))
    }
}

/// The report of a ground with `chosen` remedies.
#[must_use]
pub fn report(ground: &Ground<'_, '_>, chosen: &[usize]) -> Report {
    let scene = ground.scene;
    let applied = ground.apply(chosen, &[]);
    let setting = &ground.arrangement.setting;
    // The low figure of a latency survives a remedy only if the remedy did not change it.
    let low = |p: usize| scene.latency[p].low().0.min(applied.latency[p]);
    let high_chains = scene.chains(|p| applied.latency[p], &applied.direct);
    let low_chains = scene.chains(low, &applied.direct);
    let mut loops =
        loops_of(&scene.bench, setting, scene.phase, (&high_chains, &low_chains), &applied.direct);
    let room = |l: &Loop| l.limit.as_ref().map_or(f64::INFINITY, |x| x.0.0 - l.total.typical().0);
    loops.sort_by(|a, b| room(a).total_cmp(&room(b)));

    let cue_worked = ground.worked(&ground.cue, &applied);
    let cue_risk = ground.cue_risk(applied.power);
    let pairs = |w: &[Worked]| w.iter().map(|w| (w.weight, w.bound_us)).collect::<Vec<_>>();
    let mut dropouts = cue_risk.dropouts(&pairs(&cue_worked));
    let cue = block_load(ground, &ground.cue, &applied, &cue_worked, cue_risk.period_us * cue_risk.reserve);
    let roll = match (&ground.roll, ground.arrangement.roll) {
        (Some(part), Some(block)) => {
            let worked = ground.worked(part, &applied);
            let response = ground.roll_response(&cue_worked, &worked, block);
            let risk = ground.roll_risk(block, applied.power);
            dropouts = dropouts.plus(risk.dropouts(&[(1.0, response)]));
            Some((block_load(ground, part, &applied, &worked, risk.period_us), response))
        }
        _ => None,
    };
    let (from_disk, from_memory) = ground.resources(&applied);
    let electric = crate::loops::Electric::of(&scene.bench, setting);
    Report {
        loops,
        cue,
        roll,
        dropouts: dropouts.plus(from_disk).plus(from_memory),
        from_disk,
        from_memory,
        target: scene.target,
        profile: scene.wake[applied.power].origin,
        remedies: chosen.iter().map(|&r| scene.remedies[r].clone()).collect(),
        arranged: super::remedy::arranged(&scene.bench, &ground.arrangement),
        streams_mb_s: scene.streams_mb_s + f64::from(applied.channels) * scene.channel_mb_s(),
        cursor: crate::loops::playback_loop(&scene.bench, setting, &electric),
    }
}

fn block_load(
    ground: &Ground<'_, '_>,
    part: &Part,
    applied: &Applied,
    worked: &[Worked],
    deadline_us: f64,
) -> BlockLoad {
    let routes = ground.scene.bench.session.routes();
    let workers = ground.arrangement.workers;
    let worst_at =
        (0..worked.len()).max_by(|&a, &b| worked[a].bound_us.total_cmp(&worked[b].bound_us)).unwrap_or(0);
    let worst = worked[worst_at];
    let cost = part.node_costs(worst_at, routes, applied);
    let included = |n: usize| part.included[n];
    let (chain_us, chain) = critical_path(routes, &cost, included);
    // The schedule in reference µs, brought to this machine by the same factor as the chain.
    let scale = if chain_us > 0.0 { worst.critical_us / chain_us } else { 1.0 };
    let scheduled = list_schedule(routes, &cost, workers, included) * scale;
    let lower = worst.critical_us.max(worst.total_us / f64::from(workers));
    // Any track may sound at any moment, so the worst block rests nothing; the mean block rests what is silent.
    let resting = ground.resting(applied);
    let mean_us: f64 = ground.worked(part, &resting).iter().map(|w| w.weight * w.bound_us).sum();
    let bound_by = if worst.bound_us > 1.5 * mean_us {
        BoundBy::Burst
    } else if worst.critical_us >= worst.total_us / f64::from(workers) {
        BoundBy::Chain
    } else {
        BoundBy::Cores
    };
    BlockLoad {
        block_frames: part.frames,
        workers,
        deadline_us,
        total_us: worst.total_us,
        critical_path_us: worst.critical_us,
        // Shared copies are in the nodes' costs but not in the total, so the schedule is held between its bounds.
        makespan_us: scheduled.clamp(lower, worst.bound_us.max(lower)),
        guaranteed_us: worst.bound_us,
        mean_us,
        bound_by,
        critical_chain: chain,
        patterns: worked.iter().map(|w| (w.weight, w.bound_us)).collect(),
        capped: part.patterns.capped,
    }
}
