//! `link measure`: the receive buffer first, then what was found of the way, the clocks, the line, and with what it was measured.

use super::{an_hour, share, short};
use crate::shared::answer::{Detail, quoted};
use crate::shared::output::aside;
use crate::shared::page::{
    Columns, Head, Style, TIED, answer, command, counted, styled, tied, title, wrapped,
};
use crate::shared::words::figures::{clock, duration, in_ms, ms, plain};
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use serde_json::Value;
use std::io::IsTerminal;
use std::path::Path;
use swiftloop_core::soak;
use swiftloop_core::soak::Decision;
use swiftloop_host::link::Progress;
use swiftloop_measure::link::measured::{BufferRow, Measured, Towards};
use swiftloop_measure::link::packet::Spare;
use swiftloop_measure::link::receive::shortest;
use swiftloop_units::{Ms, Seconds};

pub use super::drawing::svg;

/// A measurement with what it was made for.
pub struct Measuring<'a> {
    pub measured: &'a Measured,
    pub question: Option<&'a BufferQuestion>,
    /// The file in which it was kept.
    pub saved: Option<&'a Path>,
    /// For how long it was to be.
    pub seconds: f64,
}

/// Whether a buffer is long enough, as far as that was answered.
pub struct BufferQuestion {
    pub buffer: f64,
    pub late: u64,
    pub time: Seconds,
    pub decision: Decision,
    pub question: soak::SoakTest,
}

/// A line on stderr while it goes on.
pub struct MeasureLine {
    bar: ProgressBar,
    seconds: f64,
    plain: bool,
    next: f64,
}

impl MeasureLine {
    pub fn begin(host: &str, seconds: f64) -> Self {
        let plain = !std::io::stderr().is_terminal();
        let host = crate::shared::page::clean(host);
        if plain {
            let most = crate::shared::page::paint(&clock(seconds));
            aside(&format!("measuring the way to {host}: at most {most}"));
        }
        let target = if plain { ProgressDrawTarget::hidden() } else { ProgressDrawTarget::stderr_with_hz(5) };
        let bar = ProgressBar::with_draw_target(Some((seconds * 10.0) as u64), target);
        let style = ProgressStyle::with_template("measuring {bar:30} {msg}");
        bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
        Self { bar, seconds, plain, next: 10.0 }
    }

    pub fn show(&mut self, p: &Progress) {
        let passed = p.passed.as_secs_f64();
        let left = (self.seconds - passed).max(0.0);
        let said = format!(
            "{} sent, {} came back, the last after {:.1} ms; {left:.0} s left",
            p.sent,
            p.answered,
            p.last_trip as f64 / 1e6
        );
        self.bar.set_position((passed * 10.0) as u64);
        if self.plain && passed >= self.next {
            self.next += 10.0;
            aside(&said);
        }
        self.bar.set_message(said);
    }
}

impl Drop for MeasureLine {
    fn drop(&mut self) {
        self.bar.finish_and_clear();
    }
}

pub fn json(m: &Measured) -> Value {
    serde_json::to_value(m).unwrap_or_default()
}

pub fn show(measuring: &Measuring<'_>, detail: Detail) -> String {
    let m = measuring.measured;
    let mut text = lead(measuring);
    text.push_str(&next(measuring));
    text.push_str(&buffers(m, detail));
    text.push_str(&title("The way"));
    ways(m).iter().for_each(|(lead, line)| text.push_str(&wrapped(&tied_lead(lead), line)));
    text.push_str(&title("How far to trust this"));
    trust(measuring).iter().for_each(|line| text.push_str(&wrapped("  ", line)));
    if detail.is_full() {
        text.push_str(&course(m));
    }
    text
}

fn tied_lead(lead: &str) -> String {
    format!("  {lead:<14}")
}

