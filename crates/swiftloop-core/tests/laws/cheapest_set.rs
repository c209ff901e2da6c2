//! The chosen set of remedies is the cheapest there is, held against every subset; and remedies never hurt.

use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, session};
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use std::cell::Cell;
use swiftloop_core::plan::{
    Evaluation, Met, Outcome, PhaseProblem, SetProblem, Target, arranged_effort, report, solve,
    without_included,
};
use swiftloop_units::ids::RemedyId;

/// What else a processor has.
#[derive(Debug, Clone, Copy)]
enum More {
    None,
    Draft,
    Voices,
    View,
}

/// A random small session: a singer and a few tracks, with look-ahead, low-delay modes, bursts, copies, oversampling.
fn sessions() -> impl Strategy<Value = String> {
    let processor = (
        prop::sample::select(vec!["light", "medium", "heavy", "extreme"]),
        0u32..400,
        any::<bool>(),
        prop::sample::select(vec![1u32, 1, 2, 4]),
        prop::sample::select(vec![0u32, 0, 0, 256, 1024]),
        any::<bool>(),
        prop::sample::select(vec!["active", "active", "active", "off"]),
        prop::sample::select(vec![More::None, More::None, More::Draft, More::Voices, More::View]),
    );
    let track = (
        prop::collection::vec(processor, 0..3),
        prop::sample::select(vec!["disk", "instrument"]),
        any::<bool>(),
    );
    let whole = (any::<bool>(), any::<bool>(), prop::sample::select(vec![96u32, 960, 9600]));
    (prop::collection::vec(track, 1..4), whole, 2u32..9, 0.001f64..2.0).prop_map(|(tracks, (bus, two, ticks), limit, target)| {
        let mut text = format!(
            "format = \"swiftloop.session/1\"\ndeliver = {{ rate_hz = 48000 }}\n\
             engine = {{ renders_ahead = true, ticks_per_quarter = {ticks} }}\n\
             phase = [{{ kind = \"tracking\", performers = [{}], target_per_hour = {target} }}]\n\
             [[performer]]\nid = \"ada\"\nplays = \"voice\"\nlistens = \"headphones\"\nhears = [\"t0\"]\nlimit_ms = {limit}\nmic_m = 0\n",
            if two { "\"ada\", \"bo\"" } else { "\"ada\"" }
        );
        // The second plays an instrument track, if there is one, and can bear more.
        let played = tracks.iter().skip(1).position(|(_, source, _)| *source == "instrument").map_or(0, |i| i + 1);
        let plays = if played == 0 { "bowed" } else { "keys" };
        text.push_str(&format!("[[performer]]\nid = \"bo\"\nplays = \"{plays}\"\nlistens = \"in-ears\"\nhears = [\"t{played}\"]\nlimit_ms = {}\n", limit + 4));
        if bus {
            text.push_str("[[bus]]\nid = \"b\"\nprocessor = [{ id = \"glue\", latency_frames = 90, cost = \"heavy\" }]\n");
        }
        for (i, (processors, source, muted)) in tracks.iter().enumerate() {
            let source = if i == 0 { "live" } else { source };
            let to = if bus && i % 2 == 0 { "b" } else { "main" };
            text.push_str(&format!("[[track]]\nid = \"t{i}\"\nsource = \"{source}\"\nto = \"{to}\"\nmuted = {}\nprocessor = [", *muted && i > 0));
            for (j, (cost, latency, low, over, internal, same, state, more)) in processors.iter().enumerate() {
                let kind = match more {
                    _ if source == "instrument" && j == 0 => "instrument",
                    More::View => "analyser",
                    More::None | More::Draft | More::Voices => "effect",
                };
                text.push_str(&format!("{{ id = \"p{i}{j}\", kind = \"{kind}\", cost = \"{cost}\", latency_frames = {latency}, oversampling = {over}, state = \"{state}\""));
                if *low {
                    text.push_str(", low_delay_frames = 0");
                }
                if *internal > 0 {
                    text.push_str(&format!(", internal_block = {internal}"));
                }
                if *same {
                    text.push_str(", same_as = \"room\"");
                }
                match more {
                    More::Draft => text.push_str(", has_draft = true"),
                    More::Voices if kind == "instrument" => text.push_str(", voices = 12"),
                    More::None | More::View | More::Voices => {}
                }
                text.push_str(" },");
            }
            text.push_str("]\n");
        }
        text
    })
}

