//! A trial: one setting that somebody names, looked at as the plan would, beside what the plan chose. A [`Request`] comes
//! in, with as little or as much as was named; a [`Trial`] goes out with verdict, whether it is the planned one, and why
//! not; or why it cannot be tried.

use super::measure::{Proposed, worth_alone};
use super::offer::arranged_effort;
use super::{
    Arrangement, Buys, Choice, Evaluation, PhaseProblem, Plan, Remedy, Report, TradePoint, WhyNot, buys,
    default_workers, report, trade,
};
use crate::loops::Context;
use crate::plan::line::{arranged_on_the_line, is_on_the_line, set_by};
use crate::rig::{LinkSetting, Offered, Setting, nearest};
use crate::tables::RemedyKind;
use swiftloop_units::ids::{DriverId, FarId, InterfaceId, PerformerId, PhaseId, ProcessorId, RemedyId};
use swiftloop_units::{Block, Hz};

/// What is to be tried; what is left out is as planned.
#[derive(Debug, Clone, Default)]
pub struct Request {
    /// Driver, by its id.
    pub driver: Option<String>,
    pub rate: Option<Hz>,
    /// Buffer: frames, count × size, or the name of a speed.
    pub buffer: Option<String>,
    pub roll: Option<Block>,
    /// Cores that work for the session.
    pub workers: Option<u32>,
    /// Remedies, by their ids.
    pub remedies: Vec<String>,
    /// Whose loop to look at leg by leg: of their own sound, or together with a far side.
    pub performer: Option<(PerformerId, Option<FarId>)>,
}

/// Why something cannot be tried.
#[derive(Debug, Clone, PartialEq)]
pub enum TrialRefusal {
    /// The interface has no driver of this name.
    NoSuchDriver {
        /// What was asked for.
        asked: String,
        known: Vec<String>,
    },
    /// The driver does not offer this rate.
    RateNotOffered {
        driver: String,
        /// What was asked for.
        rate: Hz,
        offered: Vec<Hz>,
    },
    /// The driver does not offer this buffer.
    BufferNotOffered {
        driver: String,
        /// What was asked for.
        asked: String,
        rate: Hz,
        offered: Vec<String>,
    },
    /// No buffer was named, and the plan has none here.
    NoBuffer {
        /// What the driver offers.
        offered: Vec<String>,
    },
    /// No workers at all.
    NoWorkers {
        /// There are so many cores.
        cores: u32,
    },
    /// More workers than cores.
    TooManyWorkers {
        /// What was asked for.
        asked: u32,
        /// There are so many cores.
        cores: u32,
    },
    /// The software does not render ahead.
    CannotRenderAhead,
    /// A roll block has to be larger than the device's block.
    RollTooSmall {
        /// The device's block.
        device: Block,
        /// Sizes that the software offers.
        offered: Vec<Block>,
    },
    /// This processor can neither ride the cue block nor be bypassed.
    CannotRide(ProcessorId),
    /// This remedy is part of the setting, and is named as such.
    PartOfSetting {
        id: String,
        kind: RemedyKind,
        /// The second half of its id.
        target: String,
    },
    /// No such remedy applies.
    NoSuchRemedy {
        /// What was asked for.
        asked: String,
        /// The nearest that applies.
        near: Option<String>,
        known: Vec<String>,
    },
    /// The performer is not in this phase.
    NotInPhase { performer: PerformerId, there: Vec<PerformerId> },
}

/// What a trial found.
#[derive(Debug, Clone)]
pub struct Trial<'p> {
    pub interface: InterfaceId,
    pub phase: PhaseId,
    pub arrangement: Arrangement,
    /// Effort of arrangement and remedies.
    pub effort: u32,
    pub report: Report,
    /// What each remedy buys.
    pub buys: Vec<Buys>,
    /// Every buffer of the driver with these remedies.
    pub trade: Vec<TradePoint>,
    /// Remedies that apply and were not asked for.
    pub available: Vec<Remedy>,
    /// The plan was asked.
    pub compared: bool,
    /// What the plan chose here; nothing where the session does not mean this phase for this interface.
    pub planned: Option<&'p Choice>,
    /// Why the plan chose otherwise; nothing when it chose this.
    pub why_not: Option<WhyNot>,
    /// Which of the report's loops to show leg by leg.
    pub shown: usize,
    /// What to measure so that the answer may change, the best for its time first.
    pub measure: Vec<Proposed>,
}

