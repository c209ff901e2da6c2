//! One setting beside the plan: it is judged as the plan judges, told apart from the plan, and refused where there is none.

use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, session, singer};
use swiftloop_core::loops::{Context, DelayVerdict};
use swiftloop_core::plan::{
    Evaluation, PhaseChange, PhaseProblem, Plan, Request, Trial, TrialRefusal, WhyNot, attempt_trial, buys,
    plan, report, report_of, trade, would_fit_at,
};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::Session;
use swiftloop_core::tables::RemedyKind;
use swiftloop_units::ids::{InterfaceId, PhaseId, RemedyId};
use swiftloop_units::workers::OneByOne;
use swiftloop_units::{Block, Hz};

/// Where every trial here takes place.
fn here() -> (InterfaceId, PhaseId) {
    (0.into(), 0.into())
}

/// A rig with a second driver and little speed, and a session that needs remedies on it.
fn boathouse() -> (Rig, Session) {
    let rig = rig(&format!(
        "{}\n[[interface.driver]]\nmodel = \"alsa\"\nrates_hz = [48000]\nbuffers = {{ frames = [64, 128, 256] }}\n",
        EXACT_RIG.replace("cores = 4", "cores = 2\ncore_speed = 0.5")
    ));
    let look = "{ id = \"look\", latency_frames = 900, cost = \"heavy\", low_delay_frames = 0 }";
    let heavy: String = (0..6)
        .map(|i| format!("{{ id = \"x{i}\", source = \"disk\", processor = [{{ id = \"h{i}\", cost = \"heavy\" }}] }}, "))
        .collect();
    let text = singer(look, "")
        .replace("deliver =", "engine = { renders_ahead = true, roll_frames = [512, 1024] }\ndeliver =")
        .replace("track = [", &format!("track = [{heavy}"));
    let session = session(&text, &rig);
    (rig, session)
}

