//! Figures in words: milliseconds, rates, shares, each rounded to what matters to somebody with a headphone on.

use crate::shared::page::{Style, TIED, styled};
use swiftloop_core::loops::{DelayVerdict, Loop};
use swiftloop_core::risk::{DropoutVerdict, Dropouts};
use swiftloop_units::{Ms, PerHour, Range, Seconds, Share};

/// Milliseconds as they are read best: hundredths below one, tenths up to twenty, whole ones above.
pub fn ms(t: Ms) -> String {
    match t.raw().abs() {
        x if x < 0.995 => format!("{:.2}", t.raw()),
        x if x < 19.95 => format!("{:.1}", t.raw()),
        _ => format!("{:.0}", t.raw()),
    }
}

pub fn in_ms(t: Ms) -> String {
    format!("{}{TIED}ms", ms(t))
}

/// `5.4 ms`, or `about 12 ms (7.0 to 26)` when the doubt shows.
pub fn ms_range(r: Range<Ms>) -> String {
    let (low, typical, high) = (ms(r.low()), ms(r.typical()), ms(r.high()));
    if low == high {
        format!("{typical}{TIED}ms")
    } else {
        format!("about {typical}{TIED}ms ({low} to {high})")
    }
}

/// A limit without needless decimals, both figures where there are two: `6-12`.
pub fn limit(l: &Loop) -> String {
    let Some(limit) = &l.limit else { return "–".into() };
    let (noticed, fails) = (plain(limit.noticed.raw()), plain(limit.fails.raw()));
    if noticed == fails { noticed } else { format!("{noticed}-{fails}") }
}

/// The same in words: `noticed from 6, too late from 12`.
pub fn limit_in_words(l: &Loop) -> String {
    let Some(limit) = &l.limit else { return "no limit".into() };
    let (noticed, fails) = (plain(limit.noticed.raw()), plain(limit.fails.raw()));
    if noticed == fails {
        format!("limit {noticed}")
    } else {
        format!("noticed from {noticed}, too late from {fails}")
    }
}

/// A number without needless decimals.
pub fn plain(x: f64) -> String {
    if (x - x.round()).abs() < 1e-9 {
        format!("{x:.0}")
    } else {
        format!("{x:.2}").trim_end_matches('0').into()
    }
}

fn two_figures(x: f64) -> String {
    let digits = x.abs().max(1e-12).log10().floor();
    let step = 10f64.powf(digits - 1.0);
    let rounded = (x / step).round() * step;
    let decimals = (1.0 - rounded.abs().max(1e-12).log10().floor()).max(0.0) as usize;
    format!("{rounded:.decimals$}")
}

/// A rate in a table whose heading says "an hour"; what comes more often than that makes sense says so.
pub fn per_hour(rate: PerHour) -> String {
    match rate.raw() {
        x if x < 0.001 => "<0.001".into(),
        x if x < 1000.0 => two_figures(x),
        x if x < 3600.0 => format!("every{TIED}{:.0}{TIED}s", 3600.0 / x),
        x if x.is_finite() => format!("{}{TIED}a{TIED}second", two_figures(x / 3600.0)),
        _ => "without end".into(),
    }
}

/// A rate in a sentence: `0.25 an hour`, `one every 3 s`, `47 a second`.
pub fn rate(rate: PerHour) -> String {
    match rate.raw() {
        x if x < 1e-12 => "none".into(),
        x if x < 0.001 => format!("fewer than one in 1000{TIED}hours"),
        x if x < 1000.0 => format!("{}{TIED}an{TIED}hour", two_figures(x)),
        x if x < 3600.0 => format!("one every {:.0}{TIED}s", 3600.0 / x),
        _ => per_hour(rate),
    }
}

/// A rate that nobody should have to convert: always an hour.
pub fn an_hour(rate: PerHour) -> String {
    format!("{}{TIED}an{TIED}hour", two_figures(rate.raw()))
}

/// `0.002 an hour (up to 15)`.
pub fn dropouts(d: Dropouts) -> String {
    let (said, high) = (rate(d.typical), per_hour(d.high));
    if per_hour(d.typical) == high || d.high <= d.typical {
        return said;
    }
    // A bare figure is an hour's; a time between two says what it is.
    let one = if high.starts_with("every") { "one " } else { "" };
    format!("{said} (up to {one}{high})")
}

