//! The work of one kind of block (cue or roll) before any remedy, and the state that remedies leave behind.

use super::Scene;
use crate::load::{CallCost, Patterns, patterns};
use crate::session::Routes;

/// The work of one kind of block before any remedy.
#[derive(Debug)]
pub struct Part {
    /// Frames in the block.
    pub frames: u32,
    /// Nodes that belong to it.
    pub included: Vec<bool>,
    /// Distinct blocks of the cycle; the worst is the last.
    pub patterns: Patterns,
    costs: Vec<CallCost>,
    /// Base cost of every node, for each pattern.
    pub(super) base: Vec<Vec<f64>>,
    /// Base cost of every processor in the worst block.
    pub(super) worst: Vec<f64>,
}

/// The state that a set of remedies leaves behind.
#[derive(Debug, Clone)]
pub struct Applied {
    /// Factor on the work of each processor.
    pub factor: Vec<f64>,
    /// Latency of each processor, typical.
    pub latency: Vec<f64>,
    /// Nodes that were switched off.
    pub nodes_off: Vec<usize>,
    /// Nodes whose cost differs from the base.
    pub(super) touched: Vec<usize>,
    pub(super) shared: Vec<usize>,
    pub(super) all_work: f64,
    pub(super) timeline: f64,
    /// More channels from disk.
    pub channels: u32,
    /// Change of memory.
    pub memory_gb: f64,
    /// Programs that were quit.
    pub quit: Vec<usize>,
    /// Power plan: 0 the present one, 1 performance.
    pub power: usize,
    /// Performers who went direct.
    pub direct: Vec<usize>,
}

impl Part {
    pub(super) fn new(scene: &Scene<'_>, frames: u32, included: Vec<bool>) -> Self {
        let routes = scene.bench.session.routes();
        let own = scene.bench.session.engine.block_frames.map(|b| b.0).filter(|&b| b != frames);
        let fit = |c: &CallCost| match own {
            Some(b) => CallCost { internal: Some(c.internal.unwrap_or(0).max(b)), ..*c },
            None => *c,
        };
        let costs: Vec<CallCost> = scene.costs.iter().map(fit).collect();
        let nodes: Vec<CallCost> = scene.node_costs.iter().map(fit).collect();
        let mine = |n: usize| included[n];
        let internal =
            (0..costs.len()).filter(|&p| mine(routes.processors[p].0)).filter_map(|p| costs[p].internal);
        let patterns = patterns(frames, internal.chain(own));
        let due = |c: CallCost, mask| c.internal.is_some_and(|m| patterns.due(m, mask));
        let base: Vec<Vec<f64>> = patterns
            .blocks
            .iter()
            .map(|&(_, mask)| {
                (0..nodes.len())
                    .map(|n| {
                        if !mine(n) {
                            return 0.0;
                        }
                        let chain: f64 = routes.nodes[n]
                            .processors
                            .clone()
                            .map(|p| costs[p].in_block(frames, due(costs[p], mask)))
                            .sum();
                        nodes[n].in_block(frames, due(nodes[n], mask)) + chain
                    })
                    .collect()
            })
            .collect();
        let worst_mask = patterns.blocks.last().map_or(0, |b| b.1);
        let worst = (0..costs.len())
            .map(|p| {
                if mine(routes.processors[p].0) {
                    costs[p].in_block(frames, due(costs[p], worst_mask))
                } else {
                    0.0
                }
            })
            .collect();
        Self { frames, included, costs, base, worst, patterns }
    }

    /// Node costs of pattern `k` after `applied`.
    #[must_use]
    pub fn node_costs(&self, k: usize, routes: &Routes, applied: &Applied) -> Vec<f64> {
        let mut cost = self.base[k].clone();
        let mask = self.patterns.blocks[k].1;
        for &n in &applied.touched {
            if !self.included[n] {
                continue;
            }
            for p in routes.nodes[n].processors.clone() {
                if applied.factor[p] < 1.0 {
                    cost[n] -= self.processor_us(p, mask) * (1.0 - applied.factor[p]);
                }
            }
            cost[n] = cost[n].max(0.0);
        }
        for &n in &applied.nodes_off {
            cost[n] = 0.0;
        }
        cost
    }

    pub(super) fn processor_us(&self, p: usize, mask: u32) -> f64 {
        let c = self.costs[p];
        c.in_block(self.frames, c.internal.is_some_and(|m| self.patterns.due(m, mask)))
    }

    pub(super) fn worst_index(&self) -> usize {
        self.base.len() - 1
    }
}
