//! One phase in one arrangement (setting, roll block, workers), ready to weigh remedies. For a set of remedies it says how
//! far performers are over their limits and how often the sound will break; for the search it gives bounds that are
//! never more than the truth.

use super::Effect;
use super::block_work::{Applied, BlockWork};
use super::phase_problem::{Need, PhaseProblem};
use super::remedy::arranged_effort;
use crate::ids::{NodeId, PerformerId, RemedyId};
use crate::load::{WorkShare, chain_length, graham_bound, response_time};
use crate::loops::{ChainsRange, Electric, Setting, loop_of};
use crate::risk::{Dropouts, RiskModel, disk_dropouts, memory_dropouts};
use crate::units::{Block, Frames, Micros, Ms, PerHour};
use typed_index_collections::TiVec;

/// A setting with what else is arranged around it.
#[derive(Debug, Clone, PartialEq)]
pub struct Arrangement {
    /// The setting of the interface.
    pub setting: Setting,
    /// Roll block, when what is recorded is rendered ahead.
    pub roll: Option<Block>,
    /// Cores that work for the session.
    pub workers: u32,
}

/// Total, longest chain and bound of one distinct block, on this machine.
#[derive(Debug, Clone, Copy)]
pub struct Worked {
    /// Its share of the cycle.
    pub share: f64,
    /// All work.
    pub total: Micros,
    /// Longest chain.
    pub critical: Micros,
    /// Graham's bound on the workers.
    pub bound: Micros,
}

impl From<&Worked> for WorkShare {
    fn from(w: &Worked) -> Self {
        Self { share: w.share, work: w.bound }
    }
}

/// How far performers are over their limits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Excess {
    /// The most by which any chain is too long (0 when all fit).
    pub frames: Frames,
    /// Whose.
    pub performer: Option<PerformerId>,
}

/// The most work that a block may take, by power plan, once it was worked out.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct WorkLimits {
    pub(super) present: Option<Micros>,
    pub(super) performance: Option<Micros>,
}

/// One phase in one arrangement.
#[derive(Debug)]
pub struct Evaluation<'s, 'a> {
    /// The problem.
    pub problem: &'s PhaseProblem<'a>,
    /// The arrangement.
    pub arrangement: Arrangement,
    /// Effort of what lies in the arrangement itself.
    pub arranged_effort: u32,
    /// The cue block, or the only one.
    pub cue: BlockWork,
    /// The roll block.
    pub roll: Option<BlockWork>,
    /// Frames that the live chain of each need may take, in the order of the needs.
    pub allowed: Vec<Frames>,
    /// What choosing each remedy adds to the effort: its own, less that of a forced one which it includes.
    pub(super) added_effort: TiVec<RemedyId, u32>,
    /// For each need, by how many frames each remedy shortens its chain at the most.
    pub(super) delay_gains: Vec<TiVec<RemedyId, f64>>,
    pub(super) work_limits: WorkLimits,
}

impl<'s, 'a> Evaluation<'s, 'a> {
    /// Of a problem in an arrangement.
    #[must_use]
    pub fn new(problem: &'s PhaseProblem<'a>, arrangement: Arrangement) -> Self {
        let block = arrangement.setting.buffer.block;
        let (cue, roll) = match arrangement.roll {
            None => (BlockWork::new(problem, block, problem.active.clone()), None),
            Some(roll) => {
                let of = |wanted: bool| -> TiVec<NodeId, bool> {
                    problem.cue.iter().zip(&problem.active).map(|(&c, &a)| a && c == wanted).collect()
                };
                (BlockWork::new(problem, block, of(true)), Some(BlockWork::new(problem, roll, of(false))))
            }
        };
        let mut evaluation = Self {
            allowed: allowed(problem, &arrangement.setting),
            arranged_effort: arranged_effort(&problem.context, &arrangement),
            added_effort: problem.remedies.iter().map(|r| r.effort).collect(),
            problem,
            arrangement,
            cue,
            roll,
            delay_gains: Vec::new(),
            work_limits: WorkLimits::default(),
        };
        evaluation.delay_gains = evaluation.delay_gains();
        evaluation
    }

    /// From now on `forced` are given: a remedy that includes one of them takes its place, and only adds the difference.
    pub(super) fn force(&mut self, forced: &[RemedyId]) {
        let remedies = &self.problem.remedies;
        for (r, added) in self.added_effort.iter_mut_enumerated() {
            let replaced = forced.iter().filter(|f| **f != r && remedies[r].includes(&remedies[**f]));
            *added = remedies[r].effort
                - replaced.map(|f| remedies[*f].effort).sum::<u32>().min(remedies[r].effort);
        }
    }

    /// Effort of a set of remedies and of the arrangement.
    #[must_use]
    pub fn effort(&self, chosen: &[RemedyId]) -> u32 {
        self.arranged_effort + chosen.iter().map(|&r| self.problem.remedies[r].effort).sum::<u32>()
    }

    fn effects(&self, remedy: RemedyId) -> &[Effect] {
        &self.problem.remedies[remedy].effects
    }

