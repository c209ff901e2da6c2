//! The ground on which remedies are weighed: one scene in one arrangement (setting, roll block, workers). For a
//! set of remedies it says how far performers are over their limits and how often the sound will break, and for
//! the search it gives bounds that are never more than the truth.

use super::Effect;
use super::part::{Applied, Part};
use super::scene::{Need, Scene};
use crate::load::{chain_length, response_time};
use crate::loops::{Electric, Setting, loop_of};
use crate::risk::{RiskModel, disk_dropouts, memory_dropouts};
use crate::units::Block;

/// A setting with what else is arranged around it.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// The setting of the interface.
    pub setting: Setting,
    /// Roll block, when what is recorded is rendered ahead.
    pub roll: Option<Block>,
    /// Cores that work for the session.
    pub workers: u32,
    /// Price of the arrangement itself (roll block, reserved core, more device blocks).
    pub price: u32,
}

/// Total, longest chain and bound of one distinct block, in µs on this machine.
#[derive(Debug, Clone, Copy)]
pub struct Worked {
    /// Its weight in the cycle.
    pub weight: f64,
    /// All work.
    pub total_us: f64,
    /// Longest chain.
    pub critical_us: f64,
    /// Graham's bound on the workers.
    pub bound_us: f64,
}

/// One scene in one arrangement.
#[derive(Debug)]
pub struct Ground<'s, 'a> {
    /// The scene.
    pub scene: &'s Scene<'a>,
    /// The arrangement.
    pub arrangement: Arrangement,
    /// The cue block, or the only one.
    pub cue: Part,
    /// The roll block.
    pub roll: Option<Part>,
    /// Frames that the live chain of each need may take, and the loop without it.
    pub allowed: Vec<f64>,
    pub(super) delay_gains: Vec<Vec<f64>>,
    pub(super) work_limit: [Option<f64>; 2],
}

impl<'s, 'a> Ground<'s, 'a> {
    /// Lays the ground.
    #[must_use]
    pub fn new(scene: &'s Scene<'a>, arrangement: Arrangement) -> Self {
        let frames = arrangement.setting.buffer.block.0;
        let (cue, roll) = match arrangement.roll {
            None => (Part::new(scene, frames, scene.active.clone()), None),
            Some(block) => {
                let of = |wanted: bool| {
                    scene.cue.iter().zip(&scene.active).map(|(&c, &a)| a && c == wanted).collect()
                };
                (Part::new(scene, frames, of(true)), Some(Part::new(scene, block.0, of(false))))
            }
        };
        let allowed = allowed(scene, &arrangement.setting);
        let mut ground =
            Self { scene, arrangement, cue, roll, allowed, delay_gains: Vec::new(), work_limit: [None; 2] };
        ground.delay_gains = ground.delay_gains();
        ground
    }

    /// Whether a remedy can shorten any performer's wait: by themselves, or by freeing others from a slower branch.
    pub(super) fn shortens(&self, remedy: usize) -> bool {
        let on_live_path = |e: &Effect| match e {
            Effect::Latency(p, left) => {
                self.scene.cue[self.scene.bench.session.routes().processors[*p].0]
                    && *left < self.scene.latency[*p].typical().0
            }
            Effect::Direct(_) => true,
            _ => false,
        };
        self.scene.remedies[remedy].effects.iter().any(on_live_path)
    }

    /// Whether a remedy can change anything at all here: work, delay of a performer, or resources.
    #[must_use]
    pub fn may_help(&self, remedy: usize) -> bool {
        let saves = |part: &Part| {
            self.scene.remedies[remedy].effects.iter().any(|e| match e {
                Effect::Work(p, f) => part.worst[*p] * (1.0 - f) > 0.0,
                Effect::NodeOff(n) => part.included[*n],
                Effect::Share(group) => group.iter().filter(|&&p| part.worst[p] > 0.0).count() > 1,
                Effect::AllWork(_) | Effect::Timeline(_) => true,
                _ => false,
            })
        };
        saves(&self.cue)
            || self.roll.as_ref().is_some_and(saves)
            || self.shortens(remedy)
            || self.scene.remedies[remedy].effects.iter().any(|e| match e {
                Effect::Quit(_) | Effect::FullPower => true,
                Effect::Stream { memory_gb, .. } => *memory_gb < 0.0,
                _ => false,
            })
    }

    /// Remedies that send performers direct who would be late even if their own chain were the only live one and as
    /// short as remedies can make it.
    #[must_use]
    pub fn must_go_direct(&self) -> Vec<usize> {
        let scene = self.scene;
        let all: Vec<usize> = (0..scene.remedies.len()).collect();
        let shortest = self.apply(&[], &all);
        let late = scene
            .needs
            .iter()
            .zip(&self.allowed)
            .filter(|(need, allowed)| self.own_delay(need, &shortest) > **allowed);
        late.filter_map(|(need, _)| {
            scene.remedies.iter().position(|r| r.effects == [Effect::Direct(need.performer)])
        })
        .collect()
    }

