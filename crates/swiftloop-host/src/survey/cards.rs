//! Sound cards, from `/proc/asound`: what they are, what they offer, how they are open, where they hang.

use super::tree::Tree;
use super::usb;
use std::collections::BTreeSet;
use swiftloop_core::survey::{Card, CardStream, Irq, MOST_CARDS, Open};
use swiftloop_units::Hz;

/// Rates that a card offers when it names only a range.
const USUAL_HZ: [u32; 8] = [22_050, 32_000, 44_100, 48_000, 88_200, 96_000, 176_400, 192_000];

pub(super) fn cards(tree: &Tree) -> Vec<Card> {
    let Some(list) = tree.text("proc/asound/cards") else { return Vec::new() };
    let lines: Vec<&str> = list.lines().collect();
    let found = lines.iter().enumerate().filter_map(|(i, line)| card(tree, line, lines.get(i + 1).copied()));
    // One more than is looked at tells that there are more.
    found.take(MOST_CARDS + 1).collect()
}

/// ` 0 [PCH            ]: HDA-Intel - built-in` and a line of details.
fn card(tree: &Tree, line: &str, below: Option<&str>) -> Option<Card> {
    let (index, rest) = line.trim_start().split_once('[')?;
    let index: u32 = index.trim().parse().ok()?;
    let (id, rest) = rest.split_once("]:")?;
    let (driver, name) = rest.split_once(" - ").unwrap_or((rest, ""));
    let (id, driver) = (id.trim().to_string(), driver.trim().to_string());
    let usb = usb::of_card(tree, index);
    let connection = match &usb {
        Some(u) if u.speed_mbit_s >= 5000.0 => "usb3",
        Some(u) if u.speed_mbit_s >= 480.0 => "usb2",
        Some(_) => "usb1",
        None if driver.starts_with("HDA") || driver.starts_with("sof") => "built-in",
        None => "pcie",
    };
    let line = below.and_then(|l| l.rsplit_once(" irq ")).map(|l| l.1.trim().to_string());
    Some(Card {
        index,
        name: name.trim().to_string(),
        connection: connection.into(),
        streams: streams(tree, index),
        irq: line.map(|line| irq(tree, line, &driver)),
        clock: clock(tree, index),
        usb,
        driver,
        id,
    })
}

fn irq(tree: &Tree, line: String, driver: &str) -> Irq {
    let cores = tree.first_word(&format!("proc/irq/{line}/smp_affinity_list"));
    Irq { shared_with: shares(tree, &line, driver), cores, line }
}

/// Where its clock comes from: some drivers tell it in a line of one of their files, `Clock Source: Word`.
fn clock(tree: &Tree, index: u32) -> Option<String> {
    let folder = format!("proc/asound/card{index}");
    let told = |text: &str| {
        text.lines().find_map(|line| {
            let (key, value) = line.split_once(':')?;
            let key = key.trim().to_lowercase();
            let is = key.ends_with("clock source") || key.ends_with("clock mode") || key == "sync source";
            (is && !value.trim().is_empty()).then(|| value.trim().to_string())
        })
    };
    tree.files(&folder).into_iter().find_map(|name| told(&tree.text(&format!("{folder}/{name}"))?))
}

/// Others on an interrupt line: `16:  1  2  IO-APIC  16-fasteoi  i801_smbus, snd_hda_intel:card0`.
fn shares(tree: &Tree, line: &str, driver: &str) -> Vec<String> {
    let Some(text) = tree.text("proc/interrupts") else { return Vec::new() };
    let wanted = format!("{line}:");
    let Some(row) = text.lines().find(|l| l.trim_start().starts_with(&wanted)) else { return Vec::new() };
    let Some((before, rest)) = row.split_once(',') else { return Vec::new() };
    let first = before.split_whitespace().last().unwrap_or("");
    let own = |name: &str| name.starts_with("snd") || name.eq_ignore_ascii_case(driver);
    std::iter::once(first)
        .chain(rest.split(',').map(str::trim))
        .filter(|n| !own(n))
        .map(String::from)
        .collect()
}

fn streams(tree: &Tree, index: u32) -> Vec<CardStream> {
    let folder = format!("proc/asound/card{index}");
    let told = offers(tree, &folder);
    let pcms = tree.names(&folder).into_iter().filter_map(|n| {
        let rest = n.strip_prefix("pcm")?;
        let capture = rest.ends_with('c');
        let device: u32 = rest.trim_end_matches(['c', 'p']).parse().ok()?;
        Some((device, capture, n))
    });
    let mut pcms: Vec<_> = pcms.collect();
    // Playback first, as the system itself counts.
    pcms.sort_by_key(|p| (p.1, p.0));
    pcms.into_iter()
        .map(|(device, capture, pcm)| {
            let open = tree.text(&format!("{folder}/{pcm}/sub0/hw_params")).and_then(|t| open(&t));
            let mut stream = CardStream { device, capture, open, ..CardStream::default() };
            if let Some(told) = told.iter().find(|t| t.capture == capture) {
                stream.rates_hz.clone_from(&told.rates_hz);
                stream.formats.clone_from(&told.formats);
                stream.channels = told.channels;
            }
            if let Some(open) = &stream.open {
                // What it does, it can.
                stream.channels = stream.channels.max(open.channels);
                if !stream.rates_hz.contains(&open.rate_hz) {
                    stream.rates_hz.push(open.rate_hz);
                    stream.rates_hz.sort_unstable();
                }
            }
            stream
        })
        .collect()
}