    /// Whether a remedy can shorten any performer's wait: by themselves, or by freeing others from a slower branch.
    pub(super) fn shortens(&self, remedy: RemedyId) -> bool {
        let routes = self.problem.context.session.routes();
        let latency: TiVec<_, Frames> = self.problem.latency.iter().map(|l| l.typical()).collect();
        self.effects(remedy).iter().any(|e| e.touches_delay(routes, &latency, &self.problem.cue))
    }

    /// Whether a remedy can change anything at all here: work, delay of a performer, or resources.
    #[must_use]
    pub fn may_help(&self, remedy: RemedyId) -> bool {
        let lightens = |block: &BlockWork| self.effects(remedy).iter().any(|e| e.lightens(block));
        lightens(&self.cue)
            || self.roll.as_ref().is_some_and(lightens)
            || self.shortens(remedy)
            || self.effects(remedy).iter().any(|e| e.is_on_machine() || e.frees_memory())
    }

    /// Remedies that send performers direct who would be late even if their own chain were the only live one and as
    /// short as remedies can make it.
    #[must_use]
    pub fn must_go_direct(&self) -> Vec<RemedyId> {
        let problem = self.problem;
        let shortest = problem.apply(&[], &problem.remedies.keys().collect::<Vec<_>>());
        let late = problem
            .needs
            .iter()
            .zip(&self.allowed)
            .filter(|(need, allowed)| self.own_delay(need, &shortest) > **allowed);
        late.filter_map(|(need, _)| {
            let to_direct = [Effect::Direct(need.performer)];
            problem.remedies.iter_enumerated().find(|(_, r)| r.effects == to_direct).map(|(id, _)| id)
        })
        .collect()
    }

    /// Cost of the timeline in each block on the reference core.
    pub(super) fn timeline(&self) -> Micros {
        let ticks = self.problem.context.session.engine.ticks_per_quarter;
        self.problem.context.tables.assume.timeline_us_per_kilotick * (f64::from(ticks) / 1000.0)
    }

    /// How far performers are over their limits after `applied`.
    #[must_use]
    pub fn excess(&self, applied: &Applied) -> Excess {
        excess(self.problem, &self.allowed, &applied.latency, &applied.direct)
    }

    /// Share of a worker's time that other programs take.
    fn lost_to_others(&self, applied: &Applied) -> f64 {
        let rig = self.problem.context.rig;
        let cores = f64::from(rig.machine.cores);
        let workers = f64::from(self.arrangement.workers);
        let running = rig
            .program_ids()
            .filter(|(id, p)| p.runs_in(self.problem.phase.id()) && !applied.quit.contains(id));
        let load = rig.machine.other_load.raw() + running.map(|(_, p)| p.load.raw()).sum::<f64>();
        ((load * cores - (cores - workers).max(0.0)).max(0.0) / workers).min(0.95)
    }

    /// Time on this machine for one unit on the reference core.
    pub(super) fn slowness(&self, applied: &Applied) -> f64 {
        1.0 / (self.problem.machine(applied).speed * (1.0 - self.lost_to_others(applied)))
    }

    /// Every distinct block of a kind after `applied`.
    #[must_use]
    pub fn worked(&self, block: &BlockWork, applied: &Applied) -> Vec<Worked> {
        (0..block.base.len()).map(|k| self.worked_at(block, k, applied)).collect()
    }

    pub(super) fn worked_at(&self, block: &BlockWork, k: usize, applied: &Applied) -> Worked {
        let routes = self.problem.context.session.routes();
        let cost = block.node_costs(k, routes, applied);
        let kind = block.cycle.blocks[k];
        let mut total: Micros = cost.iter().copied().sum();
        for &r in &applied.shared {
            for effect in self.effects(r) {
                if let Effect::Share(group) = effect {
                    let zero = Micros::new(0.0);
                    let (mut sum, mut most) = (zero, zero);
                    for &p in group {
                        let node = routes.processors[p].node;
                        if block.included[node] && !applied.nodes_off.contains(&node) {
                            let work = block.processor_work(p, kind) * applied.factor[p];
                            (sum, most) = (sum + work, most.max(work));
                        }
                    }
                    total -= sum - most;
                }
            }
        }
        let timeline = self.timeline() * applied.timeline;
        let scale = applied.all_work * self.slowness(applied);
        let total = (total + timeline) * scale;
        let critical = (chain_length(routes, &cost, &block.included) + timeline) * scale;
        let bound = graham_bound(total, critical, self.arrangement.workers);
        Worked { share: kind.share, total, critical, bound }
    }

    /// The same state with every processor at its mean share of computing.
    pub(super) fn resting(&self, applied: &Applied) -> Applied {
        let mut resting = applied.clone();
        let routes = self.problem.context.session.routes();
        for (p, share) in self.problem.computing.iter_enumerated().filter(|(_, share)| **share < 1.0) {
            resting.factor[p] *= share;
            resting.touched.push(routes.processors[p].node);
        }
        resting.touched.sort_unstable();
        resting.touched.dedup();
        resting
    }

