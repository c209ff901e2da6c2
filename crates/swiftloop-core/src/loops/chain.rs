//! The live chain: how many frames the session's processors hold a performer back. Routing and the latency
//! of every processor come in, the delay at every node comes out. With delay compensation every live branch
//! that meets another is held back to the slowest, so the longest path counts; without it, the direct path.

use crate::session::{Session, State};
use crate::units::{Frames, Range};

/// Delay of live sound at every node of the routing, and how it comes about.
#[derive(Debug, Clone)]
pub struct Chains {
    /// Delay at the output of each node; none where no live sound passes.
    pub delay: Vec<Option<f64>>,
    /// The feeding node on the slowest path.
    from: Vec<Option<usize>>,
}

impl Chains {
    /// Nodes on the slowest path to `node`, from the source on.
    #[must_use]
    pub fn path(&self, node: usize) -> Vec<usize> {
        let mut path = vec![node];
        while let Some(before) = self.from[path[path.len() - 1]] {
            path.push(before);
        }
        path.reverse();
        path
    }
}

/// Latency of every processor of the session as it stands: a processor that is switched off but loaded may
/// still hold its delay, so its low figure is zero and its typical one is not.
#[must_use]
pub fn latencies(session: &Session) -> Vec<Range<Frames>> {
    let main = &session.main;
    let owners = session.tracks.iter().map(|t| (&t.processors, t.disabled));
    let owners = owners.chain(session.buses.iter().map(|b| (&b.processors, b.disabled)));
    owners
        .chain([(&main.processors, false)])
        .flat_map(|(chain, disabled)| chain.iter().map(move |p| (p, disabled)))
        .map(|(p, disabled)| match p.state {
            _ if disabled => Range::zero(),
            State::Active => Range::exact(p.latency_frames),
            State::Off => Range::spanning(Frames(0.0), p.latency_frames, p.latency_frames),
            State::Unloaded => Range::zero(),
        })
        .collect()
}

/// Delay of live sound at every node: the slowest of all live branches that meet there.
#[must_use]
pub fn compensated(session: &Session, live: &[usize], latency: impl Fn(usize) -> f64) -> Chains {
    let routes = session.routes();
    let mut delay: Vec<Option<f64>> = vec![None; routes.nodes.len()];
    let mut from = vec![None; routes.nodes.len()];
    for &n in live {
        delay[n] = Some(0.0);
    }
    let direct_only = !session.engine.delay_compensation;
    for &n in &routes.order {
        let Some(arrives) = delay[n] else { continue };
        let node = &routes.nodes[n];
        let leaves = arrives + node.processors.clone().map(&latency).sum::<f64>();
        delay[n] = Some(leaves);
        // Without compensation the sends arrive on their own time; what is heard first is the direct path.
        let targets = if direct_only { &node.to[..node.to.len().min(1)] } else { &node.to[..] };
        for &t in targets {
            if delay[t].is_none_or(|d| leaves > d) {
                delay[t] = Some(leaves);
                from[t] = Some(n);
            }
        }
    }
    Chains { delay, from }
}