pub fn lead(measuring: &Measuring<'_>) -> String {
    let m = measuring.measured;
    let host = crate::shared::page::clean(&m.host).into_owned();
    if m.received == 0 {
        return answer(&format!("Nothing came back from {host}."));
    }
    let mut text = match (measuring.question, m.recommended_ms) {
        (Some(q), _) => answered(q),
        (None, Some(buffer)) => {
            let row = row_at(m, buffer);
            let late = row.map_or(0.0, |r| r.late_per_hour.typical);
            let most = row.map_or(0.0, |r| r.late_per_hour.at_most.max(r.late_per_hour.typical));
            answer(&format!(
                "Hold what arrives for {}: then {} packets an hour come too late or never, no more than {}; you allow {}.",
                in_ms(Ms::new(buffer)),
                an_hour(late),
                an_hour(most),
                plain(m.allowed_per_hour)
            ))
        }
        (None, None) => {
            let lost = answer(&format!(
                "No receive buffer is long enough: {} of all packets are lost, {} an hour; you allow {}.",
                share(m.loss.typical),
                an_hour(m.loss.typical * 3.6e6 / m.packet.every_ms),
                plain(m.allowed_per_hour)
            ));
            format!("{lost}{}", with_spare(m))
        }
    };
    if !m.carries_it {
        let line = m.packet.line_kbit_s / 1000.0;
        text.push_str(&answer(&format!(
            "The line does not carry it: {line:.1} Mbit/s each way are too much, packets wait ever longer or are dropped."
        )));
    }
    let half = m.round_trip_ms.floor / 2.0;
    text.push_str(&wrapped(
        "",
        &format!(
            "The quickest packet took {} there and back: about {} each way, as far as both are alike.",
            short(m.round_trip_ms.floor),
            short(half)
        ),
    ));
    text
}

/// What spare packets would do where none does without.
fn with_spare(m: &Measured) -> String {
    let done = |spare| {
        let both =
            |ms: f64| m.late(Towards::Them, spare, ms, false).max(m.late(Towards::Us, spare, ms, false));
        let found = shortest(m.receive_buffer.iter().map(|r| (r.ms, both(r.ms))), m.allowed_per_hour)?;
        Some((spare, found.ms))
    };
    let said = |(spare, ms): (Spare, f64)| match spare {
        Spare::Parity => format!("with a packet of parity behind four {} do", short(ms)),
        Spare::Twice | Spare::None => format!("with each packet twice {} do", short(ms)),
    };
    let ways: Vec<String> = [Spare::Twice, Spare::Parity].into_iter().filter_map(done).map(said).collect();
    if ways.is_empty() {
        return wrapped(
            "",
            "Spare packets do not help either: look for another line, or for what loads this one.",
        );
    }
    wrapped("", &format!("Send spare packets: {}.", ways.join("; ")))
}

fn answered(q: &BufferQuestion) -> String {
    let buffer = in_ms(Ms::new(q.buffer));
    let allowed = plain(q.question.allowed.raw());
    let seen = format!("{} late or lost in {}", q.late, duration(q.time));
    answer(&match q.decision {
        Decision::Holds => format!("Yes: {buffer} is long enough ({seen}; you allow {allowed} an hour)."),
        Decision::Breaks => format!("No: {buffer} is too short ({seen}; you allow {allowed} an hour)."),
        Decision::Open => {
            let more = q.question.settled_after(q.late);
            format!(
                "It cannot be told yet whether {buffer} is long enough ({seen}; you allow {allowed} an hour). If no more come late, \
                 {} in all would do: --seconds {:.0}.",
                duration(more),
                more.raw().ceil()
            )
        }
    })
}

fn row_at(m: &Measured, buffer: f64) -> Option<&BufferRow> {
    m.receive_buffer.iter().find(|r| r.ms >= buffer - 1e-9)
}

/// What to do now.
fn next(measuring: &Measuring<'_>) -> String {
    let m = measuring.measured;
    let mut text = String::from("\n");
    match measuring.saved {
        Some(file) => {
            text.push_str(&wrapped("", "Can you play together with that, and with which packets? Or name it in your rig, at the far side:"));
            text.push_str(&command(&format!("swiftloop link plan {}", quoted(&file.display().to_string()))));
        }
        None => {
            let host = crate::shared::page::clean(&m.host).into_owned();
            text.push_str(&wrapped("", "Measure once more and keep it, then plan with it:"));
            text.push_str(&command(&format!("swiftloop link measure {} --save link.json", quoted(&host))));
            text.push_str(&command("swiftloop link plan link.json"));
        }
    }
    text
}