/// `5.6 ms late (noticed from 6, too late from 12): immediate in 97 of 100 rigs like this.`
pub fn how_late(l: &Loop) -> String {
    let verdict = delay_verdict(l.verdict());
    let (immediate, playable) = (rigs_of(l.shares.immediate), rigs_of(l.shares.playable));
    let noticed = of_hundred(Share::new(1.0 - l.shares.immediate.raw()));
    let two = l.limit.as_ref().is_some_and(|limit| limit.noticed < limit.fails);
    let said = match l.verdict() {
        DelayVerdict::Immediate => format!("{verdict} {immediate}"),
        DelayVerdict::Playable => format!("{verdict} {playable}, noticed {noticed}"),
        DelayVerdict::Open if two => format!("{verdict}: playable {playable}, noticed {noticed}"),
        DelayVerdict::Open => format!("{verdict}: in time {playable}"),
        DelayVerdict::Late if l.excess().raw() > 0.0 => {
            format!("{verdict}, by {}; in time {playable}", in_ms(l.excess()))
        }
        DelayVerdict::Late => format!("{verdict}; in time {playable}"),
    };
    format!("{} late ({}): {said}.", ms_range(l.total), limit_in_words(l))
}

/// `in 93 of 100 rigs like this`.
pub fn rigs_of(share: Share) -> String {
    match share.raw() {
        x if x >= 1.0 - 1e-9 => format!("in all rigs{TIED}like{TIED}this"),
        x if x <= 1e-9 => format!("in no rig{TIED}like{TIED}this"),
        _ => format!("{} rigs{TIED}like{TIED}this", of_hundred(share)),
    }
}

/// `in 93 of 100`, where it was said of what.
pub fn of_hundred(share: Share) -> String {
    match share.raw() {
        x if x >= 1.0 - 1e-9 => "in all".into(),
        x if x <= 1e-9 => "in none".into(),
        x if x < 0.01 => "in fewer than 1 of 100".into(),
        x => format!("in {:.0} of 100", (x * 100.0).round().clamp(1.0, 99.0)),
    }
}

/// The verdict on a loop, coloured.
pub fn delay_verdict(v: DelayVerdict) -> String {
    let style = match v {
        DelayVerdict::Immediate | DelayVerdict::Playable => Style::Good,
        DelayVerdict::Open => Style::Unsure,
        DelayVerdict::Late => Style::Bad,
    };
    styled(style, v.as_str())
}

/// The verdict on dropouts, coloured.
pub fn dropout_verdict(v: DropoutVerdict) -> String {
    let style = match v {
        DropoutVerdict::Holds => Style::Good,
        DropoutVerdict::Open => Style::Unsure,
        DropoutVerdict::Breaks => Style::Bad,
    };
    styled(style, v.as_str())
}

/// `1 chance in 3`, `9 chances in 10`.
pub fn chance(x: f64) -> String {
    const SAID: [(f64, &str); 10] = [
        (0.05, "1 chance in 20"),
        (0.1, "1 chance in 10"),
        (0.2, "1 chance in 5"),
        (0.25, "1 chance in 4"),
        (1.0 / 3.0, "1 chance in 3"),
        (0.5, "1 chance in 2"),
        (2.0 / 3.0, "2 chances in 3"),
        (0.75, "3 chances in 4"),
        (0.9, "9 chances in 10"),
        (0.98, "it is nearly certain"),
    ];
    let near = |a: &&(f64, &str), b: &&(f64, &str)| (a.0 - x).abs().total_cmp(&(b.0 - x).abs());
    SAID.iter().min_by(near).map_or(String::new(), |said| said.1.into())
}

/// A share as a percentage; what is far beyond the whole says so.
pub fn percent(x: f64) -> String {
    if x > 10.0 { format!("over{TIED}1000{TIED}%") } else { format!("{:.0}{TIED}%", x * 100.0) }
}

/// A share of one.
pub fn share(s: Share) -> String {
    percent(s.raw())
}

/// Microseconds as they are read best.
pub fn us(us: f64) -> String {
    if us < 9999.5 { format!("{us:.0}{TIED}µs") } else { format!("{:.1}{TIED}ms", us / 1000.0) }
}

/// A probability for people: nothing is ever quite certain.
pub fn sure(confidence: f64) -> String {
    if confidence > 0.99 { format!("over{TIED}99{TIED}%") } else { percent(confidence) }
}

