//! The sheet of changes, and the sets behind it: over many random sessions every step is followed by hand, and every remedy is
//! taken away once to see that it is needed.

use crate::common::{HZ, context, rig, session};
use swiftloop_core::doubt::SURE;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Evaluation, PhaseChange, PhaseProblem, Plan, Target, plan, report};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::Session;
use swiftloop_core::tables::RemedyKind;
use swiftloop_units::workers::OneByOne;

fn rig_of(random: &mut fastrand::Rng) -> Rig {
    let power = ["saving", "balanced", "performance"][random.usize(0..3)];
    let memory = [6, 12, 32][random.usize(0..3)];
    let speed = [0.5, 0.9, 1.4][random.usize(0..3)];
    rig(&format!(
        r#"
format = "swiftloop.rig/1"
machine = {{ cores = {}, core_speed = {speed}, memory_gb = {memory}, disk_mb_per_s = 300, disk_free_gb = 100, power = "{power}" }}
program = [{{ id = "web", load = 0.1, memory_gb = 1.5 }}]
[[interface]]
id = "box"
connection = "pcie"
[[interface.driver]]
model = "jack"
rates_hz = [48000]
buffers = {{ powers = [32, 1024] }}
"#,
        1 + random.usize(0..4)
    ))
}

fn session_text(random: &mut fastrand::Rng) -> String {
    let cost = |random: &mut fastrand::Rng| ["light", "medium", "heavy", "extreme"][random.usize(0..4)];
    let mut text = String::from(
        "format = \"swiftloop.session/1\"\ndeliver = { rate_hz = 48000 }\nengine = { renders_ahead = true }\n",
    );
    for t in 0..3 + random.usize(0..10) {
        let source = if t == 0 { "live" } else { ["disk", "instrument"][random.usize(0..2)] };
        text.push_str(&format!(
            "[[track]]\nid = \"t{t}\"\nsource = \"{source}\"\nmuted = {}\nmemory_gb = {}\nprocessor = [",
            t > 0 && random.usize(0..8) == 0,
            if source == "instrument" { random.usize(0..4) } else { 0 }
        ));
        for p in 0..random.usize(0..3) {
            let own = cost(random);
            let latency = [0, 0, 0, 64, 700, 2048][random.usize(0..6)];
            let low = if latency > 100 && random.bool() { ", low_delay_frames = 16" } else { "" };
            let over = 1 + random.usize(0..2);
            let voices = if source == "instrument" && p == 0 {
                ", kind = \"instrument\", voices = 8, has_draft = true"
            } else {
                ""
            };
            text.push_str(&format!(
                "{{ id = \"p{t}{p}\", cost = \"{own}\", latency_frames = {latency}, oversampling = {over}{low}{voices} }}, "
            ));
        }
        text.push_str("]\n");
    }
    text.push_str(
        "[main]\nprocessor = [{ id = \"lim\", latency_frames = 480, cost = \"medium\" }, { id = \"eye\", kind = \"analyser\", cost = \"medium\" }]\n\
         [[performer]]\nid = \"ada\"\nplays = \"voice\"\nlistens = \"headphones\"\nhears = [\"t0\"]\n",
    );
    let phases = ["tracking", "mixing", "overdub", "editing", "writing"];
    for n in 0..2 + random.usize(0..3) {
        let kind = phases[(n + random.usize(0..2)) % phases.len()];
        let who = if matches!(kind, "tracking" | "overdub" | "writing") { "\"ada\"" } else { "" };
        text.push_str(&format!("[[phase]]\nid = \"ph{n}\"\nkind = \"{kind}\"\nperformers = [{who}]\n"));
    }
    text
}

