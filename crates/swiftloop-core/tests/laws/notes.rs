//! What notes teach, against sessions whose true costs are known: meters are read off a session that is dearer than its
//! classes say; dropouts and feelings come from rigs that lean one way.

use crate::common::tables;
use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, rigs, session, singer};
use swiftloop_core::doubt::Cause;
use swiftloop_core::loops::Context;
use swiftloop_core::notes::{Feels, Note, NoteLesson, learn};
use swiftloop_core::plan::{Arrangement, Evaluation, PhaseProblem, busy, report};
use swiftloop_core::session::Session;
use swiftloop_units::{Factor, Share};

fn loaded() -> String {
    let tracks: Vec<String> = (0..12)
        .map(|i| {
            format!(
                "{{ id = \"x{i}\", source = \"disk\", processor = [{{ id = \"h{i}\", cost = \"{}\" }}] }}",
                ["light", "heavy"][i % 2]
            )
        })
        .collect();
    singer("", "").replace("track = [", &format!("track = [{}, ", tracks.join(", ")))
}

fn note(at: &Arrangement) -> Note {
    Note {
        date: "2026-11-20".into(),
        phase: 0.into(),
        arrangement: at.clone(),
        remedies: Vec::new(),
        counted: None,
        meter: None,
        meter_peak: None,
        felt: Vec::new(),
    }
}

/// What the meter of this session shows at a buffer.
fn meter(session: &Session, block: u32) -> (Arrangement, Share) {
    let rig = rig(EXACT_RIG);
    let problem = PhaseProblem::new(Context { session, ..context(&rig, session) }, 0.into(), 0.into(), HZ);
    let at = arrangement(&problem, block, None, 4);
    let shown = busy(&Evaluation::new(&problem, at.clone()), &[]).mean;
    (at, Share::new(shown))
}

#[test]
fn one_reading_scales_all_costs_and_two_tell_calls_from_frames() {
    let rig = rig(EXACT_RIG);
    let classes = session(&loaded(), &rig);
    for (call, frame) in [(1.6, 1.6), (0.5, 0.5), (4.0, 1.0), (1.0, 2.5)] {
        let truth = classes.with_costs(Factor::new(call), Factor::new(frame), Factor::new(1.0));
        let read = |block| {
            let (at, shown) = meter(&truth, block);
            Note { meter: Some(shown), ..note(&at) }
        };
        let costs = |notes: &[Note]| {
            let told = learn(tables(), &rig, &classes, notes).told;
            let found = told.iter().find_map(|t| {
                if let NoteLesson::Costs { call, frame, .. } = t { Some((*call, *frame)) } else { None }
            });
            found.expect("costs")
        };
        if call == frame {
            let one = costs(&[read(128)]);
            assert!(
                (one.0 / call - 1.0).abs() < 0.06 && (one.1 / one.0 - 1.0).abs() < 0.03,
                "{one:?} for {call}"
            );
        }
        let two = costs(&[read(32), read(1024), read(32), read(1024)]);
        assert!(
            (two.0 / call).ln().abs() < 0.35 && (two.1 / frame).ln().abs() < 0.1,
            "{two:?} for {call} {frame}"
        );
        // With what was learned the meter shows what it showed.
        let learned = learn(tables(), &rig, &classes, &[read(128)]).session;
        assert!((meter(&learned, 128).1 / meter(&truth, 128).1 - 1.0).abs() < 0.05);
    }
}

#[test]
fn what_was_counted_moves_the_rigs_and_much_of_it_more() {
    let rig = rig(EXACT_RIG);
    let session = session(&loaded(), &rig);
    let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
    let at = arrangement(&problem, 32, None, 4);
    let typical = report(&Evaluation::new(&problem, at.clone()), &[]).dropouts.typical.raw();
    let lean = |hours: f64, dropouts: u32| {
        let learned =
            learn(tables(), &rig, &session, &[Note { counted: Some((hours, dropouts)), ..note(&at) }]);
        let woken = learned.rigs.leans(Cause::WakeUps);
        let each = learned.rigs.leans(Cause::Listener(0.into()));
        let enough = learned.rigs.effective() > 300.0;
        assert!(
            !enough || learned.rigs.mean(|i| each[i]).abs() < 0.15,
            "who listens has nothing to do with it"
        );
        (learned.rigs.mean(|i| woken[i]), learned.told)
    };
    // As many hours as should bring ten.
    let hours = 10.0 / typical;
    let (none, few, many) = (lean(hours, 0).0, lean(hours / 10.0, 0).0, lean(hours, 1000).0);
    assert!(none < few && few < 0.02 && many > 0.1, "{none} {few} {many}");
    // What no rig foretells is named.
    assert!(lean(hours, 10).1.iter().all(|t| !matches!(t, NoteLesson::Contradicts(_))));
    assert!(lean(1.0, 50_000).1.contains(&NoteLesson::Contradicts(0)));
}

#[test]
fn what_a_performer_felt_moves_what_they_notice() {
    let rig = rig(EXACT_RIG);
    let session = session(&singer("", ""), &rig);
    let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
    // About six milliseconds, where singers begin to notice.
    let at = arrangement(&problem, 64, None, 4);
    let share = |feels: Option<Feels>| {
        let felt = feels.map(|f| ((0.into(), None), f)).into_iter().collect();
        let learned = feels.map(|_| learn(tables(), &rig, &session, &[Note { felt, ..note(&at) }]));
        let context =
            Context { rigs: learned.as_ref().map_or(rigs(), |l| &l.rigs), ..context(&rig, &session) };
        let problem = PhaseProblem::new(context, 0.into(), 0.into(), HZ);
        report(&Evaluation::new(&problem, at.clone()), &[]).loops[0].shares.immediate.raw()
    };
    let (late, before, fine) = (share(Some(Feels::Late)), share(None), share(Some(Feels::Fine)));
    assert!((0.02..0.98).contains(&before), "{before}");
    assert!(late < before && before < fine, "{late} {before} {fine}");
    // By Bayes: one of ten feels otherwise than the figures say.
    let bayes = before * 0.9 / (before * 0.9 + (1.0 - before) * 0.1);
    assert!((fine - bayes).abs() < 0.03, "{fine} {bayes}");
}