/// A figure with `n` decimals, and no minus before a zero.
pub fn decimals(x: f64, n: usize) -> String {
    let text = format!("{x:.n$}");
    match text.strip_prefix('-') {
        Some(rest) if rest.chars().all(|c| "0.".contains(c)) => rest.into(),
        _ => text,
    }
}

/// `12.0 s`, `3:05 min`.
pub fn clock(seconds: f64) -> String {
    let whole = seconds as u64;
    if whole >= 60 {
        format!("{}:{:02}{TIED}min", whole / 60, whole % 60)
    } else {
        format!("{seconds:.1}{TIED}s")
    }
}

/// How long something lasts, in words: `12 s`, `2 h 10 min`, `6 days`.
pub fn duration(time: Seconds) -> String {
    const MINUTE: u64 = 60;
    const HOUR: u64 = 60 * MINUTE;
    const DAY: u64 = 24 * HOUR;
    let whole = time.raw().round() as u64;
    let two = |large: u64, unit: &str, small: u64, name: &str| match small {
        0 => format!("{large}{TIED}{unit}"),
        small => format!("{large}{TIED}{unit}{TIED}{small}{TIED}{name}"),
    };
    match whole {
        0..10 => format!("{}{TIED}s", plain((time.raw() * 10.0).round() / 10.0)),
        10..100 => format!("{whole}{TIED}s"),
        100..HOUR => format!("{:.0}{TIED}min", time.raw() / MINUTE as f64),
        HOUR..DAY => two(whole / HOUR, "h", whole % HOUR / MINUTE, "min"),
        _ if whole < 3 * DAY => {
            two(whole / DAY, if whole / DAY == 1 { "day" } else { "days" }, whole % DAY / HOUR, "h")
        }
        _ if time.raw() < 1e9 => format!("{:.0}{TIED}days", time.raw() / DAY as f64),
        _ => "decades".into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shared::page::paint;

    #[test]
    fn how_long_something_lasts_is_told_as_people_do() {
        let said = |s: f64| paint(&duration(Seconds::new(s)));
        assert_eq!(
            [4.3, 12.0, 60.0, 600.0, 7800.0].map(said),
            ["4.3 s", "12 s", "60 s", "10 min", "2 h 10 min"]
        );
        assert_eq!([7200.0, 90_000.0, 864_000.0, 1e12].map(said), ["2 h", "1 day 1 h", "10 days", "decades"]);
    }

    #[test]
    fn rates_are_told_to_two_figures_and_in_words_where_thousands_do_not_matter() {
        for (raw, words) in [
            (0.0, "none"),
            (0.00099, "fewer than one in 1000 hours"),
            (0.0123, "0.012 an hour"),
            (0.25, "0.25 an hour"),
            (9.99, "10 an hour"),
            (42.4, "42 an hour"),
            (349.51, "350 an hour"),
            (1234.0, "one every 3 s"),
            (169_000.0, "47 a second"),
            (f64::INFINITY, "without end"),
        ] {
            assert_eq!(paint(&rate(PerHour::new(raw))), words, "{raw}");
        }
    }

    #[test]
    fn times_are_told_to_what_matters() {
        assert_eq!(ms(Ms::new(0.128)), "0.13");
        assert_eq!(ms(Ms::new(5.64)), "5.6");
        assert_eq!(ms(Ms::new(85.63)), "86");
        assert_eq!(paint(&ms_range(Range::exact(Ms::new(5.0)))), "5.0 ms");
        let wide = Range::spanning(Ms::new(7.0), Ms::new(12.04), Ms::new(26.2));
        assert_eq!(paint(&ms_range(wide)), "about 12.0 ms (7.0 to 26)");
        // A doubt that does not show is left out.
        let narrow = Range::spanning(Ms::new(5.001), Ms::new(5.002), Ms::new(5.003));
        assert_eq!(paint(&ms_range(narrow)), "5.0 ms");
    }

    #[test]
    fn shares_and_numbers_stay_readable() {
        assert_eq!(paint(&percent(0.456)), "46 %");
        assert_eq!(paint(&percent(1e9)), "over 1000 %");
        assert_eq!(
            (plain(6.0), plain(6.25), decimals(-0.0001, 2)),
            ("6".into(), "6.25".into(), "0.00".into())
        );
    }
}