/// Rows around the recommended one, or all.
fn buffers(m: &Measured, detail: Detail) -> String {
    if m.received == 0 {
        return String::new();
    }
    let chosen = m.recommended_ms.and_then(|b| m.receive_buffer.iter().position(|r| r.ms >= b - 1e-9));
    let rows: Vec<usize> = match (detail, chosen) {
        (Detail::Full, _) => (0..m.receive_buffer.len()).collect(),
        (Detail::Screen, Some(at)) => {
            let last = m.receive_buffer.len() - 1;
            let mut rows =
                vec![(at / 3).max(1), (at * 2 / 3).max(1), at, (at + 4).min(last), (at + 8).min(last)];
            rows.dedup();
            rows
        }
        (Detail::Screen, None) => vec![0, m.receive_buffer.len() / 2, m.receive_buffer.len() - 1],
    };
    let mut t = Columns::new(&[
        Head::figures("receive buffer"),
        Head::figures("late an hour"),
        Head::figures("no more than"),
        Head::figures("parity"),
        Head::figures("each twice"),
        Head::words(""),
    ]);
    for k in rows {
        let r = &m.receive_buffer[k];
        let worse =
            |of: fn(&swiftloop_measure::link::measured::BySpare) -> f64| of(&r.forth).max(of(&r.back));
        t.row([
            in_ms(Ms::new(r.ms)),
            an_hour(r.late_per_hour.typical),
            an_hour(r.late_per_hour.at_most.max(r.late_per_hour.typical)),
            an_hour(worse(|s| s.parity.typical)),
            an_hour(worse(|s| s.twice.typical)),
            if Some(k) == chosen { styled(Style::Good, "this one") } else { String::new() },
        ]);
    }
    let mut text = title("What each length does, at the worse of both ends");
    text.push_str(&t.show());
    text.push_str(&wrapped(
        "  ",
        "Packets late or lost, an hour; with parity behind four (a quarter more line rate), or each packet twice (twice the sound).",
    ));
    for f in m.following.iter().take(if detail.is_full() { 9 } else { 1 }) {
        text.push_str(&wrapped(
            "  ",
            &format!(
                "A buffer that follows the last {} would be {} in the mean, with {} late an hour and {} changes of its length, \
                 each of which can be heard: for a show take a fixed one.",
                tied(&format!("{:.0} s", f.window_s)),
                short(f.mean_ms),
                an_hour(f.late_per_hour),
                an_hour(f.changes_per_hour)
            ),
        ));
    }
    text
}

fn ways(m: &Measured) -> Vec<(&'static str, String)> {
    let variation = |s: &swiftloop_measure::link::measured::TimeSpread| {
        format!(
            "half of all packets no more than {} later than the quickest, 99 of 100 {}, the latest {}",
            least(s.p50),
            least(s.p99),
            least(s.max)
        )
    };
    let mut all =
        vec![("there", variation(&m.variation_ms.forth)), ("back", variation(&m.variation_ms.back))];
    let lost = m.sent - m.received.min(m.sent);
    let longest = m.loss_runs.iter().map(|r| r.0).max().unwrap_or(0);
    let mut loss = if lost == 0 {
        format!("none of {} ({} at the most)", m.sent, share(m.loss.high))
    } else {
        let row = if longest > 1 { format!("up to {longest} in a row") } else { "never two in a row".into() };
        format!(
            "{lost} of {} ({}, {} to {}), {row}",
            m.sent,
            share(m.loss.typical),
            share(m.loss.low),
            share(m.loss.high)
        )
    };
    if let (Some(by), true) = (&m.loss_by_way, lost > 0) {
        loss.push_str(&format!("; {} there, {} back", share(by.forth.typical), share(by.back.typical)));
    }
    all.push(("lost", loss));
    if m.reordered + m.duplicates + m.strays > 0 {
        all.push((
            "odd ones",
            format!("{} overtaken, {} twice, {} that were no answers", m.reordered, m.duplicates, m.strays),
        ));
    }
    let ppm = &m.clock_ppm;
    let runs = if ppm.low <= 0.0 && ppm.high >= 0.0 {
        format!("their computer's clock runs as fast as ours, to {:.1} ppm", ppm.high.max(-ppm.low))
    } else {
        let faster = if ppm.typical >= 0.0 { "faster" } else { "slower" };
        let (low, high) = (ppm.low.abs().min(ppm.high.abs()), ppm.low.abs().max(ppm.high.abs()));
        format!(
            "their computer's clock runs {:.1} ppm {faster} than ours ({low:.1} to {high:.1})",
            ppm.typical.abs()
        )
    };
    all.push((
        "clocks",
        format!(
            "{runs}. Crystals of interfaces differ by as much or more: at 50 ppm a frame too few or too many every {:.1} s, so the \
             receiver has to resample.",
            1e6 / 50.0 / 48_000.0
        ),
    ));
    all.push((
        "line",
        format!(
            "{:.2} Mbit/s each way, {} of {} bytes a second: {}",
            m.packet.line_kbit_s / 1000.0,
            counted((1000.0 / m.packet.every_ms).round() as usize, "packet", "packets"),
            m.packet.bytes,
            if m.carries_it { "carried" } else { "not carried" }
        ),
    ));
    if let Some(load) = &m.with_load {
        all.push((
            "other traffic",
            format!(
                "with {:.1} Mbit/s beside, 999 of 1000 packets are up to {} late instead of {}, and {} are lost",
                load.kbit_s / 1000.0,
                in_ms(Ms::new(load.loaded_ms.p999)),
                in_ms(Ms::new(load.quiet_ms.p999)),
                share(load.loss.typical)
            ),
        ));
    }
    all
}

