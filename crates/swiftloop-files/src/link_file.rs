//! Measured ways over the network, as files: what `link measure` says of one (JSON), and every packet of it (a plain table), from
//! which the same is said again.

use crate::{FileError, plain_words};
use std::fmt::Write;
use std::path::Path;
use swiftloop_measure::link::analyse::{LineMeasurement, analyse};
use swiftloop_measure::link::exchange::{EchoedPacket, Exchange};
use swiftloop_measure::link::measured::{Carried, FORMAT, Measured, Own};

/// The first line of a table of packets.
const PACKETS: &str = "# swiftloop.link-packets/1";
const COLUMNS: &str = "packet,sent_ns,there_ns,left_ns,back_ns,counted";
/// No file of either kind is larger.
const LARGEST: u64 = 512 << 20;

fn wrong(path: &Path, why: impl Into<String>) -> FileError {
    FileError::Unreadable {
        path: path.into(),
        why: why.into(),
        help: "name what `swiftloop link measure HOST --save FILE` wrote, or its table of packets".into(),
    }
}

fn bytes(path: &Path) -> Result<Vec<u8>, FileError> {
    let about = std::fs::metadata(path).map_err(|e| wrong(path, plain_words(&e)))?;
    if !about.is_file() {
        return Err(wrong(path, "it is no plain file"));
    }
    if about.len() > LARGEST {
        return Err(wrong(path, "it is larger than any such file is"));
    }
    std::fs::read(path).map_err(|e| wrong(path, plain_words(&e)))
}

/// A measured way; a table of packets is made sense of again, with so many late or lost packets an hour allowed.
///
/// # Errors
/// [`FileError::Unreadable`]: no such file, another kind of file, figures that cannot be true.
pub fn read_link(path: &Path, allowed_per_hour: Option<f64>) -> Result<Measured, FileError> {
    let bytes = bytes(path)?;
    if bytes.starts_with(PACKETS.as_bytes()) {
        let (exchange, packet, host) = packets(path, &bytes)?;
        let allowed_per_hour = allowed_per_hour.unwrap_or(ALLOWED_PER_HOUR);
        let asked = LineMeasurement { packet, allowed_per_hour, load_kbit_s: 0.0 };
        return Ok(Measured { host, ..analyse(&exchange, asked, Own::default()) });
    }
    measured_from(path, &bytes)
}

/// Whether a file is one of both kinds, as far as it can be told without all of it.
///
/// # Errors
/// As of [`read_link`], for what is no such file at all.
pub fn readable_link(path: &Path) -> Result<(), FileError> {
    let about = std::fs::metadata(path).map_err(|e| wrong(path, plain_words(&e)))?;
    if about.len() <= SMALL {
        return read_link(path, None).map(|_| ());
    }
    Ok(())
}

/// Files no larger than this are read twice without anybody noticing.
const SMALL: u64 = 4 << 20;

/// Late or lost packets an hour, where nobody says how many may be.
const ALLOWED_PER_HOUR: f64 = 12.0;

fn measured_from(path: &Path, bytes: &[u8]) -> Result<Measured, FileError> {
    let value: serde_json::Value = serde_json::from_slice(bytes).map_err(|_| wrong(path, "it is no JSON"))?;
    if value["format"] != FORMAT {
        return Err(wrong(path, format!("its format is not {FORMAT}")));
    }
    if !figures_can_be(&value, false) {
        return Err(wrong(path, "it has a figure below zero, or beyond all measure"));
    }
    let measured: Measured = serde_json::from_value(value).map_err(|e| wrong(path, e.to_string()))?;
    match measured.fault() {
        Some(fault) => Err(wrong(path, fault)),
        None => Ok(measured),
    }
}

/// Whether every figure is one that can be measured; only clocks may run slower as well as faster.
fn figures_can_be(value: &serde_json::Value, signed: bool) -> bool {
    use serde_json::Value;
    match value {
        Value::Number(n) => n.as_f64().is_some_and(|x| x.abs() < 1e12 && (signed || x >= 0.0)),
        Value::Array(all) => all.iter().all(|v| figures_can_be(v, signed)),
        Value::Object(all) => all.iter().all(|(key, v)| figures_can_be(v, signed || key == "clock_ppm")),
        Value::Null | Value::Bool(_) | Value::String(_) => true,
    }
}

