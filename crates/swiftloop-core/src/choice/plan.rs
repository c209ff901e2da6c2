//! The plan: one rate for the whole session, for each interface one way through its phases. Exact: dynamic
//! programming over every candidate of every phase, compared by the wishes in their order.

use super::explain::{Missed, Weighed, WhyNot, alternatives, missed_by, without_roll};
use super::solve::{Candidate, Outcome, candidates};
use super::way::{WISH_WORDS, Wishes, best_way, first_difference, less};
use super::{Arrangement, Buys, Ground, Report, Scene, buys, default_workers, report};
use crate::loops::Bench;
use crate::risk::Verdict;
use crate::session::Phase;
use crate::units::Hz;
use crate::workers::Workers;

/// The choice for one interface and phase.
#[derive(Debug, Clone)]
pub struct Choice {
    /// Index of the interface.
    pub interface: usize,
    /// Index of the phase.
    pub phase: usize,
    /// The arrangement, or the nearest miss.
    pub arrangement: Arrangement,
    /// Everything about it, remedies applied.
    pub report: Report,
    /// The same setting as the session stands: no remedy, nothing rendered ahead, the usual cores; when that differs.
    pub bare: Option<Report>,
    /// What each remedy of the report buys.
    pub buys: Vec<Buys>,
    /// Price of arrangement and remedies.
    pub price: u32,
    /// Largest possible distance of the price from the cheapest (0: proven).
    pub gap: u32,
    /// Set when the wish is impossible.
    pub missed: Option<Missed>,
    /// What would be without rendering ahead, when the choice renders ahead.
    pub without_roll: Option<String>,
    /// Every other setting with the reason why it lost, the nearest first.
    pub alternatives: Vec<WhyNot>,
    /// Every buffer of the chosen driver with these remedies: for the picture of the trade.
    pub trade: Vec<TradePoint>,
}

/// One buffer in the trade of delay against dropouts.
#[derive(Debug, Clone)]
pub struct TradePoint {
    /// The arrangement.
    pub arrangement: Arrangement,
    /// The slowest loop.
    pub round_trip_ms: f64,
    /// Dropouts per hour to expect.
    pub dropouts_per_hour: f64,
    /// Every limit is met.
    pub within: bool,
    /// Nothing beats it in both delay and dropouts.
    pub on_frontier: bool,
}

/// What to change when one phase ends and the next begins on an interface.
#[derive(Debug, Clone)]
pub struct Step {
    /// Index of the interface.
    pub interface: usize,
    /// Index of the phase that begins.
    pub phase: usize,
    /// What to undo of the phase before.
    pub restore: Vec<String>,
    /// What to set and do.
    pub set: Vec<String>,
}

/// The whole plan.
#[derive(Debug, Clone)]
pub struct Plan {
    /// The rate for the whole session.
    pub rate: Hz,
    /// Rates that were weighed and lost, with the reason.
    pub other_rates: Vec<(Hz, String)>,
    /// A choice for each interface and phase, phases in order.
    pub choices: Vec<Choice>,
    /// Interfaces that cannot run at the rate at all, with the phase.
    pub silent: Vec<(usize, usize)>,
    /// The sheet of changes.
    pub steps: Vec<Step>,
}

