//! Real captures with what is known to be true of each, and traces that are hurt in every way: nothing is fatal but not being a
//! trace at all.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::path::{Path, PathBuf};
use swiftloop_files::trace::{TraceReading, read_trace, trace_from};
use swiftloop_measure::trace::{BlockStage, HolderKind, TraceQuery, TraceSpan};

fn file(name: &str) -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/traces").join(name)
}

fn question() -> TraceQuery {
    TraceQuery { period: Some(TraceSpan::from_us(1333.333)), ..TraceQuery::default() }
}

fn text(name: &str) -> String {
    std::fs::read_to_string(file(&format!("{name}.trace.txt"))).expect("a capture")
}

fn read(text: &str) -> TraceReading {
    trace_from(text.as_bytes(), Path::new("made.txt"), &question()).expect("a trace")
}

const CAPTURES: [(&str, &str, &str); 5] = [
    ("fifo", "priority", "sl-thief-fifo"),
    ("kern", "kernel-not-preemptible", "sl-thief-kern"),
    ("net", "softirq-net", "NET_RX"),
    ("throttle", "rt-throttle", "the limit for sl-victim"),
    ("timers", "hard-interrupt", "local_timer: timerfd_tmrproc"),
];

/// `due->irq 2 irq->expire 1 expire->waking 1 waking->wakeup 2 wakeup->in 1518 in->user 10`: how long each step really took.
fn truth(name: &str) -> [f64; 5] {
    let text = std::fs::read_to_string(file(&format!("{name}.truth.toml"))).expect("what is true");
    let line = text.lines().find(|l| l.starts_with("stages_us")).expect("the steps");
    let of = |key: &str| {
        let after = line.split(key).nth(1).expect("a step");
        after.split_whitespace().next().and_then(|n| n.parse::<f64>().ok()).expect("a time")
    };
    [
        of("due->irq "),
        of("irq->expire "),
        of("expire->waking ") + of("waking->wakeup "),
        of("wakeup->in "),
        of("in->user "),
    ]
}

#[test]
fn each_thief_is_named_and_each_step_is_as_long_as_it_was() {
    for (name, kind, thief) in CAPTURES {
        let read = read_trace(&file(&format!("{name}.trace.txt")), &question()).expect("a trace");
        assert_eq!((read.told.late.len(), read.unread), (1, 0), "{name} {:?}", read.first_unread);
        assert!(read.unknown.is_empty(), "{name} {:?}", read.unknown);
        let block = &read.told.late[0];
        assert_eq!((block.thief.kind.word(), block.thief.name.as_str()), (kind, thief), "{name}");
        for ((step, span), us) in BlockStage::ALL.into_iter().zip(block.way.stages()).zip(truth(name)) {
            let took = span.expect("seen").us();
            assert!((took - us).abs() < 5.0, "{name} {step:?}: {took} is {us}");
        }
        let all: i64 = block.holders.iter().map(|h| h.took.0).sum();
        assert_eq!(all, block.took.0, "{name}");
        assert_eq!(read.told.ranking.all[0].cured, 1, "{name}");
    }
}

/// The thief does not change with the columns that somebody chose, nor with where the file was cut, nor with the order of
/// the cores.
#[test]
fn the_same_capture_in_other_clothes_says_the_same() {
    for (name, kind, thief) in CAPTURES {
        let text = text(name);
        let events = || text.lines().filter(|l| !l.starts_with('#'));
        let columns = |line: &str| {
            let at = line.find(": ").map_or(0, |c| line[..c].rfind("  ").unwrap_or(0));
            let bracket = line.find("] ").unwrap_or(0) + 1;
            (line[..bracket].to_string(), line[at..].trim_start().to_string())
        };
        let without_flags: String = events()
            .map(|l| {
                let (task, rest) = columns(l);
                format!("{task} {rest}\n")
            })
            .collect();
        let with_commas: String = events()
            .map(|l| {
                let at = l.find(": ").unwrap_or(0);
                let (time, rest) = l.split_at(at);
                let point = time.rfind('.').unwrap_or(0);
                format!("{},{}{rest}\n", &time[..point], &time[point + 1..])
            })
            .collect();
        let with_groups = text.replace(" [00", " (    812) [00");
        let by_core: String = ["[000]", "[001]"]
            .iter()
            .flat_map(|core| events().filter(move |l| l.contains(core)).map(|l| format!("{l}\n")))
            .collect();
        let with_returns = text.replace('\n', "\r\n");
        let cut = format!("{}{}", &text[text.len() / 7 + 3..], "  sl-victim-8");
        for (how, text) in [
            ("without flags", &without_flags),
            ("commas", &with_commas),
            ("groups", &with_groups),
            ("core after core", &by_core),
            ("carriage returns", &with_returns),
            ("cut", &cut),
        ] {
            let read = read(text);
            // Without flags only a change of threads shows a limit, which this capture has.
            let block = read.told.late.first().unwrap_or_else(|| panic!("{name} {how}: nothing late"));
            assert_eq!((block.thief.kind.word(), block.thief.name.as_str()), (kind, thief), "{name} {how}");
        }
    }
}

#[test]
fn names_may_hold_anything() {
    let text =
        text("fifo").replace("sl-thief-fifo", "a [001] pid=7 x").replace("sl-victim", "next_pid=3 ==> (1)");
    let read = read(&text);
    let block = &read.told.late[0];
    assert_eq!((block.thief.kind, block.thief.name.as_str()), (HolderKind::Priority, "a [001] pid=7 x"));
    assert_eq!(read.names.get(block.thread.name), "next_pid=3 ==> (1)");
}