/// `closed`, or lines of `key: value`.
fn open(text: &str) -> Option<Open> {
    let value = |key: &str| {
        text.lines().find_map(|l| l.strip_prefix(key)?.trim_start_matches(':').split_whitespace().next())
    };
    let number = |key: &str| value(key)?.parse::<u32>().ok();
    Some(Open {
        rate_hz: value("rate")?.parse().ok()?,
        period_frames: number("period_size")?,
        buffer_frames: number("buffer_size")?,
        channels: number("channels")?,
        sample_format: value("format")?.to_string(),
    })
}

/// What a card says it offers: `stream0` of USB cards, `codec#0` of built-in ones.
fn offers(tree: &Tree, folder: &str) -> Vec<CardStream> {
    if let Some(text) = tree.text(&format!("{folder}/stream0")) {
        return usb_offers(&text);
    }
    let codecs = tree.names(folder).into_iter().filter(|n| n.starts_with("codec#"));
    let text: String = codecs.filter_map(|n| tree.text(&format!("{folder}/{n}"))).collect();
    let mut rates = BTreeSet::new();
    for line in text.lines().filter(|l| l.trim_start().starts_with("rates [")) {
        let list = line.split_once("]:").map_or("", |l| l.1);
        rates.extend(list.split_whitespace().filter_map(|r| r.parse::<Hz>().ok()));
    }
    let rates_hz: Vec<Hz> = rates.into_iter().collect();
    if rates_hz.is_empty() {
        return Vec::new();
    }
    let of =
        |capture| CardStream { capture, rates_hz: rates_hz.clone(), channels: 2, ..CardStream::default() };
    vec![of(false), of(true)]
}

/// Sections `Playback:` and `Capture:`, in each alternatives with `Format:`, `Channels:`, `Rates:`.
fn usb_offers(text: &str) -> Vec<CardStream> {
    let mut all: Vec<CardStream> = Vec::new();
    let mut rates: Vec<BTreeSet<Hz>> = Vec::new();
    for line in text.lines() {
        match line.trim() {
            way @ ("Playback:" | "Capture:") => {
                all.push(CardStream { capture: way == "Capture:", ..CardStream::default() });
                rates.push(BTreeSet::new());
            }
            line => {
                let (Some(stream), Some(rates)) = (all.last_mut(), rates.last_mut()) else { continue };
                let Some((key, value)) = line.split_once(": ") else { continue };
                match key {
                    "Format" if !stream.formats.iter().any(|f| f == value) => {
                        stream.formats.push(value.into())
                    }
                    "Channels" => stream.channels = stream.channels.max(value.parse().unwrap_or(0)),
                    "Rates" => rates.extend(rates_of(value)),
                    _ => {}
                }
            }
        }
    }
    for (stream, rates) in all.iter_mut().zip(rates) {
        stream.rates_hz = rates.into_iter().collect();
    }
    all
}

/// `44100, 48000, 96000`, or `8000 - 48000 (continuous)`.
fn rates_of(value: &str) -> Vec<Hz> {
    let listed: Vec<Hz> = value.split(',').filter_map(|r| r.trim().parse().ok()).collect();
    let Some((from, to)) = value.split_once(" - ") else { return listed };
    let number = |text: &str| text.split_whitespace().next().and_then(|t| t.parse::<u32>().ok());
    match (number(from), number(to)) {
        (Some(from), Some(to)) => {
            USUAL_HZ.into_iter().filter(|r| (from..=to).contains(r)).map(Hz::new).collect()
        }
        _ => listed,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rates_come_as_a_list_or_as_a_range() {
        let of = |text: &str| rates_of(text).iter().map(|r| r.get()).collect::<Vec<_>>();
        assert_eq!(of("44100, 48000, 96000"), [44_100, 48_000, 96_000]);
        assert_eq!(of("8000 - 48000 (continuous)"), [22_050, 32_000, 44_100, 48_000]);
        assert_eq!(of("fast"), Vec::<u32>::new());
        assert_eq!(of("0, 48000, 4294967296"), [48_000]);
    }

    #[test]
    fn an_open_stream_tells_all_or_nothing() {
        let text = "access: MMAP_INTERLEAVED\nformat: S32_LE\nchannels: 8\nrate: 96000 (96000/1)\nperiod_size: 32\nbuffer_size: 96\n";
        let found = open(text).unwrap();
        assert_eq!((found.rate_hz, found.period_frames, found.buffer_frames), (Hz::new(96_000), 32, 96));
        assert_eq!((found.channels, found.sample_format.as_str()), (8, "S32_LE"));
        assert_eq!(open("closed\n"), None);
        assert_eq!(open(&text.replace("rate: 96000", "rate: quick")), None);
    }

    #[test]
    fn alternatives_of_one_direction_are_joined() {
        let text = "box\n\nPlayback:\n  Altset 1\n    Format: S16_LE\n    Channels: 2\n    Rates: 44100\n  Altset 2\n    Format: S24_3LE\n    \
                    Channels: 4\n    Rates: 48000, 96000\nCapture:\n    Format: S16_LE\n    Channels: 1\n    Rates: 48000\n";
        let all = usb_offers(text);
        assert_eq!(all.len(), 2);
        assert_eq!((all[0].capture, all[0].channels, all[0].formats.len()), (false, 4, 2));
        assert_eq!(all[0].rates_hz, [Hz::new(44_100), Hz::new(48_000), Hz::new(96_000)]);
        assert_eq!((all[1].capture, all[1].channels), (true, 1));
    }
}
