//! Two plans of one session beside each other: by the class of machine, and by measured wake-up delays.

use super::{STRONG, lines, styled, table, words};
use swiftloop_core::choice::{Choice, Plan};
use swiftloop_core::loops::Bench;
use swiftloop_core::units::Origin;

/// Dropouts by the class of machine beside dropouts by measured wake-up delays, choice by choice.
pub fn beside_class(bench: &Bench<'_>, by_class: &Plan, soaked: &Plan) -> String {
    let mut t = table(&[" phase", "interface", "by class of machine", "by measured delays", "setting then"]);
    for new in &soaked.choices {
        let same = |c: &&Choice| c.interface == new.interface && c.phase == new.phase;
        let Some(old) = by_class.choices.iter().find(same) else { continue };
        let of = |c: &Choice| {
            format!("{} {}", words::dropouts(c.report.dropouts), words::calm(c.report.verdict()))
        };
        t.add_row(vec![
            format!(" {}", bench.session.phases[new.phase].word()),
            bench.rig.interfaces[new.interface].id.clone(),
            of(old),
            of(new),
            words::buffer(&new.arrangement),
        ]);
    }
    let measured = soaked.choices.iter().filter(|c| c.report.profile == Origin::Measured).count();
    let said = format!(
        "Dropouts an hour: {measured} of {} choices rest on measured wake-up delays now",
        soaked.choices.len()
    );
    format!("{}\n{}", styled(STRONG, said), lines(&t))
}
