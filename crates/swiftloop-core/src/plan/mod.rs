//! Choice: which setting for each interface and phase, with which remedies, and why not another. Every setting
//! of the rig and every remedy of the session come in; the plan, its frontier and the why-nots come out. Exact:
//! the cheapest set of remedies per setting by branch and bound, the settings across phases by dynamic
//! programming over all of them.
#![deny(clippy::wildcard_enum_match_arm, clippy::match_wildcard_for_single_variants)]

mod arrangements;
mod block_times;
mod block_work;
mod bound;
mod busy;
mod candidate;
mod cheapest_set;
mod chosen;
mod design;
mod direct;
mod effect;
mod evaluation;
mod first_answer;
mod judge;
pub mod line;
mod lines;
mod load_bound;
mod machine_work;
mod measure;
mod outcomes;
mod phase_problem;
mod plan;
mod planned_work;
mod power;
mod rates;
mod real_work;
mod remedy;
mod report;
mod riders;
mod room;
mod sequence;
mod solve;
mod steps;
mod storage;
mod thought;
mod trade;
mod trial;
mod why;
mod work_limit;

pub use arrangements::default_workers;
pub use block_work::WorkFactor;
pub use busy::{Busy, busy};
pub use candidate::{Candidate, Met, Outcome};
pub use cheapest_set::{CheapestSet, Floor, Found, SetProblem, cheapest_set};
pub use chosen::Choice;
pub use effect::Effect;
pub use evaluation::{Arrangement, Evaluation};
pub use first_answer::{FirstAnswer, first_answer};
pub use measure::{Measurement, Proposed};
pub use outcomes::{CleanShow, Outcomes};
pub use phase_problem::PhaseProblem;
pub use plan::{OtherRate, Plan, Silent, Tally, plan};
pub use planned_work::{NoWork, PlannedWork, WorkAsked, planned_work};
pub use real_work::reference_work;
pub use remedy::{Remedy, Target, arranged, arranged_effort, without_included};
pub use report::{Report, RollLoad, report};
pub use sequence::Objection;
pub use solve::{candidates, solve};
pub use steps::{Change, Step};
pub use storage::{Resources, memory_needed, resources};
pub use trade::{TradePoint, trade};
pub use trial::{Request, Trial, TrialRefusal, attempt_trial, report_of, would_fit_at};
pub use why::{Alternative, Buys, HeldBackBy, Overrun, WhyNot, WithoutRoll, buys, wake_ups_alone, why_not};
