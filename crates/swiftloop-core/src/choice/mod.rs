//! Choice: which setting for each interface and phase, with which remedies, and why not another. Every setting
//! of the rig and every remedy of the session come in; the plan, its frontier and the why-nots come out. Exact:
//! the cheapest set of remedies per setting by branch and bound, the settings across phases by dynamic
//! programming over all of them.

mod bound;
mod compare;
mod cover;
mod explain;
mod ground;
mod part;
mod plan;
mod real_work;
mod remedy;
mod report;
mod scene;
mod solve;
mod way;

pub use crate::workers::{OneByOne, Workers};
pub use compare::{Buys, buys, why_not};
pub use cover::{Cover, Covering, cheapest};
pub use explain::{Missed, WhyNot, node_title};
pub use ground::{Arrangement, Ground};
pub use plan::{Choice, Plan, Step, TradePoint, plan, trade};
pub use real_work::reference_work;
pub use remedy::{Effect, Remedy, arranged};
pub use report::{Report, report};
pub use scene::{Scene, resources};
pub use solve::{Candidate, Outcome, candidates, default_workers, solve};
