//! Which of a computer's cards is the interface that was planned: names are written by people and by drivers, so they are
//! compared without spaces, signs and capitals, one within the other.

use super::Demand;
use crate::survey::{Card, Inventory, ServerState};

/// Shorter words fit everywhere.
const SHORTEST: usize = 3;

/// Letters and digits alone, all of them small.
fn bare(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// One name lies in the other: the same device, as people and different parts of a system write it.
#[must_use]
pub fn alike(a: &str, b: &str) -> bool {
    let (a, b) = (bare(a), bare(b));
    !a.is_empty() && a == b || a.len().min(b.len()) >= SHORTEST && (a.contains(&b) || b.contains(&a))
}

/// Whether a name means the interface of a demand.
fn is_ours(demand: &Demand, name: &str) -> bool {
    [&demand.interface, &demand.interface_name].into_iter().any(|wanted| alike(wanted, name))
}

/// The card that is meant.
pub(super) fn card<'a>(demand: &Demand, now: &'a Inventory) -> Option<&'a Card> {
    let named = now.cards.iter().find(|c| is_ours(demand, &c.id) || is_ours(demand, &c.name));
    // The only card that is connected as planned.
    let mut alike = now.cards.iter().filter(|c| c.connection == demand.connection);
    named.or_else(|| alike.next().filter(|_| alike.next().is_none()))
}

/// Something in a server is it: a node, or the ports of a device.
pub(super) fn in_server(demand: &Demand, server: &ServerState) -> bool {
    let device = |port: &str| port.split(':').next().unwrap_or(port).to_string();
    server.nodes.iter().any(|n| is_ours(demand, n.split(" (").next().unwrap_or(n)))
        || server.port_delays.iter().any(|p| is_ours(demand, &device(&p.0)))
}
