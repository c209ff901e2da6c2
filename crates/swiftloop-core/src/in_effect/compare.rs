//! A computer held against what a phase needs of it, rule by rule.

use super::difference::{Comparison, Known, RuleResult};
use super::{Demand, rules};
use crate::survey::Inventory;

/// Holds a computer against what a phase needs, and against how it was when all was well.
#[must_use]
pub fn compare(demand: &Demand, now: &Inventory, known: Option<&Known>) -> Comparison {
    let mut comparison = Comparison::default();
    let versions = known.map(|known| rules::versions(now, known));
    for found in rules::ALL.iter().map(|rule| rule(demand, now)).chain(versions) {
        match found {
            RuleResult::Right => comparison.looked_at += 1,
            RuleResult::Wrong(all) => {
                comparison.looked_at += 1;
                comparison.differences.extend(all);
            }
            RuleResult::Unread(what) if comparison.unread.contains(&what) => {}
            RuleResult::Unread(what) => comparison.unread.push(what),
            RuleResult::Beside => {}
        }
    }
    comparison
}