fn trust(measuring: &Measuring<'_>) -> Vec<String> {
    let m = measuring.measured;
    let own = &m.with.round_trip_ms;
    let stamps = if m.with.kernel_stamps { "the kernel's time stamps" } else { "time stamps of the program" };
    let ahead =
        if m.with.real_time { "a thread that goes ahead of all others" } else { "an ordinary thread" };
    let mut all = vec![format!(
        "Measured with {stamps} and {ahead}: within this computer alone a round trip takes {}, 99 of 100 no more than {}.",
        short(own.floor),
        short(own.p99)
    )];
    let seconds = duration(Seconds::new(m.seconds));
    if m.interrupted {
        all.push(format!("It was broken off after {seconds}: this is what there was."));
    }
    if let Some(whole) = m.cut_at_bytes {
        all.push(format!(
            "Packets of {} bytes are cut into pieces on this way, which carries {whole} in one: what is lost of one piece is all lost. Put less \
             sound into each: --packet 128.",
            m.packet.bytes + 8 + if m.packet.v6 { 40 } else { 20 }
        ));
    }
    if !m.recommended_is_sure && m.recommended_ms.is_some() && measuring.question.is_none() {
        all.push(format!(
            "{seconds} are short: the buffer is to be expected, not sure. Measure for longer: --seconds {:.0}.",
            (measuring.seconds * 5.0).min(3600.0)
        ));
    }
    if m.clock_steps > 0 {
        all.push(format!(
            "A clock was set {} meanwhile; what it spoiled was taken out.",
            times(m.clock_steps)
        ));
    }
    if m.pauses > 0 {
        all.push(format!("This computer slept {} meanwhile; that is not counted.", times(m.pauses)));
    }
    if m.loss_by_way.is_none() && m.sent > m.received {
        all.push(
            "The reflector does not count its answers, so nobody knows on which way packets were lost."
                .into(),
        );
    }
    all.push("How the round trip splits into there and back, two clocks cannot tell: 38 to 62 of 100 are reckoned with.".into());
    all
}

/// Milliseconds that are not told finer than hundredths.
fn least(ms: f64) -> String {
    in_ms(Ms::new(ms.max(0.01)))
}

fn times(n: u64) -> String {
    if n == 1 { "once".into() } else { format!("{n}{TIED}times") }
}

fn course(m: &Measured) -> String {
    let mut t = Columns::new(&[
        Head::figures("from"),
        Head::figures("quickest, ms"),
        Head::figures("99 of 100 late by, ms"),
        Head::figures("lost"),
    ]);
    for s in &m.stretches {
        t.row([clock(s.from_s), ms(Ms::new(s.floor_ms)), ms(Ms::new(s.p99_ms)), s.lost.to_string()]);
    }
    format!("{}{}", title("As time went by"), t.show())
}

#[cfg(test)]
#[path = "measure_tests.rs"]
mod tests;
