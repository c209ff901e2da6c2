//! Who steals the time. What a kernel tells of itself comes in ([`TraceEvent`]s, in the order of time), and of every late
//! block goes out: its way from due to done, who held the core meanwhile, and over all of them how many would have been in
//! time without each holder. Blame is what changes the answer when it is taken away, not who ran longest.
//!
//! A block's way is `due → interrupt → timer → woken → scheduled → running → done`.

mod advice;
mod blame;
mod compare;
mod cores;
mod event;
mod follow;
mod heard;
mod labels;
mod lanes;
mod late;
mod life;
mod marks;
mod names;
mod paced;
mod ranking;
mod slices;
mod summary;
mod waits;

pub use advice::{Advice, advice_for};
pub use blame::HOST;
pub use compare::{CHANCE, ChangedThief, TraceComparison, by_chance, compare};
pub use event::{
    Activity, Core, Instant, LateMark, Left, Mark, Pid, Priority, Resched, Thread, TraceEvent, TraceSpan,
    What,
};
pub use follow::Follower;
pub use heard::MatchedCrackles;
pub use lanes::shown_around;
pub use late::{BlockStage, BlockStages, CoreLane, CoreStretch, Holder, HolderKind, LaneHas, LateBlock, Who};
pub use marks::{LateLine, noticed_line};
pub use names::{Name, Names};
pub use ranking::{Ranked, Ranking, TogetherOnly, fewest, rank, share};
pub use summary::{TraceQuery, TraceSummary};
