//! The ground on which remedies are weighed: one scene in one arrangement (setting, roll block, workers). For a
//! set of remedies it says how far performers are over their limits and how often the sound will break, and for
//! the search it gives bounds that are never more than the truth.

use super::cover::Covering;
use super::scene::{Need, Scene};
use super::Effect;
use crate::load::{CallCost, Patterns, chain_length, critical_path, patterns, response_time};
use crate::loops::{Electric, Setting, loop_of};
use crate::risk::{RiskModel, disk_dropouts, memory_dropouts};
use crate::session::Routes;
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

/// The work of one kind of block before any remedy.
#[derive(Debug)]
pub struct Part {
    /// Frames in the block.
    pub frames: u32,
    /// Nodes that belong to it.
    pub included: Vec<bool>,
    /// Distinct blocks of the cycle; the worst is the last.
    pub patterns: Patterns,
    costs: Vec<CallCost>,
    /// Base cost of every node, for each pattern.
    base: Vec<Vec<f64>>,
    /// Base cost of every processor in the worst block.
    worst: Vec<f64>,
}

/// The state that a set of remedies leaves behind.
#[derive(Debug, Clone)]
pub struct Applied {
    /// Factor on the work of each processor.
    pub factor: Vec<f64>,
    /// Latency of each processor, typical.
    pub latency: Vec<f64>,
    /// Nodes that were switched off.
    pub nodes_off: Vec<usize>,
    /// Nodes whose cost differs from the base.
    touched: Vec<usize>,
    shared: Vec<usize>,
    all_work: f64,
    timeline: f64,
    /// More channels from disk.
    pub channels: u32,
    /// Change of memory.
    pub memory_gb: f64,
    /// Programs that were quit.
    pub quit: Vec<usize>,
    /// Power plan: 0 the present one, 1 performance.
    pub power: usize,
    /// Performers who went direct.
    pub direct: Vec<usize>,
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

/// A lower bound of the work of the worst block that rests on one path.
struct PathBound {
    bound: f64,
    on_path: Vec<bool>,
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
    delay_gains: Vec<Vec<f64>>,
    work_limit: [Option<f64>; 2],
}

/// Cannot be paid: the bound when no gains suffice.
const NEVER: u32 = 1_000_000;

impl Part {
    fn new(scene: &Scene<'_>, frames: u32, included: Vec<bool>) -> Self {
        let routes = scene.bench.session.routes();
        let own = scene.bench.session.engine.block_frames.map(|b| b.0).filter(|&b| b != frames);
        let fit = |c: &CallCost| match own {
            Some(b) => CallCost { internal: Some(c.internal.unwrap_or(0).max(b)), ..*c },
            None => *c,
        };
        let costs: Vec<CallCost> = scene.costs.iter().map(fit).collect();
        let nodes: Vec<CallCost> = scene.node_costs.iter().map(fit).collect();
        let mine = |n: usize| included[n];
        let internal = (0..costs.len()).filter(|&p| mine(routes.processors[p].0)).filter_map(|p| costs[p].internal);
        let patterns = patterns(frames, internal.chain(own));
        let due = |c: CallCost, mask| c.internal.is_some_and(|m| patterns.due(m, mask));
        let base: Vec<Vec<f64>> = patterns
            .blocks
            .iter()
            .map(|&(_, mask)| {
                (0..nodes.len())
                    .map(|n| {
                        if !mine(n) {
                            return 0.0;
                        }
                        let chain: f64 = routes.nodes[n].processors.clone().map(|p| costs[p].in_block(frames, due(costs[p], mask))).sum();
                        nodes[n].in_block(frames, due(nodes[n], mask)) + chain
                    })
                    .collect()
            })
            .collect();
        let worst_mask = patterns.blocks.last().map_or(0, |b| b.1);
        let worst = (0..costs.len())
            .map(|p| if mine(routes.processors[p].0) { costs[p].in_block(frames, due(costs[p], worst_mask)) } else { 0.0 })
            .collect();
        Self { frames, included, costs, base, worst, patterns }
    }

    /// Node costs of pattern `k` after `applied`.
    #[must_use]
    pub fn node_costs(&self, k: usize, routes: &Routes, applied: &Applied) -> Vec<f64> {
        let mut cost = self.base[k].clone();
        let mask = self.patterns.blocks[k].1;
        for &n in &applied.touched {
            if !self.included[n] {
                continue;
            }
            for p in routes.nodes[n].processors.clone() {
                if applied.factor[p] < 1.0 {
                    cost[n] -= self.processor_us(p, mask) * (1.0 - applied.factor[p]);
                }
            }
            cost[n] = cost[n].max(0.0);
        }
        for &n in &applied.nodes_off {
            cost[n] = 0.0;
        }
        cost
    }

