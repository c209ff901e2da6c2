//! A plan in effect: what differs is named and nothing else; what can be set cures what it says and nothing is left to set after
//! it; the way home leads home from every instant; a watch tells each change once.

mod machine;
mod states;
mod watching;
mod way_home;

use crate::common::tables;
use machine::{Machine, demand, ready};
use swiftloop_core::in_effect::{ByHand, compare, handout, puts};
use swiftloop_core::loops::Context;
use swiftloop_core::plan;
use swiftloop_core::plan::{Request, attempt_trial};
use swiftloop_core::rig::{PowerPlan, Rig};
use swiftloop_units::Share;
use swiftloop_units::workers::OneByOne;

use super::common::{context, rig, rigs, session};

const RIG: &str = r#"
format = "swiftloop.rig/1"
name = "Boathouse"
[machine]
class = "laptop"
power = "balanced"
cores = 4
memory_gb = 16
disk_mb_per_s = 400
disk_free_gb = 90
[[interface]]
id = "rack"
connection = "usb2"
channels = { inputs = 8, outputs = 8 }
[[interface.driver]]
model = "alsa"
rates_hz = [48000]
buffers = { powers = [32, 1024] }
[[program]]
id = "browser"
name = "web browser"
load = 0.05
"#;

const SESSION: &str = r#"
format = "swiftloop.session/1"
name = "Songs by the water"
[deliver]
rate_hz = 48000
depth = 24
[[track]]
id = "voice"
source = "live"
processor = [{ id = "comp", cost = "heavy" }, { id = "room", cost = "heavy" }]
[[track]]
id = "old"
source = "disk"
processor = [{ id = "eq", cost = "heavy" }, { id = "dirt", cost = "heavy" }]
[[performer]]
id = "ada"
name = "Ada, voice"
plays = "voice"
[[phase]]
kind = "tracking"
performers = ["ada"]
[[phase]]
kind = "mixing"
"#;

#[test]
fn what_is_at_stake_is_what_try_says_of_that_other_rig() {
    let (rig, tables) = (rig(RIG), tables());
    let session = session(SESSION, &rig);
    let context = context(&rig, &session);
    let plan = plan::plan(context, &OneByOne);
    let settings = handout(context, &plan, |_| ByHand::default(), &OneByOne);
    assert_eq!(settings.phases.len(), plan.choices.len());
    for (demand, choice) in settings.phases.iter().zip(&plan.choices) {
        assert_eq!(demand.buffer_frames, choice.arrangement.setting.buffer.block);
        // As it would be tried on a rig that somebody described so.
        let tried = |power: PowerPlan, load: f64| {
            let mut description = (**context.rig).clone();
            description.machine.power = power;
            description.machine.other_load = Share::new(description.machine.other_load.raw() + load);
            let other = Rig::checked(description, tables).unwrap();
            let context = Context { rig: &other, session: &session, tables, rigs: rigs() };
            let arrangement = &choice.arrangement;
            let without_power = |id: &String| id != "full-power";
            let request = Request {
                driver: Some(demand.driver.clone()),
                rate: Some(demand.rate_hz),
                buffer: Some(demand.buffer_frames.to_string()),
                roll: arrangement.roll,
                workers: Some(arrangement.workers),
                remedies: choice.report.remedies.iter().map(|r| r.id.clone()).filter(without_power).collect(),
                performer: None,
            };
            let trial = attempt_trial(context, None, (choice.interface, choice.phase), &request).unwrap();
            trial.report.dropouts.typical.raw()
        };
        let near = |a: f64, b: f64| assert!((a - b).abs() <= 1e-9 + 1e-9 * b, "{a} {b}");
        for power in [PowerPlan::Performance, PowerPlan::Balanced, PowerPlan::Saving] {
            near(demand.stakes.at_power(power).unwrap().raw(), tried(power, 0.0));
        }
        if !choice.report.remedies.iter().any(|r| r.id == "full-power") {
            let load = &demand.stakes.load[1];
            near(load.dropouts_per_hour.raw(), tried(rig.machine.power, load.more.raw()));
        }
        let planned = demand.dropouts_per_hour.typical();
        // More load, or less speed, never breaks less often; and in between it lies in between.
        let mut last = planned.raw();
        for more in (0..=60).map(|k| f64::from(k) / 100.0) {
            let now = demand.stakes.at_load(planned, more).unwrap().raw();
            // Fewer than one in a million hours are none.
            assert!(now + 1e-6 >= last * 0.999_999, "{more}: {now} < {last}");
            last = now;
        }
    }
}

#[test]
fn a_computer_that_is_as_planned_has_no_difference_and_nothing_to_put() {
    let (demand, ready) = (demand(), ready());
    let comparison = compare(&demand, &ready, None);
    assert_eq!(comparison.differences, vec![]);
    assert_eq!(comparison.unread, vec![]);
    assert!(comparison.looked_at >= 25, "{}", comparison.looked_at);
    assert_eq!(puts(&demand, &ready), (vec![], vec![]));
}

#[test]
fn after_all_is_put_a_check_is_clean_of_it_and_back_everything_is_as_before() {
    let mut random = fastrand::Rng::with_seed(15);
    let (mut put_in_all, mut cured_in_all) = (0, 0);
    for _ in 0..400 {
        let demand = machine::random_demand(&mut random);
        let before = machine::random_state(&demand, &mut random);
        let (all, not) = puts(&demand, &before);
        let cures: Vec<&str> = all.iter().map(|p| p.lever.cures()).collect();
        let mut machine = Machine::new(before.clone());
        let mut old = Vec::new();
        for put in &all {
            let was = machine.read(&put.lever).unwrap();
            assert!(!put.lever.same(&was, &put.to), "{put:?} is so already");
            old.push((put.lever.clone(), was));
            machine.put(&put.lever, &put.to);
            assert!(put.lever.same(&machine.read(&put.lever).unwrap(), &put.to), "{put:?}");
        }
        let after = compare(&demand, &machine.inventory, None);
        for d in &after.differences {
            // What is left has no lever, or would not be taken.
            let id = d.wrong.id();
            assert!(
                !cures.contains(&id) || !not.is_empty() || machine::is_of_another(&d.wrong),
                "{d:?}\n{all:?}"
            );
        }
        assert_eq!(puts(&demand, &machine.inventory).0, vec![], "{demand:?}");
        let wrong_before = compare(&demand, &before, None).differences.len();
        assert!(after.differences.len() <= wrong_before);
        put_in_all += all.len();
        cured_in_all += wrong_before - after.differences.len();
        for (lever, was) in old.into_iter().rev() {
            machine.put(&lever, &was);
        }
        assert_eq!(machine.inventory, before);
    }
    assert!(put_in_all > 1500 && cured_in_all > 800, "{put_in_all} {cured_in_all}");
}