/// The plan of these, and what `ask` says of each trial.
fn with_plan(ask: impl Fn(Context<'_>, &Plan)) {
    let (rig, session) = boathouse();
    let context = context(&rig, &session);
    ask(context, &plan(context, &OneByOne));
}

fn request(driver: &str, buffer: &str) -> Request {
    Request { driver: Some(driver.into()), buffer: Some(buffer.into()), ..Request::default() }
}

fn ids(trial: &Trial<'_>) -> Vec<String> {
    trial.report.remedies.iter().map(|r| r.id.clone()).collect()
}

#[test]
fn what_the_plan_chose_is_told_as_the_plan_told_it() {
    with_plan(|context, plan| {
        let chosen = &plan.choices[0];
        let a = &chosen.arrangement;
        let asked = Request {
            roll: a.roll,
            workers: Some(a.workers),
            remedies: chosen.report.remedies.iter().map(|r| r.id.clone()).collect(),
            ..Request::default()
        };
        let trial = attempt_trial(context, Some(plan), here(), &asked).unwrap();
        assert!(!asked.remedies.is_empty() && trial.is_planned(), "{:?}", trial.why_not);
        assert_eq!((&trial.arrangement, trial.effort), (a, chosen.effort));
        assert_eq!(trial.report.dropouts, chosen.report.dropouts);
        assert_eq!(trial.report.slowest(), chosen.report.slowest());
        assert_eq!(trial.is_yes(), chosen.missed.is_none());
        // In another order they are the same remedies.
        let mut turned = asked.clone();
        turned.remedies.reverse();
        assert!(attempt_trial(context, Some(plan), here(), &turned).unwrap().is_planned());
    });
}

#[test]
fn anything_else_says_why_not_and_its_report_does_not_depend_on_the_plan() {
    with_plan(|context, plan| {
        for (driver, buffer) in
            [("jack", "32"), ("jack", "64"), ("jack", "2048"), ("alsa", "128"), ("alsa", "256")]
        {
            let trial = attempt_trial(context, Some(plan), here(), &request(driver, buffer)).unwrap();
            assert!(!trial.is_planned() && ids(&trial).is_empty(), "{driver} {buffer}");
            let problem = PhaseProblem::new(context, here().0, here().1, HZ);
            let alone = report_of(&problem, trial.arrangement.clone());
            assert_eq!(trial.report.dropouts, alone.dropouts);
            assert_eq!(trial.report.loops.len(), alone.loops.len());
            // The reason is the one that the report gives.
            match trial.why_not.expect("not the planned one") {
                WhyNot::Late { over, .. } => {
                    assert!(over.raw() > 0.0 && trial.report.worst_over().unwrap().excess() == over);
                }
                WhyNot::Breaks { dropouts, allowed } => {
                    assert!(dropouts > allowed && dropouts == trial.report.dropouts.typical);
                }
                why @ WhyNot::AlwaysLate { .. }
                | why @ WhyNot::AlwaysBreaks { .. }
                | why @ WhyNot::MoreEffort { .. }
                | why @ WhyNot::CannotRoll(_)
                | why @ WhyNot::LessSure
                | why @ WhyNot::Noticed
                | why @ WhyNot::MoreDelay(_)
                | why @ WhyNot::LessRoom { .. }
                | why @ WhyNot::SlowStart
                | why @ WhyNot::MoreChanges
                | why @ WhyNot::NoBetter
                | why @ WhyNot::PlanMissed => assert!(trial.is_yes(), "{why:?} though it does not work"),
            }
        }
    });
}

#[test]
fn what_the_trade_shows_is_what_a_trial_of_each_buffer_shows() {
    with_plan(|context, plan| {
        let trial = attempt_trial(context, Some(plan), here(), &request("jack", "128")).unwrap();
        let blocks: Vec<u32> = trial.trade.iter().map(|p| p.arrangement.setting.buffer.block.get()).collect();
        assert_eq!(blocks, [32, 64, 128, 256, 512, 1024, 2048]);
        for point in &trial.trade {
            let block = point.arrangement.setting.buffer.block.to_string();
            let there = attempt_trial(context, Some(plan), here(), &request("jack", &block)).unwrap().report;
            assert_eq!((point.round_trip, point.dropouts), (there.slowest(), there.dropouts.typical));
            assert_eq!(point.within, there.loops.iter().all(|l| l.verdict() != DelayVerdict::Late));
            // By the plain meaning of the frontier: nobody is at least as good in both and better in one.
            let beaten = trial.trade.iter().any(|o| {
                o.round_trip <= point.round_trip
                    && o.dropouts <= point.dropouts
                    && (o.round_trip < point.round_trip || o.dropouts < point.dropouts)
            });
            assert!(!(point.on_frontier && beaten), "{block}");
        }
        assert!(trial.trade[0].on_frontier, "nothing is shorter than the smallest block");
    });
}

#[test]
fn a_remedy_buys_what_is_lost_without_it() {
    let (rig, session) = boathouse();
    let problem = PhaseProblem::new(context(&rig, &session), here().0, here().1, HZ);
    let id =
        |name: &str| problem.question.remedies.iter().position(|r| r.id == name).map(RemedyId::from).unwrap();
    let chosen = [id("low-delay:look"), id("bypass:h0"), id("print:x1")];
    let evaluation = Evaluation::new(&problem, arrangement(&problem, 64, None, 2));
    let whole = report(&evaluation, &chosen);
    for (i, bought) in buys(&evaluation, &chosen).iter().enumerate() {
        let without: Vec<RemedyId> = chosen.iter().copied().filter(|r| *r != chosen[i]).collect();
        let left = report(&evaluation, &without);
        let longer = left.slowest().raw() - whole.slowest().raw();
        assert!(
            (bought.delay.raw() - longer).abs() < 1e-9,
            "{:?}: {longer}",
            problem.question.remedies[chosen[i]]
        );
        let (a, b) = (bought.dropouts_without.raw(), left.dropouts.typical.raw());
        assert!((a - b).abs() <= 1e-9 * b.max(1.0), "{a} against {b}");
        assert!(b >= whole.dropouts.typical.raw());
    }
    // 900 frames of look-ahead at 48 kHz.
    assert!((buys(&evaluation, &chosen)[0].delay.raw() - 18.75).abs() < 1e-9);
}

#[test]
fn it_would_fit_at_the_largest_smaller_buffer_that_is_not_late() {
    let rig = rig(EXACT_RIG);
    for limit in [3.0, 6.0, 9.0, 20.0, 0.5] {
        let text = singer("", "").replace("mic_m = 0", &format!("mic_m = 0, limit_ms = {limit}"));
        let session = session(&text, &rig);
        let problem = PhaseProblem::new(context(&rig, &session), here().0, here().1, HZ);
        let at = |block: u32| arrangement(&problem, block, None, 4);
        let fits = |block: u32| report_of(&problem, at(block)).worst_over().is_none();
        let largest = [1024, 512, 256, 128, 64, 32].into_iter().find(|b| fits(*b));
        let found = would_fit_at(&problem, &at(2048)).map(|(buffer, report)| {
            assert!(report.worst_over().is_none());
            buffer.block.get()
        });
        assert_eq!(found, largest, "limit {limit}");
    }
}

#[test]
fn a_change_is_undone_where_it_is_not_wanted_any_more() {
    let (rig, _) = boathouse();
    let text = singer("{ id = \"look\", latency_frames = 900, cost = \"light\", low_delay_frames = 0 }", "").replace(
        "phase = [{ kind = \"tracking\", performers = [\"ada\"] }]",
        "phase = [{ kind = \"tracking\", performers = [\"ada\"] }, { kind = \"mixing\" }, { kind = \"overdub\", performers = [\"ada\"] }]",
    );
    let session = session(&text, &rig);
    let plan = plan(context(&rig, &session), &OneByOne);
    let set = |step: usize| {
        let set = plan.steps[step].set.iter();
        set.filter_map(|c| if let PhaseChange::Remedy(r) = c { Some(r.id.clone()) } else { None })
            .collect::<Vec<_>>()
    };
    let restored = |step: usize| plan.steps[step].restore.iter().map(|r| r.id.clone()).collect::<Vec<_>>();
    assert_eq!((set(0), restored(0)), (vec!["low-delay:look".into()], vec![]));
    assert_eq!((set(1), restored(1)), (vec![], vec!["low-delay:look".into()]));
    assert_eq!((set(2), restored(2)), (vec!["low-delay:look".into()], vec![]));
    // Following the steps from the first on leads to each choice's own remedies.
    let mut now: Vec<String> = Vec::new();
    for (step, choice) in plan.steps.iter().zip(&plan.choices) {
        now.retain(|id| !step.restore.iter().any(|r| &r.id == id));
        now.extend(
            step.set
                .iter()
                .filter_map(|c| if let PhaseChange::Remedy(r) = c { Some(r.id.clone()) } else { None }),
        );
        let mut wanted: Vec<_> = choice.report.remedies.iter().map(|r| r.id.clone()).collect();
        wanted.sort();
        now.sort();
        assert_eq!(now, wanted);
    }
}

#[test]
fn what_cannot_be_tried_is_refused_with_what_there_is() {
    with_plan(|context, plan| {
        let refusal = |request: Request| attempt_trial(context, Some(plan), here(), &request).unwrap_err();
        match refusal(request("alsi", "64")) {
            TrialRefusal::NoSuchDriver { asked, known } => {
                assert_eq!((asked.as_str(), known), ("alsi", vec!["jack".into(), "alsa".into()]));
            }
            other @ TrialRefusal::RateNotOffered { .. }
            | other @ TrialRefusal::BufferNotOffered { .. }
            | other @ TrialRefusal::NoBuffer { .. }
            | other @ TrialRefusal::NoWorkers { .. }
            | other @ TrialRefusal::TooManyWorkers { .. }
            | other @ TrialRefusal::CannotRenderAhead
            | other @ TrialRefusal::RollTooSmall { .. }
            | other @ TrialRefusal::CannotRide(_)
            | other @ TrialRefusal::PartOfSetting { .. }
            | other @ TrialRefusal::NoSuchRemedy { .. }
            | other @ TrialRefusal::NotInPhase { .. } => panic!("{other:?}"),
        }
        let rate = Request { rate: Some(Hz::new(96_000)), ..request("alsa", "64") };
        assert!(matches!(refusal(rate), TrialRefusal::RateNotOffered { offered, .. } if offered == [HZ]));
        assert!(matches!(
            refusal(request("alsa", "100")),
            TrialRefusal::BufferNotOffered { asked, offered, .. } if asked == "100" && offered == ["64", "128", "256"]
        ));
        // The plan's driver has its planned buffer; another has none that could be meant.
        let other = if plan.choices[0].arrangement.setting.driver.index() == 0 { "alsa" } else { "jack" };
        let driver_only = Request { driver: Some(other.into()), ..Request::default() };
        assert!(matches!(refusal(driver_only), TrialRefusal::NoBuffer { .. }));
        let workers = |n| Request { workers: Some(n), ..request("jack", "64") };
        assert_eq!(refusal(workers(0)), TrialRefusal::NoWorkers { cores: 2 });
        assert_eq!(refusal(workers(3)), TrialRefusal::TooManyWorkers { asked: 3, cores: 2 });
        let roll = |frames| Request { roll: Some(Block::new(frames)), ..request("jack", "512") };
        assert_eq!(
            refusal(roll(512)),
            TrialRefusal::RollTooSmall { device: Block::new(512), offered: vec![Block::new(1024)] }
        );
        let remedy = |id: &str| Request { remedies: vec![id.into()], ..request("jack", "64") };
        assert_eq!(
            refusal(remedy("roll:1024")),
            TrialRefusal::PartOfSetting {
                id: "roll:1024".into(),
                kind: RemedyKind::Roll,
                target: "1024".into()
            }
        );
        assert!(matches!(
            refusal(remedy("low-delay:lok")),
            TrialRefusal::NoSuchRemedy { near: Some(near), .. } if near == "low-delay:look"
        ));
        let stranger = Request { performer: Some((7.into(), None)), ..request("jack", "64") };
        assert!(matches!(refusal(stranger), TrialRefusal::NotInPhase { there, .. } if there.len() == 1));
    });
}

#[test]
fn the_same_remedy_twice_is_one() {
    with_plan(|context, plan| {
        let asked =
            |n: usize| Request { remedies: vec!["low-delay:look".into(); n], ..request("jack", "64") };
        let (once, twice) = (
            attempt_trial(context, Some(plan), here(), &asked(1)).unwrap(),
            attempt_trial(context, Some(plan), here(), &asked(2)).unwrap(),
        );
        assert_eq!((ids(&once), once.effort), (ids(&twice), twice.effort));
        // What was asked for is not offered again, everything else is.
        assert!(once.available.iter().all(|r| r.id != "low-delay:look"));
        let none = attempt_trial(context, Some(plan), here(), &asked(0)).unwrap();
        assert_eq!(none.available.len(), once.available.len() + 1);
        assert_eq!(none.trade.len(), trade_len(context, &none));
    });
}

/// How many blocks the driver of a trial offers.
fn trade_len(context: Context<'_>, trial: &Trial<'_>) -> usize {
    let problem = PhaseProblem::new(context, here().0, here().1, HZ);
    trade(&problem, &trial.arrangement, &[]).len()
}