/// Plans every interface and phase.
#[must_use]
pub fn plan(bench: Bench<'_>, workers: &impl Workers) -> Plan {
    let rates = bench.session.rates();
    let mut best: Option<(Wishes, Planned<'_>)> = None;
    let mut lost = Vec::new();
    for &rate in &rates {
        let planned = plan_at(bench, rate, workers);
        let why = |a: &Wishes, b: &Wishes| match first_difference(a, b) {
            Some(k) if !WISH_WORDS[k].is_empty() => format!("over the whole session {}", WISH_WORDS[k]),
            _ => "nothing is gained by it".to_string(),
        };
        match &best {
            Some((wishes, _)) if !less(&planned.wishes, wishes) => {
                lost.push((rate, why(&planned.wishes, wishes)))
            }
            _ => {
                if let Some((old, before)) = best.take() {
                    lost.push((before.rate, why(&old, &planned.wishes)));
                }
                best = Some((planned.wishes, planned));
            }
        }
    }
    match best {
        Some((_, planned)) => planned.finish(lost, workers),
        None => Plan {
            rate: bench.session.deliver.rate_hz,
            other_rates: lost,
            choices: vec![],
            silent: vec![],
            steps: vec![],
        },
    }
}

struct Planned<'a> {
    bench: Bench<'a>,
    rate: Hz,
    wishes: Wishes,
    /// Per interface: phase index, what was weighed, the chosen candidate.
    ways: Vec<Vec<(usize, Weighed<'a>, usize)>>,
    silent: Vec<(usize, usize)>,
}

fn plan_at<'a>(bench: Bench<'a>, rate: Hz, workers: &impl Workers) -> Planned<'a> {
    let mut planned = Planned { bench, rate, wishes: [0.0; 7], ways: Vec::new(), silent: Vec::new() };
    let mut wanted: Vec<(usize, usize)> = Vec::new();
    for (interface, about) in bench.rig.interfaces.iter().enumerate() {
        let meant = |phase: &Phase| phase.interfaces.as_ref().is_none_or(|all| all.contains(&about.id));
        wanted.extend(
            (0..bench.session.phases.len())
                .filter(|&p| meant(&bench.session.phases[p]))
                .map(|p| (interface, p)),
        );
    }
    let weighed = workers.map(wanted, |(interface, index)| {
        let scene = Scene::new(bench, interface, &bench.session.phases[index], rate);
        let candidates = candidates(&scene);
        let wishes = candidates.iter().map(|c| wishes_of(&scene, c)).collect();
        (interface, index, Weighed { scene, candidates, wishes })
    });
    let mut by_interface: Vec<Vec<(usize, Weighed<'a>)>> = Vec::new();
    by_interface.resize_with(bench.rig.interfaces.len(), Vec::new);
    for (interface, index, weighed) in weighed {
        if weighed.candidates.is_empty() {
            planned.silent.push((interface, index));
            planned.wishes[0] += 1.0;
        } else {
            by_interface[interface].push((index, weighed));
        }
    }
    for stages in by_interface {
        let wishes: Vec<Vec<Wishes>> = stages.iter().map(|(_, w)| w.wishes.clone()).collect();
        let (sum, way) = best_way(&wishes, |stage, i, j| {
            let of = |stage: usize, c: usize| &stages[stage].1.candidates[c].arrangement;
            switches(of(stage, i), of(stage + 1, j))
        });
        for (total, part) in planned.wishes.iter_mut().zip(sum) {
            *total += part;
        }
        planned.ways.push(stages.into_iter().zip(way).map(|((i, w), c)| (i, w, c)).collect());
    }
    planned
}

/// Wishes of one candidate on its own. Only those that may be chosen are looked at closely.
fn wishes_of(scene: &Scene<'_>, candidate: &Candidate) -> Wishes {
    match &candidate.outcome {
        Outcome::Meets { remedies, price, .. } => {
            let ground = Ground::new(scene, candidate.arrangement.clone());
            let report = report(&ground, remedies);
            let doubtful =
                report.loops.iter().filter(|l| l.verdict() != crate::loops::Verdict::Within).count();
            let uneasy = usize::from(report.verdict() != Verdict::Calm);
            let last = if scene.kind.least_delay { report.round_trip_ms() } else { report.cue.worst_ratio() };
            [0.0, 0.0, 0.0, f64::from(*price), (doubtful + uneasy) as f64, 0.0, last]
        }
        Outcome::Late { over, .. } => {
            [1.0 + over.0, 0.0, 0.0, f64::from(candidate.arrangement.price), 0.0, 0.0, 0.0]
        }
        Outcome::Fails { over, dropouts, .. } => {
            // The nearest miss: least over the limit, then least often broken.
            let breaks = if *dropouts > scene.target { 1.0 + (dropouts / scene.target).ln() } else { 0.0 };
            let misses = if over.0 > 0.0 { 1.0 + over.0 } else { 0.0 };
            [misses, breaks, 0.0, f64::from(candidate.arrangement.price), 0.0, 0.0, 0.0]
        }
        // Never chosen: something of the same driver is cheaper, or it cannot be done.
        Outcome::Dearer(_) | Outcome::NoRoll(_) => [f64::INFINITY; 7],
    }
}