/// Every packet of a measurement, a line each in the order in which they were sent.
#[must_use]
pub fn packets_text(exchange: &Exchange, packet: &Carried, host: &str) -> String {
    let mut answers: Vec<Option<&EchoedPacket>> = vec![None; exchange.sent.len()];
    for answer in &exchange.answers {
        if let Some(place) = usize::try_from(answer.number).ok().and_then(|k| answers.get_mut(k)) {
            place.get_or_insert(answer);
        }
    }
    let host: String = host.chars().filter(|c| !c.is_whitespace() && !c.is_control()).collect();
    let counts = exchange.counts.map_or("unknown", |c| if c { "yes" } else { "no" });
    let mut text = format!(
        "{PACKETS} every_ms={} bytes={} line_kbit_s={} v6={} counts={counts} strays={} host={host}\n{COLUMNS}\n",
        packet.every_ms, packet.bytes, packet.line_kbit_s, packet.v6, exchange.strays
    );
    for (k, (sent, answer)) in exchange.sent.iter().zip(&answers).enumerate() {
        let _ = match answer {
            Some(a) => writeln!(text, "{k},{sent},{},{},{},{}", a.there, a.left, a.back, a.counted),
            None => writeln!(text, "{k},{sent},,,,"),
        };
    }
    text
}

fn packets(path: &Path, bytes: &[u8]) -> Result<(Exchange, Carried, String), FileError> {
    let end = bytes.iter().position(|b| *b == b'\n').unwrap_or(bytes.len());
    let head = String::from_utf8_lossy(&bytes[..end]);
    let value = |key: &str| {
        let found = head.split_whitespace().find_map(|word| word.strip_prefix(key)?.strip_prefix('='));
        found.ok_or_else(|| wrong(path, format!("its first line does not say {key}")))
    };
    let number = |key: &str| {
        let found = value(key)?.parse::<f64>().ok().filter(|x| (0.0..1e9).contains(x));
        found.ok_or_else(|| wrong(path, format!("{key} in its first line is no such figure")))
    };
    let packet = Carried {
        every_ms: number("every_ms")?,
        bytes: number("bytes")? as u32,
        line_kbit_s: number("line_kbit_s")?,
        v6: value("v6")? == "true",
    };
    if !(0.05..=1000.0).contains(&packet.every_ms) {
        return Err(wrong(path, "packets come from every 0.05 to every 1000 ms"));
    }
    let counts = match value("counts")? {
        "yes" => Some(true),
        "no" => Some(false),
        _ => None,
    };
    let mut exchange = Exchange { strays: number("strays")? as u64, counts, ..Exchange::default() };
    let rest = bytes.get(end + 1..).unwrap_or_default();
    let mut csv = csv::ReaderBuilder::new().flexible(true).from_reader(rest);
    let mut row = csv::ByteRecord::new();
    let mut line = 2;
    while csv
        .read_byte_record(&mut row)
        .map_err(|_| wrong(path, format!("line {} cannot be read", line + 1)))?
    {
        line += 1;
        let figure = |k: usize| row.get(k).and_then(whole);
        let missing = || wrong(path, format!("line {line} has no whole figure where one has to be"));
        let (number, sent) = (figure(0).ok_or_else(missing)?, figure(1).ok_or_else(missing)?);
        if number != exchange.sent.len() as i64 {
            return Err(wrong(
                path,
                format!("line {line} is not packet {}: they go up by one", exchange.sent.len()),
            ));
        }
        exchange.sent.push(sent);
        if row.get(4).is_some_and(|back| !back.is_empty()) {
            let all = (figure(2), figure(3), figure(4), figure(5));
            let (Some(there), Some(left), Some(back), Some(counted)) = all else { return Err(missing()) };
            exchange.answers.push(EchoedPacket {
                number: number as u64,
                counted: counted as u32,
                there,
                left,
                back,
            });
        }
    }
    if exchange.sent.windows(2).any(|w| w[1] < w[0]) {
        return Err(wrong(path, "its packets are not in the order in which they were sent"));
    }
    exchange.answers.sort_by_key(|a| a.back);
    let host = value("host").unwrap_or_default().to_string();
    Ok((exchange, packet, host))
}

/// A whole number in a cell, if it is one that a clock can show.
fn whole(cell: &[u8]) -> Option<i64> {
    let (digits, minus) = match cell.strip_prefix(b"-") {
        Some(rest) => (rest, true),
        None => (cell, false),
    };
    if digits.is_empty() || digits.len() > 19 {
        return None;
    }
    let mut n = 0i64;
    for d in digits {
        n = n.checked_mul(10)?.checked_add(i64::from(d.checked_sub(b'0').filter(|d| *d < 10)?))?;
    }
    // Far enough from the edge that differences are figures still.
    Some(if minus { -n } else { n }).filter(|n| n.unsigned_abs() < 4_000_000_000_000_000_000)
}
