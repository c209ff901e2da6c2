use super::*;
use swiftloop_measure::trace::{BlockStage, BlockStages, Core, LateBlock, Thread, TraceSpan, rank};

fn attribution(cause: CrackleCause) -> Attribution {
    let block = (cause == CrackleCause::Buffer).then(|| Block::new(128));
    Attribution { cause, block, channel: Some(1), drift: None, interval: None, confidence: 0.95 }
}

fn evidence(attribution: &Attribution) -> Evidence<'_> {
    Evidence { attribution, per_hour: 100.0, findings: None, profile: None, noted: &[], trace: None }
}

fn told(kinds: &[HolderKind]) -> TraceSummary {
    let late: Vec<LateBlock> = kinds
        .iter()
        .map(|kind| {
            let who = Who { kind: *kind, name: "x".into() };
            let took = TraceSpan(500_000);
            let holder = swiftloop_measure::trace::Holder { who: who.clone(), took, extra: took };
            LateBlock {
                thread: Thread::default(),
                core: Core(0),
                way: BlockStages::default(),
                took,
                allowed: TraceSpan(100_000),
                by_deadline: false,
                grew: BlockStage::WokenToScheduled,
                holders: vec![holder],
                thief: who,
                lost: false,
                noticed: None,
                lanes: vec![],
            }
        })
        .collect();
    let ranking = rank(&late);
    TraceSummary { late_count: late.len() as u64, marks: 5, late, ranking, ..TraceSummary::default() }
}

#[test]
fn what_the_recording_alone_settles_needs_nothing_else() {
    for (cause, fault) in [
        (CrackleCause::None, Fault::Nothing),
        (CrackleCause::Clock, Fault::Clocks),
        (CrackleCause::SingleChannel, Fault::Channel(1)),
    ] {
        let v = why(&evidence(&attribution(cause)));
        assert_eq!((v.fault, v.sure, v.open), (fault, Sureness::Sure, vec![]));
    }
}

#[test]
fn a_trace_names_the_thief_and_the_crackles_make_it_sure() {
    let a = attribution(CrackleCause::Buffer);
    let told = told(&[HolderKind::SoftirqNet, HolderKind::SoftirqNet, HolderKind::Priority]);
    let heard = MatchedCrackles { began: 0.0, blocks: vec![0, 1, 2], crackles: 18, by_chance: 0.5 };
    let with = |heard| why(&Evidence { trace: Some((&told, heard)), ..evidence(&a) });
    let (sure, alone) = (with(Some(&heard)), with(None));
    let thief = Fault::Thief(Who { kind: HolderKind::SoftirqNet, name: "x".into() });
    assert_eq!((&sure.fault, sure.sure, sure.open.len()), (&thief, Sureness::Sure, 0));
    assert_eq!((&alone.fault, alone.sure), (&thief, Sureness::Likely));
    assert!(alone.open.contains(&Fault::Work) && alone.measure == Measure::Trace);
}

#[test]
fn blocks_in_time_take_the_computer_away_and_its_own_work_is_no_thief() {
    let a = attribution(CrackleCause::Buffer);
    let none = told(&[]);
    let v = why(&Evidence { trace: Some((&none, None)), ..evidence(&a) });
    assert_eq!((v.fault, v.sure), (Fault::Driver, Sureness::Likely));
    let own = told(&[HolderKind::OwnWork; 4]);
    assert_eq!(why(&Evidence { trace: Some((&own, None)), ..evidence(&a) }).fault, Fault::Work);
    // A trace in which nothing can be judged says so.
    let blind = TraceSummary::default();
    let v = why(&Evidence { trace: Some((&blind, None)), ..evidence(&a) });
    assert_eq!((v.fault, v.measure), (Fault::Unknown, Measure::ReadTrace));
}

#[test]
fn without_a_trace_the_computer_or_its_waking_is_likely_and_the_rest_is_open() {
    let a = attribution(CrackleCause::Buffer);
    let findings = [GradedFinding { grade: Grade::Costly, finding: Finding::Governor("powersave".into()) }];
    let v = why(&Evidence { findings: Some(&findings), ..evidence(&a) });
    assert_eq!((v.sure, v.measure), (Sureness::Likely, Measure::Soak(Some(Block::new(128)))));
    assert!(matches!(v.fault, Fault::Computer(Finding::Governor(_))) && v.open.len() == 3, "{v:?}");
    let v = why(&Evidence { findings: Some(&[]), ..evidence(&a) });
    assert_eq!((v.fault, v.sure), (Fault::Unknown, Sureness::Open));
    let v = why(&evidence(&attribution(CrackleCause::Unknown)));
    assert!(v.open.contains(&Fault::Driver) && v.measure == Measure::Trace);
}
