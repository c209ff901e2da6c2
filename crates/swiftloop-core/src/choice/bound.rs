//! Bounds for the search: what the remedies that are still open must cost at least. Each is a necessary condition
//! relaxed until it is linear, so none is ever more than the truth; a wrong one would make the plan dearer than need be,
//! which the test against exhaustive search would show.

use super::Effect;
use super::cover::Covering;
use super::ground::Ground;
use super::part::{Applied, Part};
use crate::load::critical_path;
use crate::session::Routes;

/// Cannot be paid: the bound when no gains suffice.
const NEVER: u32 = 1_000_000;

/// A lower bound of the work of the worst block that rests on one path.
struct PathBound {
    bound: f64,
    on_path: Vec<bool>,
}

impl Ground<'_, '_> {
    /// How much each remedy can shorten each performer's chain at the most.
    pub(super) fn delay_gains(&self) -> Vec<Vec<f64>> {
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
                    Effect::Latency(p, left)
                        if reached[routes.processors[*p].0] && feeds[routes.processors[*p].0] =>
                    {
                        (scene.latency[*p].typical().0 - left).max(0.0)
                    }
                    Effect::Direct(p) if *p == need.performer => f64::INFINITY,
                    _ => 0.0,
                };
                scene.remedies.iter().map(|r| r.effects.iter().map(gain).sum()).collect()
            })
            .collect()
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
            let mut both =
                open.iter().zip(&of_cue).map(|(&r, g)| self.saving(part, &roll, r, &now) + kappa * g);
            answer = answer.max(fractional(need, &priced(&mut both)));
            // Tracks belong to one part only, so what their chains cost adds up.
            let cue_least =
                self.worked_at(&self.cue, self.cue.worst_index(), &best).bound_us / self.slowness(&best);
            let rest = deadline * per_us - kappa * cue_least;
            let more = self.chains_bound(part, rest, &now, &best, open);
            chains = (chains.0.saturating_add(more.0), if chains.0 > 0 { chains.1 } else { more.1 });
        }
        answer.max(chains)
    }

    /// A lower bound of the price from chains that are too long each by itself: every track's chain must fit even when
    /// all that it shares with others has been made as light as it can be; what helps one track helps no other, so
    /// their prices add up.
    fn chains_bound(
        &self,
        part: &Part,
        limit: f64,
        now: &Applied,
        best: &Applied,
        open: &[usize],
    ) -> (u32, usize) {
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
        let over = |n: usize| (costs[n] + after[n] + timeline) * best.all_work - longest_allowed;
        let too_long: Vec<usize> =
            (0..tracks).filter(|&n| part.included[n] && costs[n] > 0.0 && over(n) > 0.0).collect();
        if too_long.is_empty() {
            return (0, 0);
        }
        // What each open remedy saves on each of these tracks.
        let mut savings: Vec<Vec<(usize, f64, u32)>> = vec![Vec::new(); too_long.len()];
        for (place, &r) in open.iter().enumerate() {
            for e in &self.scene.remedies[r].effects {
                let (node, gain) = match e {
                    Effect::Work(x, f) => {
                        (routes.processors[*x].0, part.worst[*x] * now.factor[*x] * (1.0 - f))
                    }
                    Effect::NodeOff(m) => (*m, costs[*m]),
                    _ => continue,
                };
                let Ok(at) = too_long.binary_search(&node) else { continue };
                match savings[at].last_mut() {
                    Some(last) if last.0 == place => last.1 += gain,
                    _ if gain > 0.0 => savings[at].push((place, gain, self.price(r))),
                    _ => {}
                }
            }
        }
        let (mut price, mut first) = (0u32, None);
        for (&n, saving) in too_long.iter().zip(&savings) {
            let gains: Vec<(f64, u32)> = saving.iter().map(|s| (s.1 * best.all_work, s.2)).collect();
            let (floor, best_here) = fractional(over(n), &gains);
            if first.is_none() {
                first = saving.get(best_here).map(|s| s.0);
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
        let whole: f64 = effects
            .iter()
            .map(|e| if let Effect::AllWork(f) = e { path.bound * (1.0 - f) } else { 0.0 })
            .sum();
        effects.iter().map(saved).sum::<f64>() * now.all_work + whole
    }

    /// Delay and work together: what shortens chains costs at least `delay`; with all of that taken for nothing, the
    /// work that is still too much has to be paid for with other remedies.
    fn joint_bound(&mut self, delay: u32, chosen: &[usize], open: &[usize]) -> (u32, usize) {
        let (shortening, others): (Vec<usize>, Vec<usize>) =
            (0..open.len()).partition(|&i| self.shortens(open[i]));
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