    pub(super) fn timeline_us(&self) -> f64 {
        let session = self.scene.bench.session;
        self.scene.bench.tables.assume.timeline_us_per_kilotick.0
            * f64::from(session.engine.ticks_per_quarter)
            / 1000.0
    }

    /// The state after `chosen`, and after the good sides (only) of `hoped`.
    #[must_use]
    pub fn apply(&self, chosen: &[usize], hoped: &[usize]) -> Applied {
        let scene = self.scene;
        let routes = scene.bench.session.routes();
        let mut a = Applied {
            factor: vec![1.0; scene.costs.len()],
            latency: scene.latency.iter().map(|l| l.typical().0).collect(),
            nodes_off: Vec::new(),
            touched: Vec::new(),
            shared: Vec::new(),
            all_work: 1.0,
            timeline: 1.0,
            channels: 0,
            memory_gb: 0.0,
            quit: Vec::new(),
            power: 0,
            direct: Vec::new(),
        };
        let both = chosen.iter().map(|&r| (r, false)).chain(hoped.iter().map(|&r| (r, true)));
        for (r, only_good) in both {
            for effect in &scene.remedies[r].effects {
                match effect {
                    Effect::Work(p, f) => {
                        a.factor[*p] *= f;
                        a.touched.push(routes.processors[*p].0);
                    }
                    Effect::Latency(p, frames) => a.latency[*p] = a.latency[*p].min(*frames),
                    Effect::NodeOff(n) => {
                        a.nodes_off.push(*n);
                        for p in routes.nodes[*n].processors.clone() {
                            a.latency[p] = 0.0;
                        }
                    }
                    Effect::Share(_) => a.shared.push(r),
                    Effect::AllWork(f) => a.all_work *= f,
                    Effect::Timeline(f) => a.timeline *= f,
                    Effect::Stream { channels, memory_gb } => {
                        if !only_good {
                            a.channels += channels;
                        }
                        a.memory_gb += if only_good { memory_gb.min(0.0) } else { *memory_gb };
                    }
                    Effect::Quit(i) => a.quit.push(*i),
                    Effect::FullPower => a.power = 1,
                    Effect::Direct(p) => a.direct.push(*p),
                }
            }
        }
        a.touched.sort_unstable();
        a.touched.dedup();
        // Two remedies may bring the same track to disk or free the same memory; counting both would only be gloomy.
        a
    }

    /// The most by which any performer's chain is too long, in frames (0 when all fit), and whose.
    #[must_use]
    pub fn excess(&self, applied: &Applied) -> (f64, Option<usize>) {
        excess(self.scene, &self.allowed, &applied.latency, &applied.direct)
    }

    /// Share of a worker's time that other programs take.
    fn lost_to_others(&self, applied: &Applied) -> f64 {
        let rig = self.scene.bench.rig;
        let cores = f64::from(rig.machine.cores);
        let workers = f64::from(self.arrangement.workers);
        let running = rig
            .programs
            .iter()
            .enumerate()
            .filter(|(i, p)| p.runs_in(self.scene.phase.word()) && !applied.quit.contains(i));
        let load = rig.machine.other_load.0 + running.map(|(_, p)| p.load.0).sum::<f64>();
        ((load * cores - (cores - workers).max(0.0)).max(0.0) / workers).min(0.95)
    }

    /// Microseconds on this machine for one on the reference core.
    pub(super) fn slowness(&self, applied: &Applied) -> f64 {
        1.0 / (self.scene.speed[applied.power] * (1.0 - self.lost_to_others(applied)))
    }

    /// Every distinct block of a part after `applied`.
    #[must_use]
    pub fn worked(&self, part: &Part, applied: &Applied) -> Vec<Worked> {
        (0..part.base.len()).map(|k| self.worked_at(part, k, applied)).collect()
    }

    pub(super) fn worked_at(&self, part: &Part, k: usize, applied: &Applied) -> Worked {
        let routes = self.scene.bench.session.routes();
        let cost = part.node_costs(k, routes, applied);
        let (weight, mask) = part.patterns.blocks[k];
        let mut total: f64 = cost.iter().sum();
        for &r in &applied.shared {
            for effect in &self.scene.remedies[r].effects {
                let Effect::Share(group) = effect else { continue };
                let mut saved = (0.0, 0.0f64);
                for &p in group {
                    let node = routes.processors[p].0;
                    if part.included[node] && !applied.nodes_off.contains(&node) {
                        let us = part.processor_us(p, mask) * applied.factor[p];
                        saved = (saved.0 + us, saved.1.max(us));
                    }
                }
                total -= saved.0 - saved.1;
            }
        }
        let timeline = self.timeline_us() * applied.timeline;
        let scale = applied.all_work * self.slowness(applied);
        let total_us = (total + timeline) * scale;
        let critical_us = (chain_length(routes, &cost, &part.included) + timeline) * scale;
        let bound_us = crate::load::graham_bound(total_us, critical_us, self.arrangement.workers);
        Worked { weight, total_us, critical_us, bound_us }
    }

