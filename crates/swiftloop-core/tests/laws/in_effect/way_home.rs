//! The way home: at whatever line the journal ends, and whoever changed what meanwhile, what is ours goes back to what it was
//! before the first step, what is somebody else's stays, and doing it twice does nothing more.

use super::machine::{Machine, random_demand, random_state};
use swiftloop_core::in_effect::{Journal, JournalLine, JournalStage, StepFate, Tunable, fate, puts};

/// Where the program is killed within a step.
#[derive(Clone, Copy, PartialEq)]
enum Killed {
    BeforeItsLine,
    AfterItsLine,
    AfterItWasPut,
    AfterAll,
}

/// Takes the first `steps` steps and dies at the place said in the last one; the journal's lines.
fn put_until(
    machine: &mut Machine,
    all: &[(Tunable, String)],
    steps: usize,
    killed: Killed,
) -> Vec<JournalLine> {
    let mut lines = Vec::new();
    for (k, (lever, to)) in all.iter().take(steps).enumerate() {
        let dies_at = if k + 1 == steps { killed } else { Killed::AfterAll };
        if dies_at == Killed::BeforeItsLine {
            break;
        }
        let step = k as u32 + 1;
        let before = machine.read(lever).unwrap();
        lines.push(JournalLine::Intends { step, lever: lever.clone(), before, to: to.clone() });
        if dies_at == Killed::AfterItsLine {
            break;
        }
        machine.put(lever, to);
        if dies_at == Killed::AfterItWasPut {
            break;
        }
        lines.push(JournalLine::Did { step, is: machine.read(lever).unwrap() });
    }
    lines
}

/// Goes back, and dies after so many steps; lines that were written.
fn back(
    machine: &mut Machine,
    journal: &Journal,
    steps: usize,
    fates: &mut Vec<(JournalStage, StepFate)>,
) -> Vec<JournalLine> {
    let mut lines = Vec::new();
    for stage in journal.stages.iter().rev().take(steps) {
        let found = fate(stage, machine.read(&stage.lever).as_deref());
        if found == StepFate::PutBack {
            machine.put(&stage.lever, &stage.before);
        }
        fates.push((stage.clone(), found));
        lines.push(JournalLine::Over { step: stage.step });
    }
    lines
}

#[test]
fn the_journal_leads_home_from_every_instant() {
    let mut random = fastrand::Rng::with_seed(30);
    let mut cases = 0;
    for _ in 0..60 {
        // Two phases, one after the other: the second puts only what is otherwise by then.
        let first = random_demand(&mut random);
        let before = random_state(&first, &mut random);
        let mut planned = Machine::new(before.clone());
        let mut all = Vec::new();
        for demand in [first, random_demand(&mut random)] {
            for put in puts(&demand, &planned.inventory).0 {
                planned.put(&put.lever, &put.to);
                all.push((put.lever, put.to));
            }
        }
        for steps in 1..=all.len() {
            for killed in
                [Killed::BeforeItsLine, Killed::AfterItsLine, Killed::AfterItWasPut, Killed::AfterAll]
            {
                let mut machine = Machine::new(before.clone());
                let mut lines = put_until(&mut machine, &all, steps, killed);
                // The way back dies as well, anywhere, and is begun again.
                let mut fates = Vec::new();
                let journal = Journal::of(lines.clone());
                let cut = random.usize(0..=journal.stages.len());
                let mut written = back(&mut machine, &journal, cut, &mut fates);
                if random.bool() {
                    written.pop(); // it died before the line was written
                }
                lines.extend(written);
                let rest = Journal::of(lines.clone());
                lines.extend(back(&mut machine, &rest, usize::MAX, &mut fates));
                assert_eq!(machine.inventory, before, "{steps} of {}", all.len());
                assert_eq!(Journal::of(lines).stages, vec![]);
                assert!(!fates.iter().any(|f| matches!(f.1, StepFate::Theirs { .. })));
                cases += 1;
            }
        }
    }
    assert!(cases > 1000, "{cases}");
}

#[test]
fn what_somebody_changed_meanwhile_is_told_and_left_alone() {
    let mut random = fastrand::Rng::with_seed(7);
    let mut told = 0;
    for _ in 0..200 {
        let demand = random_demand(&mut random);
        let before = random_state(&demand, &mut random);
        let all: Vec<(Tunable, String)> =
            puts(&demand, &before).0.into_iter().map(|p| (p.lever, p.to)).collect();
        let Some(theirs) = all.iter().position(|(lever, _)| matches!(lever, Tunable::MostClock { .. }))
        else {
            continue;
        };
        let mut machine = Machine::new(before.clone());
        let lines = put_until(&mut machine, &all, all.len(), Killed::AfterAll);
        machine.put(&all[theirs].0, "1234567");
        let mut fates = Vec::new();
        back(&mut machine, &Journal::of(lines), usize::MAX, &mut fates);
        let (_, found) = fates.iter().find(|(stage, _)| stage.lever == all[theirs].0).unwrap();
        assert_eq!(*found, StepFate::Theirs { is: "1234567".into() });
        assert_eq!(machine.read(&all[theirs].0).unwrap(), "1234567");
        // All else is home.
        let was = Machine::new(before).read(&all[theirs].0).unwrap();
        machine.put(&all[theirs].0, &was);
        assert!(puts(&demand, &machine.inventory).0.len() == all.len());
        told += 1;
    }
    assert!(told > 50, "{told}");
}

#[test]
fn what_is_gone_is_gone_and_what_fell_back_by_itself_is_back() {
    let stage = JournalStage {
        step: 1,
        lever: Tunable::ForcedBuffer,
        before: "0".into(),
        to: "64".into(),
        is: Some("64".into()),
    };
    assert_eq!(fate(&stage, None), StepFate::Gone);
    assert_eq!(fate(&stage, Some("0")), StepFate::Back);
    assert_eq!(fate(&stage, Some("64\n")), StepFate::PutBack);
    assert_eq!(fate(&stage, Some("256")), StepFate::Theirs { is: "256".into() });
    // A system that makes something else of it: what it read then is ours as well.
    let made = JournalStage { to: "100".into(), ..stage };
    assert_eq!(fate(&made, Some("64")), StepFate::PutBack);
}

#[test]
fn a_journal_is_read_as_it_was_written() {
    let levers = [
        Tunable::ForcedRate,
        Tunable::InterruptCores { line: 16 },
        Tunable::UsbPower { place: "1-3".into() },
        Tunable::Priority { thread: 7, name: "data-loop.0".into() },
        Tunable::IdleOff { cpu: 3, state: 2 },
    ];
    for (step, lever) in levers.into_iter().enumerate() {
        let line = JournalLine::Intends { step: step as u32, lever, before: "a\n".into(), to: "b".into() };
        let text = serde_json::to_string(&line).unwrap();
        assert_eq!(serde_json::from_str::<JournalLine>(&text).unwrap(), line, "{text}");
    }
}