    fn processor_us(&self, p: usize, mask: u32) -> f64 {
        let c = self.costs[p];
        c.in_block(self.frames, c.internal.is_some_and(|m| self.patterns.due(m, mask)))
    }

    fn worst_index(&self) -> usize {
        self.base.len() - 1
    }
}

impl<'s, 'a> Ground<'s, 'a> {
    /// Lays the ground.
    #[must_use]
    pub fn new(scene: &'s Scene<'a>, arrangement: Arrangement) -> Self {
        let frames = arrangement.setting.buffer.block.0;
        let (cue, roll) = match arrangement.roll {
            None => (Part::new(scene, frames, scene.active.clone()), None),
            Some(block) => {
                let of = |wanted: bool| scene.cue.iter().zip(&scene.active).map(|(&c, &a)| a && c == wanted).collect();
                (Part::new(scene, frames, of(true)), Some(Part::new(scene, block.0, of(false))))
            }
        };
        let bare = scene.bare_chains();
        let electric = Electric::of(&scene.bench, &arrangement.setting);
        let allowed = scene
            .needs
            .iter()
            .map(|need| {
                let whole =
                    loop_of(&scene.bench, &arrangement.setting, scene.phase, need.performer, &electric, (&bare, &bare), false);
                let limit = whole.limit.as_ref().map_or(f64::INFINITY, |l| l.0.0);
                // A hair of tolerance, so that a sum of legs is not refused for its last bit.
                (limit - whole.total.typical().0) * f64::from(scene.rate.0) / 1000.0 + 1e-6
            })
            .collect();
        let mut ground = Self {
            scene,
            arrangement,
            cue,
            roll,
            allowed,
            delay_gains: Vec::new(),
            work_limit: [None; 2],
        };
        ground.delay_gains = ground.delay_gains();
        ground
    }

    /// How much each remedy can shorten each performer's chain at the most.
    fn delay_gains(&self) -> Vec<Vec<f64>> {
        let scene = self.scene;
        let routes = scene.bench.session.routes();
        scene
            .needs
            .iter()
            .map(|need| {
                let hears = scene.bench.session.performers[need.performer].hears.iter();
                let own: Vec<usize> = hears.filter_map(|id| scene.bench.session.node_of(id)).collect();
                let reached = routes.downstream(&own);
                let feeds = upstream(routes, need.cue);
                let gain = |e: &Effect| match e {
                    Effect::Latency(p, left) if reached[routes.processors[*p].0] && feeds[routes.processors[*p].0] => {
                        (scene.latency[*p].typical().0 - left).max(0.0)
                    }
                    Effect::Direct(p) if *p == need.performer => f64::INFINITY,
                    _ => 0.0,
                };
                scene.remedies.iter().map(|r| r.effects.iter().map(gain).sum()).collect()
            })
            .collect()
    }

    /// Whether a remedy can shorten any performer's wait: by themselves, or by freeing others from a slower branch.
    fn shortens(&self, remedy: usize) -> bool {
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
        let late = scene.needs.iter().zip(&self.allowed).filter(|(need, allowed)| self.own_delay(need, &shortest) > **allowed);
        late.filter_map(|(need, _)| scene.remedies.iter().position(|r| r.effects == [Effect::Direct(need.performer)])).collect()
    }

    fn timeline_us(&self) -> f64 {
        let session = self.scene.bench.session;
        self.scene.bench.tables.assume.timeline_us_per_kilotick.0 * f64::from(session.engine.ticks_per_quarter) / 1000.0
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
        let chains = self.scene.chains(|p| applied.latency[p], &applied.direct);
        let mut worst = (0.0, None);
        for (need, allowed) in self.scene.needs.iter().zip(&self.allowed) {
            if !applied.direct.contains(&need.performer) {
                let over = chains.delay[need.cue].unwrap_or(0.0) - allowed;
                if over > worst.0 {
                    worst = (over, Some(need.performer));
                }
            }
        }
        worst
    }

    /// Share of a worker's time that other programs take.
    fn lost_to_others(&self, applied: &Applied) -> f64 {
        let rig = self.scene.bench.rig;
        let cores = f64::from(rig.machine.cores);
        let workers = f64::from(self.arrangement.workers);
        let running = rig.programs.iter().enumerate().filter(|(i, p)| p.runs_in(self.scene.phase.word()) && !applied.quit.contains(i));
        let load = rig.machine.other_load.0 + running.map(|(_, p)| p.load.0).sum::<f64>();
        ((load * cores - (cores - workers).max(0.0)).max(0.0) / workers).min(0.95)
    }

