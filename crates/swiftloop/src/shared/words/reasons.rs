//! Reasons in words: why a setting lost, what holds a phase back, what would help.

use super::figures::{in_ms, percent, plain, rate};
use super::legs::leg;
use super::settings::{chain, first_name};
use swiftloop_core::load::{BlockLoad, BoundBy};
use swiftloop_core::loops::{Context, LoopKind};
use swiftloop_core::plan::{HeldBackBy, Objection, OtherRate, Overrun, WhyNot, WithoutRoll};

/// Why a setting is not the plan's.
pub fn why_not(context: &Context<'_>, why: &WhyNot) -> String {
    let who = |p| first_name(context, p);
    match why {
        WhyNot::Late { performer, over } => format!("{} is {} over the limit", who(*performer), in_ms(*over)),
        WhyNot::Breaks { dropouts, allowed } => {
            format!("it breaks, {}, and you allow {} an hour", rate(*dropouts), plain(allowed.raw()))
        }
        WhyNot::AlwaysLate { performer, over, in_some } => {
            let some = some_rigs(*in_some);
            format!("{} stays {} over the limit{some} with every change tried", who(*performer), in_ms(*over))
        }
        WhyNot::AlwaysBreaks { dropouts, in_some } => {
            format!("it still breaks{} with every change tried, {}", some_rigs(*in_some), rate(*dropouts))
        }
        WhyNot::MoreEffort { effort, planned, or_more } => {
            let or_more = if *or_more { " or more" } else { "" };
            format!("it takes effort {effort}{or_more} instead of {planned}")
        }
        WhyNot::CannotRoll(p) => {
            format!(
                "{} can neither ride the small block nor be bypassed",
                context.session.processor(*p).title()
            )
        }
        WhyNot::LessSure => "it does as well, but in fewer rigs like this".into(),
        WhyNot::Noticed => "performers are likelier to notice their delay".into(),
        WhyNot::SlowStart => "it does as well, but playback starts later than is comfortable".into(),
        WhyNot::MoreDelay(more) => format!("it does as well, {} later", in_ms(*more)),
        WhyNot::LessRoom { here, planned } => format!(
            "it does as well with less room to grow, {} of a block's time instead of {}",
            percent(*here),
            percent(*planned)
        ),
        WhyNot::MoreChanges => "no difference here, and one setting more to change between phases".into(),
        WhyNot::NoBetter => "in nothing is it better by as much as anybody would notice".into(),
        WhyNot::PlanMissed => "the plan found nothing that does; this does, with what you added".into(),
    }
}

/// Where that is not so in all rigs.
fn some_rigs(in_some: bool) -> &'static str {
    if in_some { " in more than 1 of 10 rigs like this" } else { "" }
}

/// What holds a phase back, in a sentence without its full stop.
pub fn held_back(context: &Context<'_>, by: &HeldBackBy) -> String {
    let against = |o: &Overrun| format!("{} where you allow {} an hour", rate(o.all), plain(o.allowed.raw()));
    match by {
        HeldBackBy::Limit { performer, delay, limit, longest, .. } => {
            let who = first_name(context, *performer);
            let longest = longest.map_or(String::new(), |(kind, span)| {
                format!("; most of it is {}, {}", leg(kind), in_ms(span))
            });
            format!("{who} hears it {} late (limit {}){longest}", in_ms(*delay), plain(limit.raw()))
        }
        HeldBackBy::Memory(o) => {
            format!("memory: it breaks {}, {} of them from swapping", against(o), rate(o.caused))
        }
        HeldBackBy::Disk(o) => {
            format!("the disk: it breaks {}, {} of them from the disk", against(o), rate(o.caused))
        }
        HeldBackBy::WakeUps(o) => {
            format!("late wake-ups of this machine: it breaks {} even without any work", against(o))
        }
        HeldBackBy::Work { bound_by, chain: nodes, overrun } => {
            format!("{} ({}): it breaks {}", bound(*bound_by), chain(context, nodes), against(overrun))
        }
    }
}