impl Request {
    /// Everything is named, so that nothing has to be looked for. (No roll block and no remedies are as good as named.)
    #[must_use]
    pub fn is_complete(&self) -> bool {
        self.driver.is_some() && self.rate.is_some() && self.buffer.is_some() && self.workers.is_some()
    }
}

impl Trial<'_> {
    /// Every limit and the target are met.
    #[must_use]
    pub fn is_yes(&self) -> bool {
        self.report.is_met()
    }

    /// The plan chose this very arrangement with these remedies.
    #[must_use]
    pub fn is_planned(&self) -> bool {
        self.planned.is_some() && self.why_not.is_none()
    }
}

/// Tries a setting in `phase` on `interface`, beside `plan` if there is one: a request that names everything needs none.
///
/// # Errors
/// [`TrialRefusal`] when there is no such setting.
pub fn attempt_trial<'p>(
    context: Context<'_>,
    plan: Option<&'p Plan>,
    (interface, phase): (InterfaceId, PhaseId),
    request: &Request,
) -> Result<Trial<'p>, TrialRefusal> {
    let planned = plan.and_then(|p| p.choice(interface, phase));
    let rate = plan.map_or(context.session.deliver.rate_hz, |p| p.rate);
    let setting = setting(&context, rate, interface, planned, request)?;
    let problem = PhaseProblem::new(context, interface, phase, setting.rate);
    let (line, others): (Vec<&String>, Vec<&String>) =
        request.remedies.iter().partition(|id| kind_of(id).is_some_and(is_on_the_line));
    let link = link(&problem, &line)?;
    let mut remedies = remedies(&problem, &others)?;
    if let Some(roll) = request.roll {
        check_roll(&problem, &setting, roll)?;
        // Whatever cannot ride as it was asked for is cured with the least effort.
        let applied = problem.question.apply(&remedies, &[]);
        for blocker in problem.cannot_ride(&applied) {
            match blocker.cures.first() {
                Some(cure) => remedies.push(*cure),
                None => return Err(TrialRefusal::CannotRide(blocker.processor)),
            }
        }
    }
    let workers = workers(&context, request)?;
    let arrangement = Arrangement { setting, roll: request.roll, workers, link };
    let trial = try_arrangement(&problem, arrangement, &remedies, planned, request.performer)?;
    Ok(Trial { compared: plan.is_some(), ..trial })
}

/// Tries an arrangement with remedies; refused when `performer` is not in the phase.
fn try_arrangement<'p>(
    problem: &PhaseProblem<'_>,
    arrangement: Arrangement,
    remedies: &[RemedyId],
    planned: Option<&'p Choice>,
    performer: Option<(PerformerId, Option<FarId>)>,
) -> Result<Trial<'p>, TrialRefusal> {
    let evaluation = Evaluation::new(problem, arrangement.clone());
    let report = report(&evaluation, remedies);
    let effort = arranged_effort(&problem.question.context, problem.question.phase, &arrangement)
        + remedies.iter().map(|&r| problem.question.remedies[r].effort).sum::<u32>();
    let same = |c: &Choice| {
        let ids = |r: &Report| {
            let mut ids: Vec<String> = r.remedies.iter().map(|r| r.id.clone()).collect();
            ids.sort();
            ids
        };
        c.arrangement == arrangement && ids(&c.report) == ids(&report)
    };
    let shown = match performer {
        None => 0,
        Some((who, far)) => {
            report.loops.iter().position(|l| l.performer == Some(who) && l.far == far).ok_or_else(|| {
                let own = report.loops.iter().filter(|l| l.far.is_none());
                let there = own.filter_map(|l| l.performer).collect();
                TrialRefusal::NotInPhase { performer: who, there }
            })?
        }
    };
    Ok(Trial {
        interface: problem.question.interface,
        phase: problem.question.phase_id,
        effort,
        buys: buys(&evaluation, remedies),
        trade: trade(problem, &arrangement, remedies),
        available: problem
            .question
            .remedies
            .iter_enumerated()
            .filter(|(id, _)| !remedies.contains(id))
            .map(|(_, r)| r.clone())
            .collect(),
        compared: true,
        planned,
        why_not: planned.filter(|c| !same(c)).map(|c| c.why_not(&report, effort)),
        shown,
        measure: worth_alone(&evaluation, remedies, &report),
        report,
        arrangement,
    })
}