/// What it takes to go from one arrangement to the next: drivers, then settings.
fn switches(from: &Arrangement, to: &Arrangement) -> (f64, f64) {
    let driver = f64::from(u8::from(from.setting.driver != to.setting.driver));
    let changed =
        [from.setting.buffer != to.setting.buffer, from.roll != to.roll, from.workers != to.workers];
    (driver, changed.iter().map(|&c| f64::from(u8::from(c))).sum())
}

impl Planned<'_> {
    fn finish(self, other_rates: Vec<(Hz, String)>, workers: &impl Workers) -> Plan {
        let all: Vec<&(usize, Weighed<'_>, usize)> = self.ways.iter().flatten().collect();
        let mut choices = workers.map(all, |(phase, weighed, chosen)| choice(*phase, weighed, *chosen));
        let mut steps = Vec::new();
        for (i, now) in choices.iter().enumerate() {
            // Choices still stand interface by interface, phases in order.
            let before = i.checked_sub(1).map(|b| &choices[b]).filter(|b| b.interface == now.interface);
            steps.push(step(&self.bench, before, now));
        }
        choices.sort_by_key(|c| (c.phase, c.interface));
        steps.sort_by_key(|s| (s.interface, s.phase));
        Plan { rate: self.rate, other_rates, choices, silent: self.silent, steps }
    }
}

fn choice(phase: usize, weighed: &Weighed<'_>, chosen: usize) -> Choice {
    let candidate = &weighed.candidates[chosen];
    let scene = &weighed.scene;
    let arrangement = candidate.arrangement.clone();
    let ground = Ground::new(scene, arrangement.clone());
    let (remedies, price, gap, missed) = match &candidate.outcome {
        Outcome::Meets { remedies, price, gap, .. } => (remedies.clone(), *price, *gap, None),
        _ => {
            let remedies = attempt(&ground);
            let price = arrangement.price + remedies.iter().map(|&r| scene.remedies[r].price).sum::<u32>();
            (remedies, price, 0, Some(()))
        }
    };
    let report_now = report(&ground, &remedies);
    let missed = missed.map(|()| missed_by(scene, &report_now));
    let trade = trade(scene, &arrangement, &remedies);
    Choice {
        interface: scene.interface,
        phase,
        bare: (price > 0).then(|| as_it_stands(scene, &arrangement)),
        report: report_now,
        buys: buys(&ground, &remedies),
        price,
        gap,
        missed,
        without_roll: arrangement.roll.and_then(|_| without_roll(weighed, chosen)),
        alternatives: alternatives(weighed, chosen),
        trade,
        arrangement,
    }
}

/// The report of a setting as the session stands.
fn as_it_stands(scene: &Scene<'_>, arrangement: &Arrangement) -> Report {
    let workers = default_workers(scene.bench.session, scene.bench.rig.machine.cores);
    let bare = Arrangement { setting: arrangement.setting.clone(), roll: None, workers, price: 0 };
    report(&Ground::new(scene, bare), &[])
}

