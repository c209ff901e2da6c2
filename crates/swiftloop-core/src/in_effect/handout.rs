//! From a plan to settings: what each phase needs, in the words of the plan.

use super::costs::{same_remedies, stakes};
use super::demand::{ComputerKind, Demand, Hears, SETTINGS_FORMAT, Settings};
use crate::advice::recording_mb_per_minute;
use crate::loops::{Context, Loop, LoopKind};
use crate::plan::{Choice, Effect, PhaseProblem, Plan};
use crate::rig::{Clock, PowerPlan};
use crate::tables::RemedyKind;
use swiftloop_units::Range;
use swiftloop_units::workers::Workers;

/// What is done with the hands, in words.
#[derive(Debug, Clone, Default)]
pub struct ByHand {
    /// What to undo of the phases before.
    pub restore: Vec<String>,
    pub set: Vec<String>,
}

/// What every phase needs; `by_hand` tells what to do with the hands in words.
#[must_use]
pub fn handout(
    context: Context<'_>,
    plan: &Plan,
    by_hand: impl Fn(&Choice) -> ByHand + Sync,
    workers: &impl Workers,
) -> Settings {
    let machine = &context.rig.machine;
    let all: Vec<&Choice> = plan.choices.iter().collect();
    Settings {
        format: SETTINGS_FORMAT.into(),
        rig: context.rig.name.clone(),
        session: context.session.name.clone(),
        computer: ComputerKind {
            class: machine.class.clone(),
            cores: machine.cores,
            threads: machine.threads.unwrap_or(machine.cores),
            memory_gb: machine.memory_gb,
        },
        phases: workers.map(all, |choice| demand(&context, choice, by_hand(choice))),
    }
}

fn demand(context: &Context<'_>, choice: &Choice, by_hand: ByHand) -> Demand {
    let (arrangement, report) = (&choice.arrangement, &choice.report);
    let setting = &arrangement.setting;
    let (interface, phase) = (context.rig.interface(choice.interface), context.session.phase(choice.phase));
    let quit: Vec<_> =
        report.remedies.iter().flat_map(|r| r.effects.iter().filter_map(Effect::quits)).collect();
    let beside = context.rig.program_ids().filter(|(_, p)| p.runs_in(phase.id()));
    let (gone, there): (Vec<_>, Vec<_>) = beside.partition(|(id, _)| quit.contains(id));
    let titles = |all: &[(_, &crate::rig::Program)]| all.iter().map(|(_, p)| p.title().to_string()).collect();
    let load = there.iter().map(|(_, p)| p.load.raw()).sum::<f64>() + context.rig.machine.other_load.raw();
    let problem = PhaseProblem::new(*context, choice.interface, choice.phase, setting.rate);
    let says_channels = interface.channels.inputs + interface.channels.outputs > 0;
    let open = |open: Option<u32>, has: u32| says_channels.then(|| open.unwrap_or(has));
    Demand {
        phase: phase.id().into(),
        interface: interface.id.clone(),
        interface_name: interface.title().into(),
        connection: interface.connection.clone(),
        driver: context.driver(setting).id().into(),
        server: context.model(setting).server,
        rate_hz: setting.rate,
        buffer_frames: setting.buffer.block,
        buffer: setting.buffer.label(),
        roll_frames: arrangement.roll,
        workers: arrangement.workers,
        power: planned_power(choice, context.rig.machine.power),
        hub: interface.hub,
        clock: Some(clock(interface.clock).into()),
        open_inputs: open(interface.channels.open_inputs, interface.channels.inputs),
        open_outputs: open(interface.channels.open_outputs, interface.channels.outputs),
        cable: arrangement.link.fars.iter().any(|f| f.wired || !context.rig.far(f.far).wireless),
        runs: titles(&there),
        quit: titles(&gone),
        other_load: swiftloop_units::Share::new(load.clamp(0.0, 0.99)),
        memory_gb: problem
            .question
            .memory_after(&problem.question.apply(&same_remedies(&problem, choice, None), &[])),
        recording_mb_per_minute: recording_mb_per_minute(context, setting, phase),
        restore: by_hand.restore,
        by_hand: by_hand.set,
        dropouts_per_hour: dropouts(report),
        allowed_per_hour: report.target,
        sound_share: report.sound,
        hears: report.loops.iter().map(|l| hears(context, l)).collect(),
        stakes: stakes(context, choice),
    }
}

fn dropouts(report: &crate::plan::Report) -> Range<swiftloop_units::PerHour> {
    let d = report.dropouts;
    Range::spanning(d.low.min(d.typical), d.typical, d.high.max(d.typical))
}

/// The power plan that a choice wants where the machine runs `now`.
pub(super) fn planned_power(choice: &Choice, now: PowerPlan) -> PowerPlan {
    let full = choice.report.remedies.iter().any(|r| r.kind == RemedyKind::FullPower);
    if full { PowerPlan::Performance } else { now }
}

fn clock(clock: Clock) -> &'static str {
    match clock {
        Clock::Internal => "internal",
        Clock::WordClock => "word-clock",
        Clock::External => "external",
    }
}

fn hears(context: &Context<'_>, l: &Loop) -> Hears {
    let title = |p| context.session.performer(p).title();
    let name = l.performer.map(|p| match (l.kind, l.far) {
        (LoopKind::Together, Some(far)) => format!("{} with {}", title(p), context.rig.far(far).title()),
        _ => title(p).to_string(),
    });
    Hears {
        verdict: if l.performer.is_some() { l.verdict().as_str().into() } else { "cursor".into() },
        who: name.unwrap_or_else(|| "cursor".into()),
        late_ms: l.total,
        noticed_from_ms: l.limit.as_ref().map(|l| l.noticed),
        fails_from_ms: l.limit.as_ref().map(|l| l.fails),
    }
}
