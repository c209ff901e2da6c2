//! The live chain: how many frames the session's processors hold a performer back. Routing and the latency
//! of every processor come in, the delay at every node comes out. With delay compensation every live branch
//! that meets another is held back to the slowest, so the longest path counts; without it, the direct path.

use crate::session::{Session, State};
use swiftloop_units::ids::{NodeId, ProcessorId};
use swiftloop_units::{Frames, Hz, Range};
use typed_index_collections::TiVec;

/// Delay of live sound at every node of the routing, and how it comes about.
#[derive(Debug, Clone)]
pub struct Chains {
    /// Delay at the output of each node; none where no live sound passes.
    pub delay: TiVec<NodeId, Option<Frames>>,
    /// The feeding node on the slowest path.
    from: TiVec<NodeId, Option<NodeId>>,
}

impl Chains {
    /// Delay at the output of a node; nothing where no live sound passes.
    #[must_use]
    pub fn at(&self, node: NodeId) -> Frames {
        self.delay[node].unwrap_or(Frames::new(0.0))
    }

    /// Nodes on the slowest path to `node`, from the source on.
    #[must_use]
    pub fn path(&self, node: NodeId) -> Vec<NodeId> {
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
pub fn latencies(session: &Session, rate: Hz) -> TiVec<ProcessorId, Range<Frames>> {
    let known = session.deliver.rate_hz;
    let main = &session.main;
    let owners = session.tracks.iter().map(|t| (&t.processors, t.disabled));
    let owners = owners.chain(session.buses.iter().map(|b| (&b.processors, b.disabled)));
    owners
        .chain([(&main.processors, false)])
        .flat_map(|(chain, disabled)| chain.iter().map(move |p| (p, disabled)))
        .map(|(p, disabled)| match p.state {
            _ if disabled => Range::zero(),
            State::Active => p.latency(rate, known),
            State::Off => {
                let on = p.latency(rate, known);
                Range::spanning(Frames::new(0.0), on.typical(), on.high())
            }
            State::Unloaded => Range::zero(),
        })
        .collect()
}

/// Delay of live sound at every node: the slowest of all live branches that meet there.
#[must_use]
pub fn compensated(session: &Session, live: &[NodeId], latency: impl Fn(ProcessorId) -> Frames) -> Chains {
    let routes = session.routes();
    let mut delay: TiVec<NodeId, Option<Frames>> = std::iter::repeat_n(None, routes.nodes.len()).collect();
    let mut from: TiVec<NodeId, Option<NodeId>> = std::iter::repeat_n(None, routes.nodes.len()).collect();
    for &n in live {
        delay[n] = Some(Frames::new(0.0));
    }
    // Without compensation sends arrive on their own time; what is heard first is the most direct path: the one through the
    // fewest sends, and only where outputs alone do not lead, one through sends.
    let direct_only = !session.engine.delay_compensation;
    let mut sends: TiVec<NodeId, u32> = std::iter::repeat_n(0, routes.nodes.len()).collect();
    for &n in &routes.order {
        let Some(arrives) = delay[n] else { continue };
        let node = &routes.nodes[n];
        let leaves = arrives + node.processors().map(&latency).sum::<Frames>();
        delay[n] = Some(leaves);
        for (place, &t) in node.to.iter().enumerate() {
            let through = sends[n] + u32::from(place > 0 || !node.has_output);
            let later = delay[t].is_none_or(|d| leaves > d);
            let better = match delay[t] {
                Some(_) if direct_only && through != sends[t] => through < sends[t],
                Some(_) | None => later,
            };
            if better {
                delay[t] = Some(leaves);
                from[t] = Some(n);
                sends[t] = through;
            }
        }
    }
    Chains { delay, from }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::session::Routes;

    /// Every path from `from` to `to`, by walking.
    fn paths(routes: &Routes, from: NodeId, to: NodeId) -> Vec<Vec<NodeId>> {
        if from == to {
            return vec![vec![to]];
        }
        let onward = routes.nodes[from].to.iter().flat_map(|&t| paths(routes, t, to));
        onward
            .map(|mut p| {
                p.insert(0, from);
                p
            })
            .collect()
    }

    #[test]
    fn the_delay_is_that_of_the_longest_of_all_paths() {
        let text = r#"
format = "swiftloop.session/1"
deliver = { rate_hz = 48000 }
track = [
  { id = "a", source = "live", to = "x", sends = [{ to = "y" }, { to = "z" }], processor = [{ id = "pa", latency_frames = 7 }] },
  { id = "b", source = "live", to = "y", processor = [{ id = "pb", latency_frames = 300 }] },
  { id = "c", source = "disk", to = "x", processor = [{ id = "pc", latency_frames = 9000 }] },
]
bus = [
  { id = "x", to = "z", processor = [{ id = "px", latency_frames = 40 }] },
  { id = "y", to = "x", processor = [{ id = "py", latency_frames = 100 }, { id = "py2", latency_frames = 1 }] },
  { id = "z", processor = [{ id = "pz", latency_frames = 5 }] },
]
main = { processor = [{ id = "pm", latency_frames = 2 }] }
phase = [{ kind = "mixing" }]
"#;
        let tables: crate::tables::Tables = toml::from_str(concat!(
            include_str!("../../../swiftloop-files/data/drivers.toml"),
            "\n",
            include_str!("../../../swiftloop-files/data/world.toml")
        ))
        .expect("the tables");
        let session = Session::checked(toml::from_str(text).expect("a session"), &tables).expect("true");
        let routes = session.routes();
        let latency = latencies(&session, Hz::new(48_000));
        let of = |p: ProcessorId| latency[p].typical();
        for live in [vec![0], vec![1], vec![0, 1]] {
            let live: Vec<NodeId> = live.into_iter().map(NodeId::from).collect();
            let chains = compensated(&session, &live, of);
            for target in routes.nodes.keys() {
                let cost = |path: &Vec<NodeId>| -> Frames {
                    path.iter().flat_map(|&n| routes.nodes[n].processors()).map(of).sum()
                };
                let all = live
                    .iter()
                    .flat_map(|&l| paths(routes, l, target))
                    .map(|p| cost(&p))
                    .reduce(|a, b| if b > a { b } else { a });
                assert_eq!(chains.delay[target], all, "live {live:?}, node {target:?}");
                if let (Some(longest), true) = (all, !live.contains(&target)) {
                    assert_eq!(cost(&chains.path(target)), longest);
                }
            }
        }
    }
}