/// The report of an arrangement without any remedy.
#[must_use]
pub fn report_of(problem: &PhaseProblem<'_>, arrangement: Arrangement) -> Report {
    report(&Evaluation::new(problem, arrangement), &[])
}

/// The largest buffer of the same driver, smaller than this one, at which nobody is late without any remedy; and what is
/// then.
#[must_use]
pub fn would_fit_at(problem: &PhaseProblem<'_>, arrangement: &Arrangement) -> Option<(Offered, Report)> {
    let setting = &arrangement.setting;
    let mut smaller = problem.question.context.driver(setting).buffers.offered(setting.rate);
    smaller.retain(|o| o.block < setting.buffer.block);
    smaller.sort_by_key(|o| std::cmp::Reverse(o.block));
    smaller.into_iter().find_map(|buffer| {
        let there = Setting { buffer: buffer.clone(), ..setting.clone() };
        let report = report_of(problem, Arrangement { setting: there, ..arrangement.clone() });
        report.worst_over().is_none().then_some((buffer, report))
    })
}

fn setting(
    context: &Context<'_>,
    planned_rate: Hz,
    interface: InterfaceId,
    planned: Option<&Choice>,
    request: &Request,
) -> Result<Setting, TrialRefusal> {
    let drivers = &context.rig.interface(interface).drivers;
    let planned = planned.map(|c| &c.arrangement.setting);
    let driver = match &request.driver {
        None => planned.map_or(DriverId::from(0), |p| p.driver),
        Some(asked) => {
            let found = drivers
                .iter()
                .position(|d| d.id() == asked || crate::rig::plain(d.id()) == crate::rig::plain(asked));
            found.map(DriverId::from).ok_or_else(|| TrialRefusal::NoSuchDriver {
                asked: asked.clone(),
                known: drivers.iter().map(|d| d.id().to_string()).collect(),
            })?
        }
    };
    let offers = context.rig.driver(interface, driver);
    let rate = request.rate.unwrap_or(planned_rate);
    if !offers.rates_hz.contains(&rate) {
        let offered = offers.rates_hz.clone();
        return Err(TrialRefusal::RateNotOffered { driver: offers.id().into(), rate, offered });
    }
    let offered = || offers.buffers.offered(rate).iter().map(Offered::label).collect();
    let buffer = match &request.buffer {
        Some(asked) => offers.buffers.find(rate, asked).ok_or_else(|| TrialRefusal::BufferNotOffered {
            driver: offers.id().into(),
            asked: asked.clone(),
            rate,
            offered: offered(),
        })?,
        None => match planned.filter(|p| p.driver == driver && p.rate == rate) {
            Some(p) => p.buffer.clone(),
            None => return Err(TrialRefusal::NoBuffer { offered: offered() }),
        },
    };
    Ok(Setting { interface, driver, rate, buffer })
}