    /// Microseconds on this machine for one on the reference core.
    fn slowness(&self, applied: &Applied) -> f64 {
        1.0 / (self.scene.speed[applied.power] * (1.0 - self.lost_to_others(applied)))
    }

    /// Every distinct block of a part after `applied`.
    #[must_use]
    pub fn worked(&self, part: &Part, applied: &Applied) -> Vec<Worked> {
        (0..part.base.len()).map(|k| self.worked_at(part, k, applied)).collect()
    }

    fn worked_at(&self, part: &Part, k: usize, applied: &Applied) -> Worked {
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
        let memory = memory_dropouts(scene.memory_gb + applied.memory_gb - freed, rig.machine.memory_gb.0, assume);
        (disk, memory)
    }

    /// The most work (bound, in µs) that the worst block may take under a power plan: the inverse of the risk.
    fn work_limit(&mut self, power: usize) -> f64 {
        if let Some(known) = self.work_limit[power] {
            return known;
        }
        let model = self.cue_risk(power);
        let weight = self.cue.patterns.blocks.last().map_or(1.0, |b| b.0);
        let deadline = model.period_us * model.reserve;
        let limit = if model.reserve > 1.5 {
            // Backlog chains are costly to invert; that the work must end before the deadline is bound enough.
            deadline
        } else {
            let (mut low, mut high) = (0.0, deadline);
            for _ in 0..24 {
                let middle = (low + high) / 2.0;
                let rate = model.typical(&[(weight, middle), (1.0 - weight, 0.0)]);
                if rate <= self.scene.target { low = middle } else { high = middle }
            }
            high
        };
        self.work_limit[power] = Some(limit);
        limit
    }

    /// A lower bound of the price from the work alone. For any one path π through the graph,
    /// `bound(S) ≥ total(S)/P + (1 − 1/P) × cost of π after S`, and the right side falls by at most the sum of what
    /// each remedy saves there. The path is the longest as things stand, so nothing is lost at the start.
    fn load_bound(&mut self, chosen: &[usize], open: &[usize]) -> (u32, usize) {
        let best = self.apply(chosen, open);
        let now = self.apply(chosen, &[]);
        let limit = if best.power != now.power {
            self.work_limit(0).max(self.work_limit(1))
        } else {
            self.work_limit(best.power)
        };
        let per_us = 1.0 / self.slowness(&best);
        let cue = self.path_bound(&self.cue, &now);
        let of_cue: Vec<f64> = open.iter().map(|&r| self.saving(&self.cue, &cue, r, &now)).collect();
        let priced = |gains: &mut dyn Iterator<Item = f64>| -> Vec<(f64, u32)> {
            gains.zip(open).map(|(g, &r)| (g, self.price(r))).collect()
        };
        let mut answer = fractional(cue.bound - limit * per_us, &priced(&mut of_cue.iter().copied()));
        let mut chains = self.chains_bound(&self.cue, limit * per_us, &now, &best, open);
        if let (Some(part), Some(block)) = (&self.roll, self.arrangement.roll) {
            // R ≤ D needs B_roll + (D/T)·B_cue ≤ D, since R is a whole number of interruptions by the cue block.
            let deadline = block.period(self.scene.rate).0;
            let kappa = deadline / self.arrangement.setting.buffer.block.period(self.scene.rate).0;
            let roll = self.path_bound(part, &now);
            let need = roll.bound + kappa * cue.bound - deadline * per_us;
            let mut both = open.iter().zip(&of_cue).map(|(&r, g)| self.saving(part, &roll, r, &now) + kappa * g);
            answer = answer.max(fractional(need, &priced(&mut both)));
            // Tracks belong to one part only, so what their chains cost adds up.
            let cue_least = self.worked_at(&self.cue, self.cue.worst_index(), &best).bound_us / self.slowness(&best);
            let rest = deadline * per_us - kappa * cue_least;
            let more = self.chains_bound(part, rest, &now, &best, open);
            chains = (chains.0.saturating_add(more.0), if chains.0 > 0 { chains.1 } else { more.1 });
        }
        answer.max(chains)
    }