#[test]
fn the_chosen_set_is_the_cheapest_of_all_subsets() {
    let (compared, solvable, with_price) = (Cell::new(0), Cell::new(0), Cell::new(0));
    let rig_text = EXACT_RIG
        .replace("cores = 4", "cores = 2\ncore_speed = 0.6")
        .replace("\"performance\"", "\"saving\"")
        + "[[program]]\nid = \"browser\"\nload = 0.1\nmemory_gb = 1\n";
    let case = (sessions(), prop::sample::select(vec![32u32, 64, 128]), any::<bool>());
    let mut runner = TestRunner::new(Config { cases: 700, ..Config::default() });
    runner
        .run(&case, |(text, block, roll)| {
            let rig = rig(&rig_text);
            let session = session(&text, &rig);
            let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
            prop_assume!(problem.question.remedies.len() <= 14);
            let forced = match (&problem.memory.forced_by_roll, roll) {
                (_, false) => vec![],
                (Ok(forced), true) => forced.clone(),
                (Err(_), true) => return Ok(()),
            };
            let arrangement = arrangement(&problem, block, roll.then_some(1024), 2);
            let evaluation = Evaluation::new(&problem, arrangement.clone());
            let free: Vec<RemedyId> =
                problem.question.remedies.keys().filter(|r| !forced.contains(r)).collect();
            let mut truth: Option<u32> = None;
            for mask in 0u32..1 << free.len() {
                let picked = free.iter().enumerate().filter(|(i, _)| mask >> i & 1 == 1).map(|(_, &r)| r);
                let set: Vec<RemedyId> = forced.iter().copied().chain(picked).collect();
                // Two on one processor are one too many.
                let target = |r: &RemedyId| &problem.question.remedies[*r].target;
                let on_processor = |r: &&RemedyId| matches!(target(r), Target::Processor(_));
                let twice = |r: &RemedyId| set.iter().any(|s| s != r && target(s) == target(r));
                let excused = |r: &RemedyId| {
                    let includes =
                        |s: &RemedyId| problem.question.remedies[*s].includes(&problem.question.remedies[*r]);
                    forced.contains(r) && set.iter().any(includes)
                };
                let replaces = |r: &RemedyId| {
                    forced
                        .iter()
                        .any(|f| problem.question.remedies[*r].includes(&problem.question.remedies[*f]))
                };
                if set.iter().filter(on_processor).any(|r| twice(r) && !excused(r) && !replaces(r)) {
                    continue;
                }
                // What another one includes is not done as well.
                let done = without_included(&problem.question.remedies, &set);
                let own: u32 = done.iter().map(|&r| problem.question.remedies[r].effort).sum();
                let effort =
                    own + arranged_effort(&problem.question.context, problem.question.phase, &arrangement);
                if truth.is_none_or(|t| effort < t) && evaluation.satisfied(&evaluation.state(&set)) {
                    truth = Some(effort);
                }
            }
            compared.set(compared.get() + 1);
            match solve(&problem, &arrangement, u32::MAX) {
                Outcome::Meets(Met { effort, remedies, gap, .. }) => {
                    prop_assert!(gap == 0 && evaluation.satisfied(&evaluation.state(&remedies)));
                    prop_assert_eq!(Some(effort), truth, "{}", text);
                    solvable.set(solvable.get() + 1);
                    with_price.set(with_price.get() + u32::from(effort > 0));
                }
                Outcome::Fails { .. } | Outcome::Late { .. } => prop_assert_eq!(None, truth, "{}", text),
                other @ Outcome::Dearer(_) | other @ Outcome::NoRoll(_) => prop_assert!(false, "{:?}", other),
            }
            Ok(())
        })
        .expect("as cheap as the truth");
    assert!(compared.get() >= 500, "only {} sessions were compared", compared.get());
    assert!(with_price.get() >= 150, "only {} of {} needed remedies", with_price.get(), solvable.get());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]

    #[test]
    fn remedies_never_raise_load_or_delay(text in sessions(), picks in prop::collection::vec(any::<prop::sample::Index>(), 1..6)) {
        let rig = rig(&EXACT_RIG.replace("\"performance\"", "\"saving\""));
        let session = session(&text, &rig);
        let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
        prop_assume!(!problem.question.remedies.is_empty());
        for roll in [None, Some(1024)] {
            let evaluation = Evaluation::new(&problem, arrangement(&problem, 64, roll, 4));
            let mut set: Vec<RemedyId> = Vec::new();
            let mut before = report(&evaluation, &set);
            for pick in &picks {
                let r = RemedyId::from(pick.index(problem.question.remedies.len()));
                // One more bus may cost more than light copies did.
                if set.contains(&r) || problem.question.remedies[r].id.starts_with("share-send") {
                    continue;
                }
                set.push(r);
                let after = report(&evaluation, &set);
                prop_assert!(after.slowest().raw() <= before.slowest().raw() + 1e-9, "{}", problem.question.remedies[r].id);
                prop_assert!(after.cue.guaranteed.raw() <= before.cue.guaranteed.raw() + 1e-6, "{}", problem.question.remedies[r].id);
                prop_assert!(after.cue.total.raw() <= before.cue.total.raw() + 1e-6);
                prop_assert!(after.cue.critical_path.raw() <= before.cue.critical_path.raw() + 1e-6);
                if let (Some(a), Some(b)) = (&after.roll, &before.roll) {
                    prop_assert!(a.load.guaranteed.raw() <= b.load.guaranteed.raw() + 1e-6);
                }
                before = after;
            }
        }
    }

    #[test]
    fn the_reported_makespan_lies_between_its_bounds(text in sessions(), block in prop::sample::select(vec![32u32, 96, 128, 512]), workers in 1u32..5) {
        let rig = rig(EXACT_RIG);
        let session = session(&text, &rig);
        let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
        let load = report(&Evaluation::new(&problem, arrangement(&problem, block, None, workers)), &[]).cue;
        let p = f64::from(workers);
        prop_assert!(load.makespan.raw() >= load.critical_path.raw().max(load.total.raw() / p) - 1e-6);
        prop_assert!(load.makespan.raw() <= load.guaranteed.raw() + 1e-6);
        prop_assert!(load.mean.raw() <= load.guaranteed.raw() + 1e-6);
        prop_assert!((load.distribution.iter().map(|x| x.share).sum::<f64>() - 1.0).abs() < 1e-9);
    }
}