    /// The same state with every processor at its mean share of computing.
    pub(super) fn resting(&self, applied: &Applied) -> Applied {
        let mut resting = applied.clone();
        let routes = self.scene.bench.session.routes();
        for (p, share) in self.scene.computing.iter().enumerate().filter(|(_, share)| **share < 1.0) {
            resting.factor[p] *= share;
            resting.touched.push(routes.processors[p].0);
        }
        resting.touched.sort_unstable();
        resting.touched.dedup();
        resting
    }

    /// The risk model of the device's (or only) block.
    #[must_use]
    pub fn cue_risk(&self, power: usize) -> RiskModel<'s> {
        let setting = &self.arrangement.setting;
        RiskModel {
            period_us: setting.buffer.block.period(self.scene.rate).0,
            reserve: (self.scene.bench.blocks_out(setting).typical().0.round() - 1.0).max(1.0),
            wake: &self.scene.wake[power],
        }
    }

    /// The risk model of the roll block, double-buffered.
    #[must_use]
    pub fn roll_risk(&self, block: Block, power: usize) -> RiskModel<'s> {
        RiskModel { period_us: block.period(self.scene.rate).0, reserve: 1.0, wake: &self.scene.wake[power] }
    }

    /// Response time of the worst roll block behind the worst cue blocks; past every deadline when it never ends.
    #[must_use]
    pub fn roll_response(&self, cue: &[Worked], roll: &[Worked], block: Block) -> f64 {
        let worst = |w: &[Worked]| w.iter().map(|w| w.bound_us).fold(0.0, f64::max);
        let deadline = block.period(self.scene.rate).0;
        let period = self.arrangement.setting.buffer.block.period(self.scene.rate).0;
        response_time(worst(roll), worst(cue), period, deadline * 4.0).unwrap_or(deadline * 10.0)
    }

    /// Dropouts per hour to expect after `applied`.
    #[must_use]
    pub fn dropouts(&self, applied: &Applied) -> f64 {
        let pairs = |w: &[Worked]| w.iter().map(|w| (w.weight, w.bound_us)).collect::<Vec<_>>();
        let cue = self.worked(&self.cue, applied);
        let mut sum = self.cue_risk(applied.power).typical(&pairs(&cue));
        if let (Some(part), Some(block)) = (&self.roll, self.arrangement.roll) {
            let roll = self.worked(part, applied);
            let response = self.roll_response(&cue, &roll, block);
            sum += self.roll_risk(block, applied.power).typical(&[(1.0, response)]);
        }
        let (disk, memory) = self.resources(applied);
        sum + disk.typical + memory.typical
    }

    /// Dropouts from disk and from memory.
    #[must_use]
    pub fn resources(&self, applied: &Applied) -> (crate::risk::Dropouts, crate::risk::Dropouts) {
        let scene = self.scene;
        let (rig, assume) = (scene.bench.rig, &scene.bench.tables.assume);
        let streams = scene.streams_mb_s + f64::from(applied.channels) * scene.channel_mb_s();
        let disk = disk_dropouts(streams, rig.machine.disk_mb_per_s.0, scene.read_ahead_ms(), assume);
        let freed: f64 = applied.quit.iter().map(|&i| rig.programs[i].memory_gb.0).sum();
        let memory =
            memory_dropouts(scene.memory_gb + applied.memory_gb - freed, rig.machine.memory_gb.0, assume);
        (disk, memory)
    }

    /// Delay of a performer's chain when nobody else is live.
    pub(super) fn own_delay(&self, need: &Need, applied: &Applied) -> f64 {
        let others: Vec<usize> =
            self.scene.needs.iter().map(|n| n.performer).filter(|&p| p != need.performer).collect();
        let own = self.scene.chains(|p| applied.latency[p], &others);
        own.delay[need.cue].unwrap_or(0.0)
    }
}

/// Frames that the live chain of each need may take at a setting: the limit less the loop without it.
#[must_use]
pub fn allowed(scene: &Scene<'_>, setting: &Setting) -> Vec<f64> {
    let bare = scene.bare_chains();
    let electric = Electric::of(&scene.bench, setting);
    let frames = |need: &Need| {
        let whole =
            loop_of(&scene.bench, setting, scene.phase, need.performer, &electric, (&bare, &bare), false);
        let limit = whole.limit.as_ref().map_or(f64::INFINITY, |l| l.0.0);
        // A hair of tolerance, so that a sum of legs is not refused for its last bit.
        (limit - whole.total.typical().0) * f64::from(scene.rate.0) / 1000.0 + 1e-6
    };
    scene.needs.iter().map(frames).collect()
}

/// The most by which any performer's chain is too long, in frames (0 when all fit), and whose.
#[must_use]
pub fn excess(scene: &Scene<'_>, allowed: &[f64], latency: &[f64], direct: &[usize]) -> (f64, Option<usize>) {
    let chains = scene.chains(|p| latency[p], direct);
    let mut worst = (0.0, None);
    for (need, allowed) in scene.needs.iter().zip(allowed) {
        if !direct.contains(&need.performer) {
            let over = chains.delay[need.cue].unwrap_or(0.0) - allowed;
            if over > worst.0 {
                worst = (over, Some(need.performer));
            }
        }
    }
    worst
}
