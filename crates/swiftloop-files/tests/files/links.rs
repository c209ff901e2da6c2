//! Measured ways as files: what is written is read again, and says the same.

use proptest::prelude::*;
use std::path::Path;
use swiftloop_files::{packets_text, read_link};
use swiftloop_measure::link::analyse::{LineMeasurement, analyse};
use swiftloop_measure::link::exchange::{EchoedPacket, Exchange};
use swiftloop_measure::link::measured::{Carried, Measured, Own};

const PACKET: Carried = Carried { every_ms: 2.5, bytes: 492, line_kbit_s: 1500.0, v6: false };

fn exchange(late: &[(u32, u32, bool)], counts: Option<bool>) -> Exchange {
    let mut made = Exchange { counts, strays: 3, ..Exchange::default() };
    for (k, (forth, back, lost)) in late.iter().enumerate() {
        let sent = k as i64 * 2_500_000 + 77;
        made.sent.push(sent);
        if !lost {
            let there = sent + 1_700_000_000_000_000_000 + i64::from(*forth);
            let back = sent + i64::from(*forth) + 50_000 + i64::from(*back);
            let counted = made.answers.len() as u32;
            made.answers.push(EchoedPacket { number: k as u64, counted, there, left: there + 50_000, back });
        }
    }
    made.answers.sort_by_key(|a| a.back);
    made
}

fn written(dir: &Path, content: &str) -> std::path::PathBuf {
    let path = dir.join("way");
    std::fs::write(&path, content).unwrap();
    path
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]
    #[test]
    fn a_table_of_packets_says_the_same_as_the_measurement(
        late in prop::collection::vec((5_000_000u32..9_000_000, 5_000_000u32..9_000_000, any::<bool>()), 1..300),
        counts in prop::option::of(any::<bool>()),
    ) {
        let made = exchange(&late, counts);
        let asked = LineMeasurement { packet: PACKET, allowed_per_hour: 12.0, load_kbit_s: 0.0 };
        let said = Measured { host: "loft".into(), ..analyse(&made, asked, Own::default()) };
        let dir = tempfile::tempdir().unwrap();
        let table = written(dir.path(), &packets_text(&made, &PACKET, "lo ft\n"));
        prop_assert_eq!(&read_link(&table, Some(12.0)).unwrap(), &said);
        let kept = written(dir.path(), &serde_json::to_string(&said).unwrap());
        let again = read_link(&kept, None).unwrap();
        prop_assert_eq!(again.received, said.received);
        prop_assert_eq!(again.receive_buffer.len(), said.receive_buffer.len());
        prop_assert!(again.fault().is_none());
    }

    #[test]
    fn whatever_a_file_holds_reading_it_ends_in_an_answer_or_a_refusal(content in prop::collection::vec(any::<u8>(), 0..400), head in 0usize..3) {
        let dir = tempfile::tempdir().unwrap();
        let path = dir.path().join("way");
        let lead: &[u8] = match head {
            0 => b"",
            1 => b"# swiftloop.link-packets/1 every_ms=2.5 bytes=9 line_kbit_s=9 v6=false counts=no strays=0 host=x\np,s,t,l,b,c\n",
            _ => br#"{"format":"swiftloop.link-measure/1","#,
        };
        std::fs::write(&path, [lead, &content].concat()).unwrap();
        let _ = read_link(&path, None);
    }
}

#[test]
fn times_of_clocks_that_no_clock_shows_are_refused() {
    let dir = tempfile::tempdir().unwrap();
    let head = "# swiftloop.link-packets/1 every_ms=2.5 bytes=9 line_kbit_s=9 v6=false counts=no strays=0 host=x\np,s,t,l,b,c\n";
    for (row, good) in [
        ("0,5,9,9,9,0", true),
        ("0,-5,-9,-9,9,0", true),
        ("0,5,,,,", true),
        ("0,5,4000000000000000000,9,9,0", false),
        ("0,5,9223372036854775808,9,9,0", false),
        ("0,5,1e9,9,9,0", false),
        ("1,5,9,9,9,0", false),
        ("0,+5,9,9,9,0", false),
    ] {
        let path = written(dir.path(), &format!("{head}{row}\n"));
        assert_eq!(read_link(&path, None).is_ok(), good, "{row}");
    }
    assert!(read_link(dir.path(), None).is_err() && read_link(&dir.path().join("nowhere"), None).is_err());
}
