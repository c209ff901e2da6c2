//! Every arrangement of one scene, and the cheapest set of remedies for each that could matter.

use super::cover::{Covering, Found, cheapest};
use super::ground::{allowed, excess};
use super::remedy::arranged;
use super::{Arrangement, Ground, Scene};
use crate::session::Session;
use crate::units::{Block, Frames, Ms};

/// What became of one arrangement.
#[derive(Debug, Clone, PartialEq)]
pub enum Outcome {
    /// Limits and target are met with these remedies.
    Meets {
        /// Indices into the scene's remedies.
        remedies: Vec<usize>,
        /// Their price and that of the arrangement.
        price: u32,
        /// Proven cheapest; otherwise the price lies at most `gap` above the truth.
        exact: bool,
        /// Largest possible distance from the truth.
        gap: u32,
    },
    /// It could be met, but only for at least this price, which is more than another arrangement of the same driver.
    Dearer(u32),
    /// Not even every remedy together meets limits and target.
    Fails {
        /// How far the worst performer stays over the limit, and who.
        over: Ms,
        /// Who.
        performer: Option<usize>,
        /// Dropouts per hour that remain.
        dropouts: f64,
    },
    /// Some performer stays over the limit whatever is done; the load was not looked at.
    Late {
        /// How far over.
        over: Ms,
        /// Who.
        performer: Option<usize>,
    },
    /// Rendering ahead is not possible here: this processor can neither ride the cue block nor be left off.
    NoRoll(String),
}

/// An arrangement and what became of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Candidate {
    /// The arrangement.
    pub arrangement: Arrangement,
    /// What became of it.
    pub outcome: Outcome,
}

/// Numbers of workers that may be tried: the session's own first, then one fewer, then one more.
fn worker_options(scene: &Scene<'_>) -> Vec<u32> {
    let cores = scene.bench.rig.machine.cores;
    let own = default_workers(scene.bench.session, cores);
    let mut options = vec![own];
    // A reserved core only helps when others would otherwise take time from the session.
    if own > 1 && own == cores {
        options.push(own - 1);
    }
    if own < cores {
        options.push(own + 1);
    }
    options
}

/// Workers of a session on so many cores: one a core, hardware threads that share a core not counted.
#[must_use]
pub fn default_workers(session: &Session, cores: u32) -> u32 {
    session.engine.workers.unwrap_or(cores).clamp(1, cores.max(1))
}

/// Every arrangement of a scene, with the price of the remedies that lie in it.
fn arrangements(scene: &Scene<'_>) -> Vec<Arrangement> {
    let bench = &scene.bench;
    let engine = &bench.session.engine;
    let mut all = Vec::new();
    for setting in bench.settings(scene.interface, scene.rate) {
        let mut rolls: Vec<Option<Block>> = vec![None];
        if engine.renders_ahead && !scene.live.is_empty() {
            rolls.extend(engine.roll_frames.iter().filter(|b| **b > setting.buffer.block).map(|&b| Some(b)));
        }
        for workers in worker_options(scene) {
            for &roll in &rolls {
                let mut arrangement = Arrangement { setting: setting.clone(), roll, workers, price: 0 };
                arrangement.price = arranged(bench, &arrangement).iter().map(|r| r.price).sum();
                all.push(arrangement);
            }
        }
    }
    all
}

/// Solves one arrangement; sets dearer than `most` are of no interest.
#[must_use]
pub fn solve(scene: &Scene<'_>, arrangement: &Arrangement, most: u32) -> Outcome {
    match Open::new(scene, arrangement) {
        Ok(mut open) => open.solve(most),
        Err(outcome) => outcome,
    }
}

/// An arrangement whose remedies are still to be found.
struct Open<'s, 'a> {
    ground: Ground<'s, 'a>,
    forced: Vec<usize>,
    items: Vec<usize>,
    /// Nothing cheaper is possible.
    at_least: u32,
}

impl<'s, 'a> Open<'s, 'a> {
    /// Lays the ground; an outcome at once when the arrangement is not possible at all.
    fn new(scene: &'s Scene<'a>, arrangement: &Arrangement) -> Result<Self, Outcome> {
        let forced = match (&arrangement.roll, &scene.forced_by_roll) {
            (None, _) => Vec::new(),
            (Some(_), Ok(forced)) => forced.clone(),
            (Some(_), Err(processor)) => return Err(Outcome::NoRoll(processor.clone())),
        };
        let (latency, direct) = &scene.shortest;
        let (late, performer) = excess(scene, &allowed(scene, &arrangement.setting), latency, direct);
        if late > 0.0 {
            return Err(Outcome::Late { over: Frames(late).at(scene.rate), performer });
        }
        let mut ground = Ground::new(scene, arrangement.clone());
        let mut forced: Vec<usize> = forced;
        // Whoever is late even with the lightest chain of their own has to go direct: no search will find otherwise.
        forced.extend(ground.must_go_direct());
        let items: Vec<usize> =
            (0..scene.remedies.len()).filter(|r| !forced.contains(r) && ground.may_help(*r)).collect();
        let given: u32 = arrangement.price + forced.iter().map(|&r| scene.remedies[r].price).sum::<u32>();
        let at_least = if ground.satisfied(&forced) {
            given
        } else if !ground.hopeful(&forced, &items) {
            let (excess, performer, dropouts) = what_remains(&ground);
            return Err(Outcome::Fails { over: Frames(excess).at(scene.rate), performer, dropouts });
        } else {
            given.saturating_add(ground.bound(&forced, &items).0)
        };
        Ok(Self { ground, forced, items, at_least })
    }