fn workers(context: &Context<'_>, request: &Request) -> Result<u32, TrialRefusal> {
    let cores = context.rig.machine.cores;
    match request.workers {
        Some(0) => Err(TrialRefusal::NoWorkers { cores }),
        Some(asked) if asked > cores => Err(TrialRefusal::TooManyWorkers { asked, cores }),
        Some(n) => Ok(n),
        None => Ok(default_workers(context.session, cores)),
    }
}

/// Whether there are such roll blocks.
fn check_roll(problem: &PhaseProblem<'_>, setting: &Setting, roll: Block) -> Result<(), TrialRefusal> {
    let engine = &problem.question.context.session.engine;
    if !engine.renders_ahead {
        return Err(TrialRefusal::CannotRenderAhead);
    }
    let device = setting.buffer.block;
    if roll <= device {
        let offered = engine.roll_frames.iter().copied().filter(|b| *b > device).collect();
        return Err(TrialRefusal::RollTooSmall { device, offered });
    }
    Ok(())
}

/// The kind of remedy that an id begins with.
fn kind_of(id: &str) -> Option<RemedyKind> {
    let kind = id.split_once(':').map_or(id, |(kind, _)| kind);
    RemedyKind::ALL.iter().copied().find(|k| k.as_str() == kind)
}

/// The lines to far sides with these changes.
fn link(problem: &PhaseProblem<'_>, asked: &[&String]) -> Result<LinkSetting, TrialRefusal> {
    let (context, phase, rate) = (&problem.question.context, problem.question.phase, problem.question.rate);
    let target = |id: &'_ str| id.split_once(':').map_or(String::new(), |(_, target)| target.to_string());
    let changes: Vec<(RemedyKind, String)> =
        asked.iter().filter_map(|id| Some((kind_of(id)?, target(id)))).collect();
    let borrowed: Vec<(RemedyKind, &str)> = changes.iter().map(|(k, t)| (*k, t.as_str())).collect();
    set_by(context, phase, rate, &borrowed).ok_or_else(|| {
        let one = |id: &&&String| {
            kind_of(id).is_none_or(|kind| set_by(context, phase, rate, &[(kind, &target(id))]).is_none())
        };
        let wrong = asked.iter().find(one).or(asked.first()).map_or("", |id| id.as_str());
        no_such_remedy(problem, wrong)
    })
}

fn remedies(problem: &PhaseProblem<'_>, asked: &[&String]) -> Result<Vec<RemedyId>, TrialRefusal> {
    let mut chosen = Vec::new();
    for id in asked {
        let found = problem.question.remedies.iter_enumerated().find(|(_, r)| &r.id == *id).map(|(at, _)| at);
        let Some(at) = found else { return Err(no_such_remedy(problem, id)) };
        if !chosen.contains(&at) {
            chosen.push(at);
        }
    }
    Ok(chosen)
}

fn no_such_remedy(problem: &PhaseProblem<'_>, id: &str) -> TrialRefusal {
    let (kind, target) = id.split_once(':').unwrap_or((id, ""));
    let arranged =
        [RemedyKind::Roll, RemedyKind::ReserveCore, RemedyKind::ReleaseCore, RemedyKind::DeviceBlocks];
    if let Some(kind) = arranged.into_iter().find(|k| k.as_str() == kind) {
        return TrialRefusal::PartOfSetting { id: id.into(), kind, target: target.into() };
    }
    let on_lines = problem.question.links.iter().flat_map(|(link, _)| {
        arranged_on_the_line(&problem.question.context, problem.question.phase, problem.question.rate, link)
            .into_iter()
            .map(|(kind, target)| {
                format!("{}:{}", kind.as_str(), target.id(&problem.question.context).unwrap_or_default())
            })
    });
    let mut known: Vec<String> =
        problem.question.remedies.iter().map(|r| r.id.clone()).chain(on_lines).collect();
    known.dedup();
    let words: Vec<&str> = known.iter().map(String::as_str).collect();
    TrialRefusal::NoSuchRemedy { asked: id.into(), near: nearest(id, &words).map(String::from), known }
}