    /// A lower bound of the price from chains that are too long each by itself: every track's chain must fit even when
    /// all that it shares with others has been made as light as it can be; what helps one track helps no other, so
    /// their prices add up.
    fn chains_bound(&self, part: &Part, limit: f64, now: &Applied, best: &Applied, open: &[usize]) -> (u32, usize) {
        let routes = self.scene.bench.session.routes();
        let k = part.worst_index();
        let p = f64::from(self.arrangement.workers);
        if p < 1.5 {
            return (0, 0);
        }
        let least = self.worked_at(part, k, best);
        let longest_allowed = (limit - least.total_us / self.slowness(best) / p) / (1.0 - 1.0 / p);
        let least_costs = part.node_costs(k, routes, best);
        let mut after = vec![0.0f64; least_costs.len()];
        for &n in routes.order.iter().rev() {
            for &t in routes.nodes[n].to.iter().filter(|&&t| part.included[t]) {
                after[n] = after[n].max(after[t] + least_costs[t]);
            }
        }
        let costs = part.node_costs(k, routes, now);
        let tracks = self.scene.bench.session.tracks.len();
        let timeline = self.timeline_us() * best.timeline;
        let (mut price, mut first) = (0u32, None);
        for n in (0..tracks).filter(|&n| part.included[n]) {
            let over = (costs[n] + after[n] + timeline) * best.all_work - longest_allowed;
            if over <= 0.0 || costs[n] <= 0.0 {
                continue;
            }
            let mut places = Vec::new();
            let mut gains = Vec::new();
            for (place, &r) in open.iter().enumerate() {
                let gain: f64 = self.scene.remedies[r].effects.iter().map(|e| match e {
                    Effect::Work(x, f) if routes.processors[*x].0 == n => part.worst[*x] * now.factor[*x] * (1.0 - f),
                    Effect::NodeOff(m) if *m == n => costs[n],
                    _ => 0.0,
                }).sum();
                if gain > 0.0 {
                    places.push(place);
                    gains.push((gain * best.all_work, self.price(r)));
                }
            }
            let (floor, best_here) = fractional(over, &gains);
            if first.is_none() {
                first = places.get(best_here).copied();
            }
            price = price.saturating_add(floor);
        }
        (price, first.unwrap_or(0))
    }

    /// The bound of the worst block on the reference core, and the path that it rests on.
    fn path_bound(&self, part: &Part, now: &Applied) -> PathBound {
        let routes = self.scene.bench.session.routes();
        let k = part.worst_index();
        let (_, path) = critical_path(routes, &part.node_costs(k, routes, now), |n| part.included[n]);
        let mut on_path = vec![false; part.included.len()];
        for n in path {
            on_path[n] = true;
        }
        PathBound { bound: self.worked_at(part, k, now).bound_us / self.slowness(now), on_path }
    }

    /// The most by which a remedy can lower the bound over a fixed path, on top of `now`.
    fn saving(&self, part: &Part, path: &PathBound, remedy: usize, now: &Applied) -> f64 {
        let routes = self.scene.bench.session.routes();
        let p = f64::from(self.arrangement.workers);
        let weigh = |us: f64, on_path: bool| us / p + if on_path { (1.0 - 1.0 / p) * us } else { 0.0 };
        let saved = |e: &Effect| match e {
            Effect::Work(x, f) => {
                let us = part.worst[*x] * now.factor[*x] * (1.0 - f);
                weigh(us, path.on_path[routes.processors[*x].0])
            }
            Effect::NodeOff(n) => weigh(part.base[part.worst_index()][*n], path.on_path[*n]),
            Effect::Share(group) => {
                let costs = group.iter().map(|&x| part.worst[x] * now.factor[x]);
                let (sum, most) = costs.fold((0.0, 0.0f64), |(s, m), c| (s + c, m.max(c)));
                (sum - most) / p
            }
            Effect::Timeline(f) => self.timeline_us() * (1.0 - f),
            _ => 0.0,
        };
        let effects = &self.scene.remedies[remedy].effects;
        let whole: f64 = effects.iter().map(|e| if let Effect::AllWork(f) = e { path.bound * (1.0 - f) } else { 0.0 }).sum();
        effects.iter().map(saved).sum::<f64>() * now.all_work + whole
    }

    /// Delay and work together: what shortens chains costs at least `delay`; with all of that taken for nothing, the
    /// work that is still too much has to be paid for with other remedies.
    fn joint_bound(&mut self, delay: u32, chosen: &[usize], open: &[usize]) -> (u32, usize) {
        let (shortening, others): (Vec<usize>, Vec<usize>) = (0..open.len()).partition(|&i| self.shortens(open[i]));
        if delay == 0 || shortening.is_empty() || others.is_empty() {
            return (0, 0);
        }
        let given: Vec<usize> = chosen.iter().copied().chain(shortening.iter().map(|&i| open[i])).collect();
        let rest: Vec<usize> = others.iter().map(|&i| open[i]).collect();
        let (load, next) = self.load_bound(&given, &rest);
        (delay.saturating_add(load), if load > 0 { others[next] } else { shortening[0] })
    }

