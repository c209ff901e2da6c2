//! The rules. Each looks at one thing around a setting and says what is wrong there, with the figures that show it.

mod channels;
mod clocks;
mod depth;
mod disk_space;
mod driver;
mod hub;
mod main_output;
mod memory;
mod monitoring;
mod network;
mod power;
mod rates;
mod sharing;
mod speeds;
mod switched_off;

use super::{AdviceContext, Warning};

pub use disk_space::recording_mb_per_minute;

type AdviceRule = fn(&AdviceContext<'_>) -> Vec<Warning>;

/// In the order in which an engineer would look.
pub(super) const ALL: &[AdviceRule] = &[
    rates::disagree,
    depth::not_offered,
    clocks::two_crystals,
    sharing::locked_out,
    driver::not_for_playing,
    driver::below_known,
    power::saves,
    hub::shared,
    monitoring::heard_twice,
    main_output::delays,
    switched_off::muted,
    switched_off::bypassed,
    channels::open,
    speeds::unlabelled,
    disk_space::too_small,
    memory::tight,
    network::not_counted,
];
