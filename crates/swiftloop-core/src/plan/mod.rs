//! The plan: which setting for each interface and phase, with which remedies, and why not another. Every setting of the rig and every
//! remedy of the session come in; the plan, its frontier and the why-nots go out. Exact: the cheapest set of remedies per setting
//! by branch and bound, the settings across phases by dynamic programming over all of them.
//!
//! A plan is made from the top of this list to its end; every file knows only those above it.
//!
//! | step | files |
//! | --- | --- |
//! | what can be arranged and changed | `arrangement`, `remedy`, [`mod@line`], `offer` (every remedy that applies) |
//! | what a remedy changes | `effect`, and `taken`: what the remedies taken leave behind |
//! | what is asked | `question`, with `disk_and_memory` and `storage` |
//! | what is remembered, what may be worked out | `memory`, `problem` |
//! | one setting | `block_work`, `latency_budget`, `evaluation`, `block_times`, `dropouts` |
//! | in every rig | `quantile_point`, `rates`, `outcomes`, `judge` |
//! | all that is said of one setting | `report`, `trade`, `planned_work` |
//! | the cheapest remedies of every setting | `search` |
//! | why, and what to measure | `why`, `measure` |
//! | the choice, the phases in their order, the whole | `chosen`, `sequence`, `steps`, `session_plan` |
//! | a setting that somebody names | `trial`, `first_answer` |

mod arrangement;
mod block_times;
mod block_work;
mod chosen;
mod disk_and_memory;
mod dropouts;
mod effect;
mod evaluation;
mod first_answer;
mod judge;
mod latency_budget;
pub mod line;
mod measure;
mod memory;
mod offer;
mod outcomes;
mod planned_work;
mod problem;
mod quantile_point;
mod question;
mod rates;
mod remedy;
mod report;
mod search;
mod sequence;
mod session_plan;
mod steps;
mod storage;
mod taken;
mod trade;
mod trial;
mod why;

pub use arrangement::{Arrangement, default_workers};
pub use block_times::{SessionBusy, busy};
pub use chosen::Choice;
pub use disk_and_memory::{Resources, memory_needed, resources};
pub use effect::Effect;
pub use evaluation::Evaluation;
pub use first_answer::{FirstAnswer, first_answer};
pub use measure::{Measurement, Proposed};
pub use offer::{arranged, arranged_effort};
pub use outcomes::{CleanShow, Outcomes};
pub use planned_work::{NoWork, PlannedWork, WorkAsked, planned_work, reference_work};
pub use problem::PhaseProblem;
pub use remedy::{Remedy, Target, without_included};
pub use report::{Report, RollLoad, report};
pub use search::{
    Candidate, CheapestSet, EffortBound, Met, Outcome, SearchResult, SetProblem, candidates, cheapest_set,
    solve,
};
pub use sequence::Objection;
pub use session_plan::{OtherRate, Plan, Silent, Tally, plan};
pub use steps::{PhaseChange, PhaseStep};
pub use taken::WorkFactor;
pub use trade::{TradePoint, trade};
pub use trial::{Request, Trial, TrialRefusal, attempt_trial, report_of, would_fit_at};
pub use why::{Alternative, Buys, HeldBackBy, Overrun, WhyNot, WithoutRoll, buys, wake_ups_alone};
