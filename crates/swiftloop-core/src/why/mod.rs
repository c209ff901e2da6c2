//! Whose fault a recording's crackles are. What the recording says, what the computer has, how it woke in a soak, what was
//! noted and what a trace shows come in; one answer goes out: the fault, how sure, what is still open, and the one
//! measurement that tells the rest apart. The recording says what kind of fault can be, and each further
//! source can only take causes away or name the one.

use crate::rig::WakeProfile;
use crate::survey::{Finding, Grade, GradedFinding};
use swiftloop_measure::listen::{Attribution, CrackleCause};
use swiftloop_measure::trace::{HolderKind, MatchedCrackles, TraceSummary, Who};
use swiftloop_units::Block;
use swiftloop_units::stats::Pareto;

#[derive(Debug)]
pub struct Evidence<'a> {
    /// What the recording's crackles point to.
    pub attribution: &'a Attribution,
    /// How many there are in an hour.
    pub per_hour: f64,
    /// What hurts audio on this computer; nothing when it was not looked at.
    pub findings: Option<&'a [GradedFinding]>,
    /// How this computer wakes, and the period of the block in µs.
    pub profile: Option<(&'a WakeProfile, f64)>,
    /// Dropouts an hour that were noted, by buffer in frames.
    pub noted: &'a [(u32, f64)],
    /// A trace made meanwhile, and whether its late blocks fit the crackles.
    pub trace: Option<(&'a TraceSummary, Option<&'a MatchedCrackles>)>,
}

/// Whose fault it is.
#[derive(Debug, Clone, PartialEq)]
pub enum Fault {
    /// There are no crackles.
    Nothing,
    Clocks,
    /// Something on the way of one channel.
    Channel(usize),
    /// Somebody took the time of late blocks.
    Thief(Who),
    /// The work takes longer than a block lasts.
    Work,
    /// The computer wakes too late for so small a block.
    Waking,
    /// Something about the computer that is known to hurt.
    Computer(Finding),
    /// The blocks were in time: driver, cable or interface lost them.
    Driver,
    Unknown,
}

/// What speaks for it or against others.
#[derive(Debug, Clone, PartialEq)]
pub enum Reason {
    /// The recording's crackles have this cause, so sure from 0 to 1.
    Recording(CrackleCause, Option<Block>, f64),
    /// The profile foresees so many late wake-ups an hour at this block.
    Profile(f64),
    /// Noted at this buffer and at a larger one, an hour.
    Noted((u32, f64), (u32, f64)),
    /// So many late blocks, of which so many would have been in time without the thief.
    Trace { late: u64, cured: u64 },
    /// The trace has late blocks at so many of the crackles.
    Heard {
        /// Crackles that have one.
        crackles: usize,
        /// By chance it would be so many.
        by_chance: f64,
    },
    /// The trace's late blocks have nothing to do with the crackles.
    NotHeard,
    /// No block of the trace was late.
    NoneLate,
    /// The computer has nothing that is known to hurt.
    NothingFound,
    /// So many things that hurt were found.
    Found(usize),
}

/// How sure the answer is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Sureness {
    Open,
    /// More likely than all others.
    Likely,
    Sure,
}

impl Sureness {
    /// The word in every output.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Likely => "likely",
            Self::Sure => "nearly certain",
        }
    }
}

/// What tells the remaining causes apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Measure {
    /// Look into the kernel while it crackles.
    Trace,
    /// Soak this block, with a look into the kernel.
    Soak(Option<Block>),
    /// Compare with what was played.
    Against,
    /// Read the trace with the thread that plays.
    ReadTrace,
    /// Swap the cables of two channels and record again.
    Swap,
    /// Look at this computer.
    Survey,
    /// Nothing: there is one cause left.
    Nothing,
}

#[derive(Debug, Clone, PartialEq)]
pub struct Verdict {
    pub fault: Fault,
    pub sure: Sureness,
    /// What speaks for it.
    pub reasons: Vec<Reason>,
    /// Other causes that are still open.
    pub open: Vec<Fault>,
    /// What tells them apart.
    pub measure: Measure,
}

/// More than this share of late blocks has to be cured for one thief to be the answer.
const MOST_OF: f64 = 0.5;
/// The profile explains crackles when it foresees at least this share of them.
const EXPLAINS: f64 = 0.3;

/// Weighs all that is known.
#[must_use]
pub fn why(e: &Evidence<'_>) -> Verdict {
    let a = e.attribution;
    let mut reasons = vec![Reason::Recording(a.cause, a.block, a.confidence)];
    let verdict =
        |fault, sure, open: Vec<Fault>, measure, reasons| Verdict { fault, sure, reasons, open, measure };
    let by_ear = if a.confidence > 0.9 { Sureness::Sure } else { Sureness::Likely };
    match a.cause {
        CrackleCause::None => verdict(Fault::Nothing, Sureness::Sure, vec![], Measure::Nothing, reasons),
        CrackleCause::Clock => verdict(Fault::Clocks, by_ear, vec![], Measure::Survey, reasons),
        CrackleCause::SingleChannel => {
            let channel = a.channel.unwrap_or_default();
            verdict(Fault::Channel(channel), by_ear, vec![], Measure::Swap, reasons)
        }
        CrackleCause::Buffer | CrackleCause::Unknown => {
            let known = a.cause == CrackleCause::Buffer;
            if let Some(found) = traced(e, known, &mut reasons) {
                return Verdict { reasons, ..found };
            }
            noted(e, &mut reasons);
            untraced(e, known, reasons)
        }
    }
}