#[test]
fn what_is_missing_is_said_and_nothing_is_fatal() {
    let whole = text("kern");
    // Events lost in the stretch of the late block.
    let at = whole.rfind("\n   sl-thief-kern").expect("its last lines");
    let lost = read(&format!("{}\nCPU:1 [LOST 345 EVENTS]{}", &whole[..at], &whole[at..]));
    assert_eq!(
        (lost.told.lost, lost.told.late[0].thief.kind, lost.told.late[0].lost),
        (345, HolderKind::Unknown, true)
    );
    // A mark of another clock.
    let other =
        read(&whole.replace("due=1569433507264 woke=1569433957266", "due=99000000000 woke=99000450002"));
    assert_eq!((other.told.apart, other.told.late.len()), (1, 0));
    // Without our marks: the threads to choose from.
    let unmarked: String =
        whole.lines().filter(|l| !l.contains("tracing_mark")).map(|l| format!("{l}\n")).collect();
    let blind = read(&unmarked);
    assert_eq!(blind.told.late_count, 0);
    assert!(blind.told.candidates.iter().any(|c| blind.names.get(c.0.name) == "sl-victim"));
    let named = TraceQuery { thread: Some("sl-victim".into()), ..question() };
    let followed = trace_from(unmarked.as_bytes(), Path::new("made.txt"), &named).expect("a trace");
    assert!(followed.told.blocks > 5, "{}", followed.told.blocks);
    let late = followed.told.late.last().expect("the late one");
    assert_eq!(late.thief.name, "sl-thief-kern");
    // Lines and events that nobody knows, and lines that are cut.
    let strange = format!(
        "{whole}\nwhat is this\n   x-1   [000] d..2.  1569.44: a_new_event: y=1\n   x-1   [000] d..2.  1569.45: sched_switch: prev_comm=\n"
    );
    let strange = read(&strange);
    assert_eq!((strange.unread, strange.unknown.get("a_new_event")), (2, Some(&1)));
    assert_eq!(strange.told.late.len(), 1);
    // The clock goes back: both pieces count, nothing across.
    let twice = read(&format!("{}{}", text("net"), text("fifo")));
    assert_eq!((twice.told.clock_jumps, twice.told.late.len()), (1, 2));
    let thieves: Vec<&str> = twice.told.late.iter().map(|b| b.thief.name.as_str()).collect();
    assert_eq!(thieves, ["NET_RX", "sl-thief-fifo"]);
}

#[test]
fn what_is_no_trace_is_refused_with_what_to_do() {
    for (what, bytes) in [
        ("empty", &b""[..]),
        ("binary", b"\x17\x08Dtracing\0\0"),
        ("letter", b"Dear Ada,\nthe take crackles.\n"),
        ("table without core", b"kind,start_us,name\nrunning,1,x\n"),
    ] {
        let refused = trace_from(bytes, Path::new("made.txt"), &question()).expect_err(what);
        assert!(format!("{refused:?}").contains("trace-table.md"), "{what}: {refused:?}");
    }
}

const TABLE: &str = "time_us,core,kind,name,start_us,length_us,priority\n\
    ,0,running,browser,0,9100,8\n\
    ,0,ready,mixer,5010,,\n\
    ,0,interrupt,clock.sys,5000,20,\n\
    ,0,deferred,wlan.sys,5030,3900,\n\
    ,0,running,mixer,9100,400,26\n\
    9600,0,late,mixer,5000,4100,\n\
    ,0,coffee,x,1,1,\n\
    ,zero,running,x,1,1,\n";

#[test]
fn a_plain_table_from_any_system_is_read_as_well() {
    for table in
        [TABLE.to_string(), TABLE.replace(',', ";").replace("5010", "5010,0"), TABLE.replace(',', "\t")]
    {
        let read = read(&table);
        let block = &read.told.late[0];
        assert_eq!((block.late().us(), read.names.get(block.thread.name)), (4100.0, "mixer"), "{table}");
        assert_eq!((block.thief.kind, block.thief.name.as_str()), (HolderKind::Softirq, "wlan.sys"));
        assert_eq!(block.holders.iter().map(|h| h.took.0).sum::<i64>(), 4_100_000);
        assert_eq!((read.unread, read.unknown.get("coffee")), (1, Some(&1)));
    }
    // Rows in any order.
    let mut rows: Vec<&str> = TABLE.lines().collect();
    rows[1..].reverse();
    assert_eq!(read(&rows.join("\n")).told.late[0].thief.name, "wlan.sys");
}

#[test]
fn as_many_threads_as_there_can_be_need_no_more_memory_than_some() {
    use std::fmt::Write;
    let mut text = String::new();
    for n in 0..400_000u32 {
        let (whole, part) = (n / 1_000_000, n % 1_000_000);
        let _ = writeln!(
            text,
            "  thread {n}-{n}  [000] d..2. {whole}.{part:06}: sched_switch: prev_comm=thread {n} prev_pid={n} prev_prio=120 \
             prev_state=S ==> next_comm=thread {0} next_pid={0} next_prio=120",
            n + 1
        );
    }
    text.push_str(&self::text("fifo"));
    let read = read(&text);
    assert_eq!((read.unread, read.told.late.len()), (0, 1));
    // More names than are kept: the thief is told as one of them.
    assert_eq!(read.told.late[0].thief.kind, HolderKind::Priority);
}

proptest::proptest! {
    #[test]
    fn no_bytes_make_it_fall(mut hurt in proptest::collection::vec((0usize..56_000, 0u8..255), 0..200)) {
        let mut bytes = text("kern").into_bytes();
        hurt.retain(|h| h.0 < bytes.len() && h.1 != 0);
        for (at, byte) in hurt {
            bytes[at] = byte;
        }
        let _ = trace_from(&bytes[..], Path::new("made.txt"), &question());
    }
}