    /// The risk model of the device's (or only) block.
    #[must_use]
    pub fn cue_risk(&self, applied: &Applied) -> RiskModel<'s> {
        let setting = &self.arrangement.setting;
        RiskModel {
            period: setting.buffer.block.period(self.problem.rate),
            reserve: self.problem.context.reserve(setting),
            wake: self.wake(applied),
        }
    }

    /// The risk model of the roll block, double-buffered.
    #[must_use]
    pub fn roll_risk(&self, block: Block, applied: &Applied) -> RiskModel<'s> {
        RiskModel { period: block.period(self.problem.rate), reserve: 1.0, wake: self.wake(applied) }
    }

    fn wake(&self, applied: &Applied) -> &'s crate::risk::WakeSet {
        &self.problem.machine(applied).wake
    }

    /// Response time of the worst roll block behind the worst cue blocks; past every deadline when it never ends.
    #[must_use]
    pub fn roll_response(&self, cue: &[Worked], roll: &[Worked], block: Block) -> Micros {
        let worst = |w: &[Worked]| w.iter().map(|w| w.bound).fold(Micros::new(0.0), Micros::max);
        let deadline = block.period(self.problem.rate);
        let period = self.arrangement.setting.buffer.block.period(self.problem.rate);
        response_time(worst(roll), worst(cue), period, deadline * 4.0).unwrap_or(deadline * 10.0)
    }

    /// Dropouts per hour to expect after `applied`.
    #[must_use]
    pub fn dropouts(&self, applied: &Applied) -> PerHour {
        let shares = |w: &[Worked]| w.iter().map(WorkShare::from).collect::<Vec<_>>();
        let cue = self.worked(&self.cue, applied);
        let mut sum = self.cue_risk(applied).typical(&shares(&cue));
        if let (Some(roll), Some(block)) = (&self.roll, self.arrangement.roll) {
            let worked = self.worked(roll, applied);
            let response = self.roll_response(&cue, &worked, block);
            sum += self.roll_risk(block, applied).typical(&[WorkShare { share: 1.0, work: response }]);
        }
        sum + self.from_disk(applied).typical + self.from_memory(applied).typical
    }

    /// Dropouts from the disk.
    #[must_use]
    pub fn from_disk(&self, applied: &Applied) -> Dropouts {
        let problem = self.problem;
        let streams = problem.resources.streams + problem.channel_stream() * f64::from(applied.channels);
        let throughput = problem.context.rig.machine.disk_mb_per_s;
        disk_dropouts(streams, throughput, problem.read_ahead(), &problem.context.tables.assume)
    }

    /// Dropouts from memory.
    #[must_use]
    pub fn from_memory(&self, applied: &Applied) -> Dropouts {
        let (problem, rig) = (self.problem, self.problem.context.rig);
        let freed = applied.quit.iter().map(|&id| rig.program(id).memory_gb).sum();
        let needed = problem.resources.memory + applied.memory - freed;
        memory_dropouts(needed, rig.machine.memory_gb, &problem.context.tables.assume)
    }

    /// Delay of a performer's chain when nobody else is live.
    pub(super) fn own_delay(&self, need: &Need, applied: &Applied) -> Frames {
        let others: Vec<PerformerId> =
            self.problem.needs.iter().map(|n| n.performer).filter(|&p| p != need.performer).collect();
        self.problem.chains(|p| applied.latency[p], &others).at(need.cue)
    }
}

/// A hair of tolerance, so that a sum of legs is not refused for its last bit.
const HAIR: Frames = Frames::new(1e-6);

/// Frames that the live chain of each need may take at a setting: the limit less the loop without it.
#[must_use]
pub fn allowed(problem: &PhaseProblem<'_>, setting: &Setting) -> Vec<Frames> {
    let bare = problem.bare_chains();
    let bare = ChainsRange { high: &bare, low: &bare };
    let electric = Electric::of(&problem.context, setting);
    let frames = |need: &Need| {
        let whole = loop_of(&problem.context, setting, problem.phase, need.performer, &electric, bare, false);
        let limit = whole.limit.as_ref().map_or(Ms::new(f64::INFINITY), |l| l.at);
        (limit - whole.total.typical()).frames_at(problem.rate) + HAIR
    };
    problem.needs.iter().map(frames).collect()
}

/// How far performers are over what is allowed, with these latencies and these performers gone direct.
#[must_use]
pub fn excess(
    problem: &PhaseProblem<'_>,
    allowed: &[Frames],
    latency: &TiVec<crate::ids::ProcessorId, Frames>,
    direct: &[PerformerId],
) -> Excess {
    let chains = problem.chains(|p| latency[p], direct);
    let mut worst = Excess { frames: Frames::new(0.0), performer: None };
    for (need, allowed) in problem.needs.iter().zip(allowed) {
        if !direct.contains(&need.performer) {
            let over = chains.at(need.cue) - *allowed;
            if over > worst.frames {
                worst = Excess { frames: over, performer: Some(need.performer) };
            }
        }
    }
    worst
}
