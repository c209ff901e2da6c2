//! Each thing that may have to be said of a way is said, once, and not where it is not so.

use super::*;
use crate::shared::page::paint;
use std::path::PathBuf;
use swiftloop_files::read_link;
use swiftloop_measure::link::measured::{FigureRange, TimeSpread, TrafficEffect};
use swiftloop_units::PerHour;

/// The demo's way.
fn way() -> Measured {
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/demo/loft-link.json");
    read_link(&PathBuf::from(path), None).expect("the demo's own file")
}

fn said(m: &Measured, question: Option<&BufferQuestion>, detail: Detail) -> String {
    let measuring = Measuring { measured: m, question, saved: Some(Path::new("link.json")), seconds: 60.0 };
    let painted = paint(&show(&measuring, detail));
    // Without colours.
    let mut parts = painted.split("\u{1b}[");
    let first = parts.next().unwrap_or_default().to_string();
    let plain = parts.fold(first, |text, part| text + part.split_once('m').map_or("", |p| p.1));
    plain.split_whitespace().collect::<Vec<_>>().join(" ")
}

fn plainly(m: &Measured) -> String {
    said(m, None, Detail::Screen)
}

#[test]
fn the_answer_comes_first_and_the_next_step_can_be_pasted() {
    let text = plainly(&way());
    assert!(
        text.starts_with("Hold what arrives for 7.5 ms: then 1.4 packets an hour come too late or never"),
        "{text}"
    );
    assert!(text.contains("swiftloop link plan link.json") && text.contains("this one"), "{text}");
    assert!(text.contains("6.5 ppm faster") && text.contains("carried"), "{text}");
    for not in
        ["broken off", "was set", "slept", "does not carry", "cut into pieces", "does not count", "overtaken"]
    {
        assert!(!text.contains(not), "{not}: {text}");
    }
    let full = said(&way(), None, Detail::Full);
    assert!(full.contains("As time went by") && full.len() > 2 * text.len());
}

#[test]
fn whatever_spoils_a_measurement_is_told() {
    let some = TimeSpread { floor: 0.0, p50: 1.0, p90: 2.0, p99: 9.0, p999: 30.0, max: 80.0 };
    let lost = FigureRange { low: 0.001, typical: 0.01, high: 0.02 };
    let cases: [(Measured, &str); 9] = [
        (Measured { interrupted: true, ..way() }, "It was broken off after"),
        (Measured { clock_steps: 2, ..way() }, "A clock was set 2 times meanwhile"),
        (Measured { pauses: 1, ..way() }, "This computer slept once meanwhile"),
        (
            Measured { carries_it: false, ..way() },
            "The line does not carry it: 1.8 Mbit/s each way are too much",
        ),
        (
            Measured { cut_at_bytes: Some(500), ..way() },
            "Packets of 552 bytes are cut into pieces on this way, which carries 500",
        ),
        (
            Measured { received: 60_000, loss_by_way: None, ..way() },
            "nobody knows on which way packets were lost",
        ),
        (Measured { reordered: 4, ..way() }, "4 overtaken, 0 twice, 0 that were no answers"),
        (
            Measured { recommended_is_sure: false, ..way() },
            "the buffer is to be expected, not sure. Measure for longer: --seconds 300",
        ),
        (
            Measured {
                with_load: Some(TrafficEffect {
                    kbit_s: 4000.0,
                    quiet_ms: TimeSpread::default(),
                    loaded_ms: some,
                    loss: lost,
                }),
                ..way()
            },
            "with 4.0 Mbit/s beside, 999 of 1000 packets are up to 30 ms late",
        ),
    ];
    for (m, words) in cases {
        let text = plainly(&m);
        assert!(text.contains(words), "{words}: {text}");
    }
    assert!(
        plainly(&Measured { received: 0, ..way() }).starts_with("Nothing came back from loft.example:8620.")
    );
}

#[test]
fn where_no_buffer_is_long_enough_spare_packets_are_proposed_or_ruled_out() {
    let lossy = |twice: f64| {
        let mut m = Measured {
            recommended_ms: None,
            loss: FigureRange { low: 0.002, typical: 0.003, high: 0.004 },
            ..way()
        };
        for row in &mut m.receive_buffer {
            for side in [&mut row.forth, &mut row.back] {
                (side.none.typical, side.none.at_most) = (4000.0, 5000.0);
                (side.twice.typical, side.twice.at_most) = (twice, twice);
                (side.parity.typical, side.parity.at_most) = (90.0, 100.0);
            }
        }
        m
    };
    let mended = plainly(&lossy(3.0));
    assert!(
        mended.starts_with("No receive buffer is long enough: 0.30 % of all packets are lost"),
        "{mended}"
    );
    assert!(mended.contains("Send spare packets: with each packet twice"), "{mended}");
    assert!(plainly(&lossy(50.0)).contains("Spare packets do not help either"));
}

#[test]
fn a_question_about_one_buffer_is_answered_yes_no_or_not_yet() {
    let question = soak::SoakTest { allowed: PerHour::new(12.0), error: 0.05 };
    let asked =
        |late, decision| BufferQuestion { buffer: 6.0, late, time: Seconds::new(90.0), decision, question };
    for (late, decision, words) in [
        (0, Decision::Holds, "Yes: 6.0 ms is long enough (0 late or lost in 90 s; you allow 12 an hour)."),
        (9, Decision::Breaks, "No: 6.0 ms is too short (9 late or lost in 90 s"),
        (0, Decision::Open, "It cannot be told yet whether 6.0 ms is long enough"),
    ] {
        let text = said(&way(), Some(&asked(late, decision)), Detail::Screen);
        assert!(text.starts_with(words), "{text}");
    }
    let open = said(&way(), Some(&asked(0, Decision::Open)), Detail::Screen);
    assert!(open.contains("in all would do: --seconds"), "{open}");
}