/// What a trace says, where it says something.
fn traced(e: &Evidence<'_>, known: bool, reasons: &mut Vec<Reason>) -> Option<Verdict> {
    let (told, heard) = e.trace?;
    let answer = |fault, sure, open, measure| Some(Verdict { fault, sure, reasons: vec![], open, measure });
    if told.late.is_empty() {
        if !told.is_judged() {
            return answer(Fault::Unknown, Sureness::Open, remaining(e, None), Measure::ReadTrace);
        }
        reasons.push(Reason::NoneLate);
        let sure = if known { Sureness::Likely } else { Sureness::Open };
        return answer(Fault::Driver, sure, vec![], Measure::Against);
    }
    let late = told.late.len() as u64;
    match heard {
        Some(h) => reasons.push(Reason::Heard { crackles: h.crackles, by_chance: h.by_chance }),
        None => reasons.push(Reason::NotHeard),
    }
    let first = told.ranking.all.first()?;
    reasons.push(Reason::Trace { late, cured: first.cured });
    let most = first.cured as f64 > MOST_OF * late as f64;
    let sure = match (heard, most) {
        (Some(_), true) => Sureness::Sure,
        (Some(_), false) | (None, true) => Sureness::Likely,
        (None, false) => Sureness::Open,
    };
    let fault = match first.who.kind {
        HolderKind::OwnWork => Fault::Work,
        HolderKind::Unknown => Fault::Unknown,
        HolderKind::Priority
        | HolderKind::KernelNotPreemptible
        | HolderKind::HardInterrupt
        | HolderKind::Softirq
        | HolderKind::SoftirqNet
        | HolderKind::SoftirqTimer
        | HolderKind::InterruptsOff
        | HolderKind::RtThrottle
        | HolderKind::PageFault
        | HolderKind::Idle
        | HolderKind::Migration
        | HolderKind::Lock
        | HolderKind::Host => Fault::Thief(first.who.clone()),
    };
    let open = if sure == Sureness::Sure { vec![] } else { remaining(e, Some(&fault)) };
    let measure = if sure == Sureness::Sure { Measure::Nothing } else { Measure::Trace };
    answer(fault, sure, open, measure)
}

fn noted(e: &Evidence<'_>, reasons: &mut Vec<Reason>) {
    let mut by_size = e.noted.to_vec();
    by_size.sort_by_key(|n| n.0);
    if let (Some(small), Some(large)) = (by_size.first(), by_size.last())
        && small.0 < large.0
    {
        reasons.push(Reason::Noted(*small, *large));
    }
}

/// Without a trace: what the profile and the computer say.
fn untraced(e: &Evidence<'_>, known: bool, mut reasons: Vec<Reason>) -> Verdict {
    let foreseen = e.profile.map(|(profile, period)| late_per_hour(profile, period));
    if let Some(rate) = foreseen {
        reasons.push(Reason::Profile(rate));
    }
    // What crackles has sound: that none is found here now is no cause.
    let costly = |f: &&GradedFinding| f.grade <= Grade::Costly && f.finding != Finding::NoSound;
    let hurts: Vec<&GradedFinding> = e.findings.into_iter().flatten().filter(costly).collect();
    match (e.findings, hurts.len()) {
        (None, _) => {}
        (Some(_), 0) => reasons.push(Reason::NothingFound),
        (Some(_), n) => reasons.push(Reason::Found(n)),
    }
    let measure = if known { Measure::Soak(e.attribution.block) } else { Measure::Trace };
    let explained = foreseen.is_some_and(|rate| rate > EXPLAINS * e.per_hour);
    let severe = hurts.first().filter(|f| f.grade == Grade::Severe || known);
    let fault = match (severe, explained, known) {
        (Some(finding), ..) => Fault::Computer(finding.finding.clone()),
        (None, true, _) => Fault::Waking,
        (None, false, true) if foreseen.is_some() => Fault::Work,
        _ => Fault::Unknown,
    };
    let sure = match (&fault, known) {
        (Fault::Computer(_) | Fault::Waking, true) => Sureness::Likely,
        _ => Sureness::Open,
    };
    let open = remaining(e, Some(&fault));
    Verdict { fault, sure, reasons, open, measure }
}

/// Causes that nothing has taken away.
fn remaining(e: &Evidence<'_>, but: Option<&Fault>) -> Vec<Fault> {
    let unnamed = Fault::Thief(Who { kind: HolderKind::Unknown, name: String::new() });
    let foreseen = e.profile.map(|(profile, period)| late_per_hour(profile, period));
    let mut open = Vec::new();
    if !matches!(but, Some(Fault::Thief(_))) {
        open.push(unnamed);
    }
    if !matches!(but, Some(Fault::Work)) {
        open.push(Fault::Work);
    }
    // A profile that foresees next to nothing takes the waking itself away.
    if but != Some(&Fault::Waking) && foreseen.is_none_or(|rate| rate > 0.05 * e.per_hour) {
        open.push(Fault::Waking);
    }
    if e.attribution.cause == CrackleCause::Unknown && but != Some(&Fault::Driver) {
        open.push(Fault::Driver);
    }
    open
}

/// Wake-ups an hour that come later than a whole period, by the profile's fitted tail beyond its threshold.
#[must_use]
pub fn late_per_hour(profile: &WakeProfile, period_us: f64) -> f64 {
    let tail =
        Pareto { shape: profile.shape.typical().raw(), scale: profile.scale_us.typical().raw().max(1e-9) };
    let share = profile.tail_share.typical().raw() * tail.survival(period_us - profile.threshold_us.raw());
    share * 3600e6 / period_us.max(1.0)
}

#[cfg(test)]
mod tests;