    fn solve(&mut self, most: u32) -> Outcome {
        let own = self.ground.arrangement.price;
        if self.at_least > most {
            return Outcome::Dearer(self.at_least);
        }
        match cheapest(&mut self.ground, &self.forced, &self.items, most - own) {
            Found::Set(cover) => Outcome::Meets {
                price: cover.price + own,
                exact: cover.exact,
                gap: cover.price - cover.at_least,
                remedies: cover.chosen,
            },
            Found::Dearer(least) => Outcome::Dearer(least.saturating_add(own)),
            Found::Nothing => {
                let (excess, performer, dropouts) = what_remains(&self.ground);
                let over = Frames(excess).at(self.ground.scene.rate);
                Outcome::Fails { over, performer, dropouts }
            }
        }
    }
}

/// What remains with every remedy that has only good sides counted: frames over, whose, dropouts per hour.
fn what_remains(ground: &Ground<'_, '_>) -> (f64, Option<usize>, f64) {
    let all: Vec<usize> = (0..ground.scene.remedies.len()).collect();
    let applied = ground.apply(&[], &all);
    let (excess, performer) = ground.excess(&applied);
    (excess, performer, ground.dropouts(&applied))
}

/// Solves every arrangement of a scene as far as it can matter: for each driver, all that share its lowest price.
#[must_use]
pub fn candidates(scene: &Scene<'_>) -> Vec<Candidate> {
    let mut solved = Vec::new();
    let mut by_driver: Vec<Vec<Open<'_, '_>>> = Vec::new();
    by_driver.resize_with(scene.bench.rig.interfaces[scene.interface].drivers.len(), Vec::new);
    for arrangement in arrangements(scene) {
        match Open::new(scene, &arrangement) {
            Ok(open) => by_driver[arrangement.setting.driver].push(open),
            Err(outcome) => solved.push(Candidate { arrangement, outcome }),
        }
    }
    for open in by_driver {
        solved.extend(cheapest_of_driver(open));
    }
    // Should all fail, the nearest miss is one of those that are late by the least: which breaks least?
    let over = |c: &Candidate| match c.outcome {
        Outcome::Late { over, .. } => over.0,
        _ => f64::INFINITY,
    };
    let least = solved.iter().map(over).fold(f64::INFINITY, f64::min);
    for c in solved.iter_mut().filter(|c| over(c).is_finite() && over(c) <= least + 1e-9) {
        let (_, performer, dropouts) = what_remains(&Ground::new(scene, c.arrangement.clone()));
        c.outcome = Outcome::Fails { over: Ms(least), performer, dropouts };
    }
    solved
}

/// Raises the purse step by step until something can be had for it (iterative deepening): arrangements that are
/// dear are then never searched beyond the price of the cheapest.
fn cheapest_of_driver(mut open: Vec<Open<'_, '_>>) -> Vec<Candidate> {
    let mut solved = Vec::new();
    let mut close =
        |o: Open<'_, '_>, outcome| solved.push(Candidate { arrangement: o.ground.arrangement, outcome });
    while let Some(purse) = open.iter().map(|o| o.at_least).min() {
        let mut found = false;
        for mut o in std::mem::take(&mut open) {
            if o.at_least > purse {
                open.push(o);
                continue;
            }
            match o.solve(purse) {
                Outcome::Dearer(least) if least > purse => {
                    o.at_least = least;
                    open.push(o);
                }
                // The search was cut short: take the best it finds without a purse, and say how far off it may be.
                Outcome::Dearer(_) => {
                    let outcome = o.solve(u32::MAX);
                    found |= matches!(outcome, Outcome::Meets { .. });
                    close(o, outcome);
                }
                outcome => {
                    found |= matches!(outcome, Outcome::Meets { .. });
                    close(o, outcome);
                }
            }
        }
        if found {
            break;
        }
    }
    for o in open {
        let least = o.at_least;
        close(o, Outcome::Dearer(least));
    }
    solved
}
