//! `link`: a way over the network in words, in figures, drawn.

mod drawing;
mod line;
mod measure;
pub mod measure_text;
pub mod options;
mod plan;
pub mod plan_text;
mod reflect;
pub mod reflect_text;
pub mod run;

use crate::shared::page::{TIED, tied};
use crate::shared::words::figures::in_ms;
use swiftloop_units::Ms;

/// Milliseconds that may be next to none.
fn short(ms: f64) -> String {
    if ms < 0.005 { format!("under{TIED}0.01{TIED}ms") } else { in_ms(Ms::new(ms)) }
}

/// Packets an hour, as they are read best.
pub fn an_hour(rate: f64) -> String {
    match rate {
        x if x < 0.05 => "<0.1".into(),
        x if x < 9.95 => format!("{x:.1}"),
        x if x < 9999.5 => format!("{x:.0}"),
        x if x < 999_500.0 => format!("{:.0}{TIED}000", x / 1000.0),
        x => format!("{:.1}{TIED}million", x / 1e6),
    }
}

/// A share as a percentage, small ones too.
fn share(x: f64) -> String {
    match x * 100.0 {
        p if p <= 0.0 => tied("0 %"),
        p if p < 0.01 => tied("under 0.01 %"),
        p if p < 1.0 => tied(&format!("{p:.2} %")),
        p => tied(&format!("{p:.1} %")),
    }
}