/// What it would take.
pub fn would_take(by: &HeldBackBy) -> &'static str {
    match by {
        HeldBackBy::Limit { kind: LoopKind::Sound, .. } => {
            "another interface or driver for this phase, direct monitoring, or a higher limit for this performer"
        }
        HeldBackBy::Limit { .. } => {
            "another interface or driver for this phase, or a higher limit for this performer"
        }
        HeldBackBy::Memory(_) => "more memory, fewer programs, or smaller instruments",
        HeldBackBy::Disk(_) => "a faster disk, a lower rate or depth, or fewer tracks from disk",
        HeldBackBy::WakeUps(_) => {
            "a quieter machine (swiftloop survey says what disturbs it), or a larger buffer"
        }
        HeldBackBy::Work { bound_by: BoundBy::Chain, .. } => {
            "a shorter chain: print the track that begins it, or a faster core; more cores do not help"
        }
        HeldBackBy::Work { bound_by: BoundBy::Burst, .. } => {
            "fewer plug-ins with big blocks of their own, or a buffer as large as theirs"
        }
        HeldBackBy::Work { bound_by: BoundBy::Cores, .. } => {
            "fewer or lighter plug-ins, more cores, or a larger buffer"
        }
    }
}

fn bound(by: BoundBy) -> &'static str {
    match by {
        BoundBy::Chain => "one long chain",
        BoundBy::Burst => "several plug-ins with big blocks of their own that work in the same moment",
        BoundBy::Cores => "the sum of all work",
    }
}

/// Below this share of its time a block is held back by nothing.
const BUSY: f64 = 0.25;

/// What keeps the busiest block from being shorter, where that matters.
pub fn limits(context: &Context<'_>, b: &BlockLoad) -> String {
    let worst = percent(b.worst_ratio());
    if b.worst_ratio() < BUSY {
        return format!("The work is light: the worst block takes {worst} of its time.");
    }
    let names = chain(context, &b.critical_chain);
    match b.bound_by {
        BoundBy::Chain => format!(
            "The worst block takes {worst} of its time. One chain holds it back: {names}. More cores do not help, less \
             work on this chain does."
        ),
        BoundBy::Burst => format!(
            "The worst block takes {worst} of its time, the mean one {}: several plug-ins with big blocks of their own work \
             in the same moment. The longest chain is {names}.",
            percent(b.mean_ratio())
        ),
        BoundBy::Cores => format!(
            "The worst block takes {worst} of its time. The sum of all work holds it back, no single chain; the longest is \
             {names}."
        ),
    }
}

/// What would be without rendering ahead.
pub fn without_roll(without: &WithoutRoll) -> String {
    match without {
        WithoutRoll::Effort(effort) => format!("Without rendering ahead it would take effort {effort}"),
        WithoutRoll::Late { buffer, over } => format!(
            "Without rendering ahead no buffer is in time: the nearest, {}, is {} over",
            buffer.label(),
            in_ms(*over)
        ),
        WithoutRoll::Breaks { buffer, dropouts } => format!(
            "Only rendering ahead cures this: without it the nearest buffer, {}, breaks {} with every change tried",
            buffer.label(),
            rate(*dropouts)
        ),
    }
}

/// Why another rate lost.
pub fn other_rate(other: &OtherRate) -> &'static str {
    match other.worse_in {
        Some(Objection::Limits) => "a performer would be late",
        Some(Objection::Target) => "it would break more often than you allow",
        Some(Objection::Drivers) => "another driver would be needed in some phases",
        Some(Objection::Effort) => "it takes more effort",
        Some(Objection::Unsound | Objection::Unsure) => "it is less sure",
        Some(Objection::Changes) => "more would have to be changed between phases",
        Some(Objection::Last | Objection::Fine) | None => "nothing is gained by it",
    }
}
