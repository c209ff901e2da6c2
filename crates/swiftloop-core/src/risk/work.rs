//! The work of blocks as the risk sees it: what each kind takes, and in which order they come.

use super::remembered::RiskKey;
use crate::load::WorkShare;

/// Kinds of blocks, and their order.
#[derive(Debug, Clone, PartialEq)]
pub struct BlockMix {
    kinds: Vec<WorkShare>,
    /// The kind of every block of the cycle; empty when they come as chance will have it.
    order: Vec<usize>,
}

/// Cycles that are longer are taken as if blocks came by chance.
const LONGEST_ORDER: usize = 256;

impl BlockMix {
    /// Kinds that come in this order, again and again.
    #[must_use]
    pub fn in_order(kinds: Vec<WorkShare>, order: &[usize]) -> Self {
        let order = if order.len() <= LONGEST_ORDER { order.to_vec() } else { Vec::new() };
        Self { kinds, order }
    }

    /// Kinds that come as chance will have it.
    #[must_use]
    pub fn mixed(kinds: &[WorkShare]) -> Self {
        Self { kinds: kinds.to_vec(), order: Vec::new() }
    }

    #[must_use]
    pub fn kinds(&self) -> &[WorkShare] {
        &self.kinds
    }

    /// The order; empty when there is none.
    #[must_use]
    pub fn order(&self) -> &[usize] {
        &self.order
    }

    /// Each kind with its work times `factor`.
    #[must_use]
    pub fn times(&self, factor: f64) -> Self {
        let kinds = self.kinds.iter().map(|k| WorkShare { share: k.share, work: k.work * factor }).collect();
        Self { kinds, order: self.order.clone() }
    }

    /// All that a chance over it depends on.
    pub(super) fn ask(&self, question: &mut RiskKey) {
        question.count(self.kinds.len());
        for kind in &self.kinds {
            question.number(kind.share);
            question.number(kind.work.raw());
        }
        question.count(self.order.len());
        self.order.iter().for_each(|k| question.count(*k));
    }
}