/// For an impossible wish: every remedy that shortens a loop or lightens the load, less those that change nothing;
/// what rendering ahead demands stays.
fn attempt(ground: &Ground<'_, '_>) -> Vec<usize> {
    let mut all: Vec<usize> = (0..ground.scene.remedies.len()).filter(|&r| ground.may_help(r)).collect();
    let judge = |set: &[usize]| {
        let applied = ground.apply(set, &[]);
        (ground.excess(&applied).0, ground.dropouts(&applied).max(ground.scene.target))
    };
    let best = judge(&all);
    // Dearest first: what can be missed without making the miss larger is not worth its price.
    let mut order = all.clone();
    order.sort_by_key(|&r| std::cmp::Reverse(ground.scene.remedies[r].price));
    if let (Some(_), Ok(forced)) = (ground.arrangement.roll, &ground.scene.forced_by_roll) {
        order.retain(|r| !forced.contains(r));
    }
    for r in order {
        let without: Vec<usize> = all.iter().copied().filter(|&x| x != r).collect();
        let now = judge(&without);
        if now.0 <= best.0 + 1e-9 && now.1 <= best.1 * 1.05 {
            all = without;
        }
    }
    all
}

/// Delay and dropouts of every block of the chosen driver, with the same remedies; and which ones nothing beats.
#[must_use]
pub fn trade(scene: &Scene<'_>, chosen: &Arrangement, remedies: &[usize]) -> Vec<TradePoint> {
    let settings = scene.bench.settings(scene.interface, scene.rate);
    let mut all: Vec<TradePoint> = settings
        .into_iter()
        .filter(|s| s.driver == chosen.setting.driver && chosen.roll.is_none_or(|r| r > s.buffer.block))
        .map(|setting| {
            let arrangement = Arrangement { setting, ..chosen.clone() };
            let report = report(&Ground::new(scene, arrangement.clone()), remedies);
            TradePoint {
                arrangement,
                round_trip_ms: report.round_trip_ms(),
                dropouts_per_hour: report.dropouts.typical,
                within: report.loops.iter().all(|l| l.excess().0 <= 0.0),
                on_frontier: false,
            }
        })
        .collect();
    let measures: Vec<(f64, f64)> = all.iter().map(|p| (p.round_trip_ms, p.dropouts_per_hour)).collect();
    for (i, point) in all.iter_mut().enumerate() {
        let a = measures[i];
        let beaten = measures
            .iter()
            .enumerate()
            .any(|(j, b)| b.0 <= a.0 && b.1 <= a.1 && (b.0 < a.0 || b.1 < a.1 || j < i));
        point.on_frontier = !beaten;
    }
    all
}

/// What to undo and what to do when a phase begins.
fn step(bench: &Bench<'_>, before: Option<&Choice>, now: &Choice) -> Step {
    let old = before.map_or(&[][..], |b| &b.report.remedies);
    let same = |list: &[super::Remedy], id: &str| list.iter().any(|r| r.id == id);
    let restore = old.iter().filter(|r| !same(&now.report.remedies, &r.id)).map(|r| r.undo.clone()).collect();
    let mut set = Vec::new();
    let (a, was) = (&now.arrangement, before.map(|b| &b.arrangement));
    if was.is_none_or(|w| w.setting.driver != a.setting.driver) {
        set.push(format!("driver {}", bench.driver(&a.setting).word()));
    }
    if was.is_none_or(|w| w.setting.buffer != a.setting.buffer) {
        set.push(format!("buffer {}", a.setting.buffer.label()));
    }
    if was.map_or(a.roll.is_some(), |w| w.roll != a.roll) {
        set.push(a.roll.map_or("rendering ahead off".into(), |r| format!("render ahead in blocks of {r}")));
    }
    if was.is_some_and(|w| w.workers != a.workers) || (was.is_none() && a.workers < bench.rig.machine.cores) {
        set.push(format!("{} workers for the session", a.workers));
    }
    set.extend(now.report.remedies.iter().filter(|r| !same(old, &r.id)).map(|r| r.does.clone()));
    Step { interface: now.interface, phase: now.phase, restore, set }
}