    /// A lower bound of the price from the delays alone: each performer's own chain must fit even when nobody else is
    /// live; only what lies on it, or going direct, helps.
    fn delay_bound(&self, chosen: &[usize], open: &[usize]) -> (u32, usize) {
        let now = self.apply(chosen, &[]);
        let mut answer = (0, 0);
        for (k, need) in self.scene.needs.iter().enumerate() {
            if now.direct.contains(&need.performer) {
                continue;
            }
            let over = self.own_delay(need, &now) - self.allowed[k];
            let gains: Vec<(f64, u32)> =
                open.iter().map(|&r| (self.delay_gains[k][r].min(over.max(0.0)), self.price(r))).collect();
            answer = answer.max(fractional(over, &gains));
        }
        answer
    }

    /// Delay of a performer's chain when nobody else is live.
    fn own_delay(&self, need: &Need, applied: &Applied) -> f64 {
        let others: Vec<usize> =
            self.scene.needs.iter().map(|n| n.performer).filter(|&p| p != need.performer).collect();
        let own = self.scene.chains(|p| applied.latency[p], &others);
        own.delay[need.cue].unwrap_or(0.0)
    }
}

impl Covering for Ground<'_, '_> {
    fn price(&self, item: usize) -> u32 {
        self.scene.remedies[item].price
    }

    fn satisfied(&mut self, chosen: &[usize]) -> bool {
        let applied = self.apply(chosen, &[]);
        self.excess(&applied).0 <= 0.0 && self.dropouts(&applied) <= self.scene.target
    }

    fn hopeful(&mut self, chosen: &[usize], open: &[usize]) -> bool {
        let mut applied = self.apply(chosen, open);
        if self.excess(&applied).0 > 0.0 {
            return false;
        }
        if self.dropouts(&applied) <= self.scene.target {
            return true;
        }
        // Another power plan need not be better: the present one may have been measured, the other is assumed.
        let switched = applied.power == 1 && self.apply(chosen, &[]).power == 0;
        applied.power = 0;
        switched && self.dropouts(&applied) <= self.scene.target
    }

    fn bound(&mut self, chosen: &[usize], open: &[usize]) -> (u32, usize) {
        let delay = self.delay_bound(chosen, open);
        let load = self.load_bound(chosen, open);
        // The machine first: it changes what work is allowed, and the bound is weak until that is settled.
        let on_machine = |r: &usize| {
            self.scene.remedies[*r].effects.iter().any(|e| matches!(e, Effect::Quit(_) | Effect::FullPower))
        };
        let bound = delay.max(load).max(self.joint_bound(delay.0, chosen, open));
        match open.iter().position(on_machine) {
            Some(next) if load.0 > 0 || delay.0 == 0 => (bound.0, next),
            _ => bound,
        }
    }
}

/// Least price of covering `need` when items may be taken in part (a lower bound of taking them whole), rounded up
/// since prices are whole; with the position of the best value for money.
#[must_use]
pub fn fractional(need: f64, gains: &[(f64, u32)]) -> (u32, usize) {
    if need <= 0.0 {
        // Nothing is missing by this bound; decide what weighs most.
        let heaviest = (0..gains.len()).max_by(|&a, &b| gains[a].0.total_cmp(&gains[b].0));
        return (0, heaviest.unwrap_or(0));
    }
    let value = |i: &usize| gains[*i].0 / f64::from(gains[*i].1).max(1e-9);
    let mut order: Vec<usize> = (0..gains.len()).filter(|&i| gains[i].0 > 0.0).collect();
    order.sort_by(|a, b| value(b).total_cmp(&value(a)));
    let Some(&best) = order.first() else { return (NEVER, 0) };
    let (mut left, mut price) = (need, 0.0);
    for i in order {
        let (gain, cost) = gains[i];
        if gain >= left {
            price += f64::from(cost) * left / gain;
            return ((price - 1e-9).ceil().max(0.0) as u32, best);
        }
        left -= gain;
        price += f64::from(cost);
    }
    (NEVER, best)
}

/// Nodes that feed `target`, itself included.
fn upstream(routes: &Routes, target: usize) -> Vec<bool> {
    let mut feeds = vec![false; routes.nodes.len()];
    feeds[target] = true;
    for &n in routes.order.iter().rev() {
        if routes.nodes[n].to.iter().any(|&t| feeds[t]) {
            feeds[n] = true;
        }
    }
    feeds
}