/// Random sessions with their plans.
fn each_plan(seed: u64, count: usize, mut look: impl FnMut(Context<'_>, &Plan, &str)) {
    let mut random = fastrand::Rng::with_seed(seed);
    for _ in 0..count {
        let rig: Rig = rig_of(&mut random);
        let text = session_text(&mut random);
        let session: Session = session(&text, &rig);
        let context = context(&rig, &session);
        look(context, &plan(context, &OneByOne), &text);
    }
}

#[test]
fn no_remedy_of_a_plan_can_be_taken_away() {
    let (mut dropped, mut plans) = (0, 0);
    each_plan(1905, 300, |context, p, text| {
        for c in p.choices.iter().filter(|c| c.missed.is_none()) {
            plans += 1;
            let problem = PhaseProblem::new(context, c.interface, c.phase, HZ);
            let evaluation = Evaluation::new(&problem, c.arrangement.clone());
            let of = |id: &String| {
                problem.question.remedies.iter_enumerated().find(|(_, r)| r.id == *id).map(|(at, _)| at)
            };
            let chosen: Vec<_> = c.report.remedies.iter().filter_map(|r| of(&r.id)).collect();
            for r in &chosen {
                // What is printed for another phase is there anyway.
                if problem.question.remedies[*r].is_print() {
                    continue;
                }
                let without: Vec<_> = chosen.iter().copied().filter(|x| x != r).collect();
                let applied = problem.question.apply(&without, &[]);
                let rides = c.arrangement.roll.is_none() || problem.cannot_ride(&applied).next().is_none();
                let then = report(&evaluation, &without);
                let still = if c.report.sound >= SURE {
                    then.sound >= SURE
                } else {
                    then.sound >= c.report.sound && then.dropouts.typical <= then.target
                };
                let worse = then.noticed() > c.report.noticed();
                assert!(
                    !(rides && still && !worse),
                    "{} can go: {} then, {} before, {} then\n{text}",
                    problem.question.remedies[*r].id,
                    then.sound.raw(),
                    c.report.sound.raw(),
                    then.noticed()
                );
                dropped += 1;
            }
        }
    });
    assert!(plans > 500 && dropped > 300, "{plans} plans, {dropped} remedies");
}

#[test]
fn the_sheet_is_true() {
    let (mut restored, mut set) = (0, 0);
    each_plan(1917, 300, |context, p, text| {
        let mut now: Vec<String> = Vec::new();
        let mut printed: Vec<String> = Vec::new();
        let mut powers = 0;
        assert_eq!(p.steps.len(), p.choices.len());
        for (step, c) in p.steps.iter().zip(&p.choices) {
            let wanted: Vec<&String> = c.report.remedies.iter().map(|r| &r.id).collect();
            for r in &step.restore {
                assert!(now.contains(&r.id), "{} was never changed\n{text}", r.id);
                assert!(!wanted.contains(&&r.id), "{} is needed\n{text}", r.id);
                now.retain(|id| *id != r.id);
                restored += 1;
            }
            for change in &step.set {
                let PhaseChange::Remedy(r) = change else { continue };
                assert!(!now.contains(&r.id), "{} is in effect already\n{text}", r.id);
                if r.is_print() {
                    let track = r.target.id(&context).unwrap_or_default();
                    assert!(!printed.contains(&track), "{track} is printed twice\n{text}");
                    printed.push(track);
                }
                powers += u32::from(r.kind == RemedyKind::FullPower);
                now.push(r.id.clone());
                set += 1;
            }
            // All that the phase asks for is in effect.
            assert!(wanted.iter().all(|id| now.contains(id)), "{wanted:?} {now:?}\n{text}");
            let on: Vec<&Target> = c.report.remedies.iter().map(|r| &r.target).collect();
            for (i, target) in on.iter().enumerate() {
                let processor = matches!(target, Target::Processor(_));
                assert!(!processor || !on[..i].contains(target), "two remedies on one processor\n{text}");
            }
        }
        assert!(powers <= 1, "the power plan is set {powers} times\n{text}");
    });
    assert!(restored > 50 && set > 300, "{restored} {set}");
}

/// 45 GB of samples on a machine of 32: a plan that a person can follow.
#[test]
fn short_of_memory_the_fewest_instruments_are_printed_once_for_all_phases() {
    let (rig_text, text) = swiftloop_fixtures::sessions::short_of_memory();
    let rig = rig(&rig_text);
    let session = session(&text, &rig);
    let p = plan(context(&rig, &session), &OneByOne);
    assert!(p.choices.iter().all(|c| c.missed.is_none() && c.report.sound >= SURE && c.gap == 0));
    // By hand: the largest first, until the rest fits.
    let mut sizes: Vec<f64> = (0..25).map(|i| 1.5 + 0.025 * f64::from(i)).collect();
    let mut held = sizes.iter().sum::<f64>() + 2.0;
    let mut fewest = 0;
    while held > 32.0 {
        held -= sizes.pop().expect("more of them");
        fewest += 1;
    }
    let prints = |c: &swiftloop_core::plan::Choice| {
        let mut ids: Vec<String> =
            c.report.remedies.iter().filter(|r| r.is_print()).map(|r| r.id.clone()).collect();
        ids.sort();
        ids
    };
    let first = prints(&p.choices[0]);
    assert!(first.len() == fewest || first.len() == fewest + 1, "{} instead of {fewest}", first.len());
    assert!(
        p.choices
            .iter()
            .all(|c| prints(c).iter().all(|id| first.contains(id) || prints(&p.choices[1]).contains(id)))
    );
    let printed: usize = p
        .steps
        .iter()
        .flat_map(|s| &s.set)
        .filter(|c| matches!(c, PhaseChange::Remedy(r) if r.is_print()))
        .count();
    assert!(printed <= fewest + 1, "{printed} prints in all");
    assert!(p.steps.iter().all(|s| s.restore.iter().all(|r| !r.is_print())));
}
