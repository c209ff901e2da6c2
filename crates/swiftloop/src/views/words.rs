//! Figures and verdicts in words: one way to write each, everywhere.

use super::{BAD, FAINT, GOOD, UNSURE, styled};
use swiftloop_core::choice::{Arrangement, Report};
use swiftloop_core::loops::{self, Bench, Loop};
use swiftloop_core::risk::{self, Dropouts};
use swiftloop_core::units::{Ms, Range};

/// Milliseconds with one decimal, two below one.
pub fn ms(t: Ms) -> String {
    if t.0.abs() < 1.0 { format!("{:.2}", t.0) } else { format!("{:.1}", t.0) }
}

/// `5.4 ms (5.3–5.6)`; the doubt is left out when it does not show.
pub fn ms_range(r: Range<Ms>) -> String {
    let (low, typical, high) = (ms(r.low()), ms(r.typical()), ms(r.high()));
    if low == high { format!("{typical} ms") } else { format!("{typical} ms ({low}–{high})") }
}

/// A limit without needless decimals.
pub fn limit(l: &Loop) -> String {
    l.limit.as_ref().map_or("–".into(), |(limit, _)| format!("{} ms", limit.0))
}

/// A rate of dropouts, to two figures.
pub fn per_hour(x: f64) -> String {
    match x {
        x if x < 0.001 => "<0.001".into(),
        x if x < 0.1 => format!("{x:.3}"),
        x if x < 10.0 => format!("{x:.2}"),
        x if x < 1000.0 => format!("{x:.0}"),
        x if x.is_finite() => format!("{:.0}k", x / 1000.0),
        _ => "without end".into(),
    }
}

/// `0.02 (<0.001–14)`.
pub fn dropouts(d: Dropouts) -> String {
    let (low, typical, high) = (per_hour(d.low), per_hour(d.typical), per_hour(d.high));
    if low == high { typical } else { format!("{typical} ({low}–{high})") }
}

/// The verdict on a loop, coloured.
pub fn fit(v: loops::Verdict) -> String {
    let style = match v {
        loops::Verdict::Within => GOOD,
        loops::Verdict::Doubtful => UNSURE,
        loops::Verdict::Over => BAD,
    };
    styled(style, v.word())
}

/// The verdict on dropouts, coloured.
pub fn calm(v: risk::Verdict) -> String {
    let style = match v {
        risk::Verdict::Calm => GOOD,
        risk::Verdict::Uneasy => UNSURE,
        risk::Verdict::Breaking => BAD,
    };
    styled(style, v.word())
}

/// Driver, rate, buffer and what is arranged around it.
pub fn setting(bench: &Bench<'_>, a: &Arrangement) -> String {
    let mut text = format!("{}, {} Hz, {}", bench.driver(&a.setting).word(), a.setting.rate, buffer(a));
    if let Some(roll) = a.roll {
        text.push_str(&format!(", roll {roll}"));
    }
    if a.workers < bench.rig.machine.cores {
        text.push_str(&format!(", {} of {} cores", a.workers, bench.rig.machine.cores));
    }
    text
}

/// The buffer with its unit.
pub fn buffer(a: &Arrangement) -> String {
    if a.setting.buffer.speed.is_some() {
        a.setting.buffer.label()
    } else {
        format!("{} frames", a.setting.buffer.label())
    }
}

/// The longest chain by name, its ends only when it is long.
pub fn chain(bench: &Bench<'_>, nodes: &[usize]) -> String {
    let names: Vec<String> = nodes.iter().map(|&n| swiftloop_core::choice::node_title(bench, n)).collect();
    if names.len() > 5 {
        format!("{} → {} → … → {}", names[0], names[1], names[names.len() - 1])
    } else {
        names.join(" → ")
    }
}

/// What to measure next for the risk, when its figures are assumed.
pub fn about_profile(report: &Report) -> String {
    match report.profile {
        swiftloop_core::units::Origin::Measured => "wake-up delays as measured on this machine".into(),
        _ => "wake-up delays assumed from the class of machine: swiftloop soak --save rig.toml measures them, and \
              the range shrinks"
            .into(),
    }
}

/// A share as a percentage.
pub fn percent(x: f64) -> String {
    if x > 10.0 { "over 1000 %".into() } else { format!("{:.0} %", x * 100.0) }
}

/// A faint remark.
pub fn faint(text: impl std::fmt::Display) -> String {
    styled(FAINT, text)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rates_are_told_to_two_figures() {
        for (rate, words) in [
            (0.0, "<0.001"),
            (0.00099, "<0.001"),
            (0.0123, "0.012"),
            (0.25, "0.25"),
            (9.99, "9.99"),
            (42.4, "42"),
            (999.4, "999"),
            (12_345.0, "12k"),
            (f64::INFINITY, "without end"),
        ] {
            assert_eq!(per_hour(rate), words, "{rate}");
        }
    }

    #[test]
    fn times_are_told_to_what_matters() {
        assert_eq!(ms(Ms(0.128)), "0.13");
        assert_eq!(ms(Ms(12.34)), "12.3");
        assert_eq!(ms_range(Range::exact(Ms(5.0))), "5.0 ms");
        assert_eq!(ms_range(Range::spanning(Ms(1.0), Ms(2.0), Ms(4.0))), "2.0 ms (1.0–4.0)");
        // A doubt that does not show is left out.
        assert_eq!(ms_range(Range::spanning(Ms(5.001), Ms(5.002), Ms(5.003))), "5.0 ms");
    }

    #[test]
    fn shares_stay_readable() {
        assert_eq!(percent(0.456), "46 %");
        assert_eq!(percent(3.29), "329 %");
        assert_eq!(percent(1e9), "over 1000 %");
    }
}
