//! The check as text.

use super::{Check, Checked};
use crate::shared::answer::differences::differences;
use crate::shared::answer::{Detail, quoted};
use crate::shared::page::{
    Columns, Head, Style, answer, clean, command, counted, heading, styled, title, wrapped,
};
use crate::shared::words::differences::{not_taken, place, say, setting, unread};
use swiftloop_core::in_effect::Demand;
use swiftloop_core::survey::System;

/// Differences that are told with cost and cure on one screen.
const TOLD: usize = 5;

pub fn show(check: &Check<'_>, detail: Detail) -> String {
    let mut text = heading(&format!("{}: {}", place(check.demand), setting(check.demand)));
    match check.computers {
        [one] => text.push_str(&single(check, one, detail)),
        all => text.push_str(&several(check, all, detail)),
    }
    if let Some(file) = check.remembered {
        let file = clean(&file.display().to_string()).into_owned();
        text.push_str(&wrapped(
            "",
            &format!("Kept as the good state in {file}: later checks compare with it."),
        ));
    }
    text
}

/// The answer and what differs, a line each.
pub fn in_short(check: &Check<'_>) -> Vec<String> {
    let mut lines = Vec::new();
    for one in check.computers {
        lines.push(lead(check.demand, one));
        let all = one.comparison.differences.iter();
        lines.extend(all.map(|d| {
            let said = say(check.demand, one.inventory.system, d);
            format!("{} {}", said.what, said.costs)
        }));
    }
    lines
}

fn single(check: &Check<'_>, one: &Checked, detail: Detail) -> String {
    let mut text = answer(&lead(check.demand, one));
    let told = if detail.is_full() { usize::MAX } else { TOLD };
    text.push_str(&differences(check.demand, one, told));
    text.push_str(&unseen(one, detail));
    text.push_str(&next(check, one, detail));
    text
}

fn lead(demand: &Demand, one: &Checked) -> String {
    let n = one.comparison.differences.len();
    let things = counted(one.comparison.looked_at, "thing", "things");
    let (name, phase) = (clean(&one.name), clean(&demand.phase));
    if n == 0 {
        let ready = styled(Style::Good, "ready");
        return format!("{name} is {ready} for {phase}: all {things} that were looked at are as planned.");
    }
    let not = styled(Style::Bad, "not ready");
    let differ = counted(n, "thing differs", "things differ");
    format!("{name} is {not} for {phase}: {differ} from the plan ({things} were looked at).")
}

fn unseen(one: &Checked, detail: Detail) -> String {
    let mut text = String::new();
    if !one.comparison.unread.is_empty() {
        let list: Vec<&str> = one.comparison.unread.iter().map(|u| unread(*u)).collect();
        text.push('\n');
        text.push_str(&wrapped("", &format!("Not looked at: {}.", list.join("; "))));
    }
    if detail.is_full() {
        for unseen in &one.inventory.unseen {
            text.push_str(&wrapped("  ", &clean(unseen)));
        }
        if let Some(date) = &one.known {
            text.push_str(&wrapped("", &format!("Versions are compared with those of {}.", clean(date))));
        }
    }
    if one.inventory.system != System::Linux {
        let name = one.inventory.system.as_str();
        let line = format!(
            "On {name} this reads rates, power, USB, programs, memory, disk and versions from a copy; buffers, priorities and \
             idle states it cannot, and apply sets nothing there."
        );
        text.push_str(&wrapped("", &line));
    }
    for not in &one.not_taken {
        text.push_str(&wrapped("", &format!("Not to be set here: {}.", not_taken(not))));
    }
    text
}

fn next(check: &Check<'_>, one: &Checked, detail: Detail) -> String {
    let root = match check.copies {
        [one] => format!(" --root {}", quoted(&one.display().to_string())),
        _ => String::new(),
    };
    let again = format!("swiftloop check {}{root}", check.place);
    let settable = one.comparison.differences.iter().filter(|d| one.is_put(d)).count();
    let by_hand = one.comparison.differences.len() - settable;
    let mut text = String::new();
    match (settable, by_hand) {
        (0, 0) if one.inventory.system == System::Linux && check.copies.is_empty() => {
            text.push_str(&title("Keep an eye on the take"));
            text.push_str(&command(&format!("swiftloop watch {}", check.place)));
        }
        (0, 0) => {
            text.push_str(&title("Play the take; when all is well, keep this as the good state"));
            text.push_str(&command(&format!("{again} --remember")));
        }
        (0, _) => {
            text.push_str(&title("Do these with your hands, then"));
            text.push_str(&command(&again));
        }
        (_, by_hand) => {
            let rest = if by_hand == 0 { String::new() } else { format!("; {by_hand} with your hands") };
            text.push_str(&title(&format!("Set {settable} of them{rest}")));
            text.push_str(&command(&format!("swiftloop apply {}{root}", check.place)));
        }
    }
    if !detail.is_full() && one.comparison.differences.len() > TOLD {
        text.push_str(&command(&format!("{again} --full")));
    }
    text
}

/// Many computers: a line each, then the worst.
fn several(check: &Check<'_>, all: &[Checked], detail: Detail) -> String {
    let ready = all.iter().filter(|c| c.comparison.is_ready()).count();
    let phase = clean(&check.demand.phase);
    let line = if ready == all.len() {
        format!("All {ready} computers are ready for {phase}.")
    } else if ready == 0 {
        format!("None of {} computers is ready for {phase}.", all.len())
    } else {
        format!("{ready} of {} computers are ready for {phase}.", all.len())
    };
    let mut text = answer(&line);
    text.push('\n');
    let mut t = Columns::new(&[
        Head::words("computer"),
        Head::words("ready"),
        Head::figures("differences"),
        Head::prose("the first"),
    ]);
    for one in all {
        let n = one.comparison.differences.len();
        let first = one.comparison.differences.first();
        let first = first.map_or(String::new(), |d| say(check.demand, one.inventory.system, d).what);
        let word = if n == 0 { styled(Style::Good, "yes") } else { styled(Style::Bad, "no") };
        let count = if n == 0 { String::new() } else { n.to_string() };
        t.row([clean(&one.name).into_owned(), word, count, first]);
    }
    text.push_str(&t.show());
    if detail.is_full() {
        for one in all.iter().filter(|c| !c.comparison.is_ready()) {
            text.push_str(&title(&clean(&one.name)));
            text.push_str(&differences(check.demand, one, usize::MAX));
            text.push_str(&unseen(one, detail));
        }
    } else if ready < all.len() {
        text.push_str(&title("What differs on each, and what to do"));
        let copies: Vec<String> = check.copies.iter().map(|c| quoted(&c.display().to_string())).collect();
        text.push_str(&command(&format!("swiftloop check {} --full {}", check.place, copies.join(" "))));
    }
    text
}
