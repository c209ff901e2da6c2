//! A plain table of events, from any system: `time_us, core, kind, name, start_us, length_us`, and `priority` where it is
//! known. docs/trace-table.md describes it. Rows come in any order; each becomes the events it stands for.

use super::{Pipe, TraceReading};
use crate::error::FileError;
use std::collections::HashMap;
use std::io::Read;
use std::path::Path;
use swiftloop_measure::trace::{
    Activity, Core, Instant, LateMark, Left, Mark, Names, Pid, Priority, Resched, Thread, TraceEvent, What,
};

/// TableColumns that a table has to have.
const NEEDED: [&str; 4] = ["core", "kind", "name", "start_us"];

/// Whether a file begins like a table.
pub(super) fn is_table(beginning: &[u8]) -> bool {
    let first = beginning.split(|b| *b == b'\n').next().unwrap_or_default();
    let first = String::from_utf8_lossy(first).to_lowercase();
    let columns: Vec<&str> = cells(&first, delimiter(&first)).collect();
    columns.contains(&"kind") && (columns.contains(&"core") || columns.contains(&"start_us"))
}

fn delimiter(header: &str) -> char {
    [';', '\t'].into_iter().find(|d| header.contains(*d)).unwrap_or(',')
}

fn cells(header: &str, delimiter: char) -> impl Iterator<Item = &str> {
    header.trim_start_matches('\u{feff}').split(delimiter).map(|c| c.trim().trim_matches('"'))
}

/// Where each column is.
struct TableColumns {
    time: Option<usize>,
    core: usize,
    kind: usize,
    name: usize,
    start: usize,
    length: Option<usize>,
    priority: Option<usize>,
}

pub(super) fn read(
    input: impl Read,
    path: &Path,
    reading: &mut TraceReading,
    pipe: &mut Pipe,
) -> Result<(), FileError> {
    let mut input = std::io::BufReader::new(input);
    let beginning = std::io::BufRead::fill_buf(&mut input).map_err(|e| FileError::unreadable(path, &e))?;
    let first = beginning.split(|b| *b == b'\n').next().unwrap_or_default();
    let delimiter = delimiter(&String::from_utf8_lossy(first)) as u8;
    let mut csv =
        csv::ReaderBuilder::new().flexible(true).delimiter(delimiter).trim(csv::Trim::All).from_reader(input);
    let header: Vec<String> = match csv.byte_headers() {
        Ok(h) => h
            .iter()
            .map(|c| String::from_utf8_lossy(c).trim_start_matches('\u{feff}').to_lowercase())
            .collect(),
        Err(e) => return Err(wrong(path, &e.to_string())),
    };
    let at = |name: &str| header.iter().position(|h| h == name);
    if let Some(missing) = NEEDED.iter().find(|n| at(n).is_none()) {
        return Err(wrong(path, &format!("the table has no column `{missing}`")));
    }
    let place = |name: &str| at(name).unwrap_or_default();
    let columns = TableColumns {
        time: at("time_us"),
        core: place("core"),
        kind: place("kind"),
        name: place("name"),
        start: place("start_us"),
        length: at("length_us"),
        priority: at("priority"),
    };
    pipe.order.any_order = true;
    let mut row = csv::ByteRecord::new();
    let mut running = RunningThreads::default();
    loop {
        reading.lines += 1;
        match csv.read_byte_record(&mut row) {
            Ok(false) => break,
            Ok(true) => {}
            Err(e) => {
                if matches!(e.kind(), csv::ErrorKind::Io(_)) {
                    return Err(wrong(path, &e.to_string()));
                }
                reading.unread(b"");
                continue;
            }
        }
        match events(&row, &columns, reading) {
            Some(events) => {
                let names = &reading.names;
                for event in events {
                    pipe.order.push(event, &mut |e| running.pass(e, |e| pipe.follower.event(e, names)));
                }
            }
            None => {
                let text = row.iter().map(String::from_utf8_lossy).collect::<Vec<_>>().join(",");
                reading.unread(text.as_bytes());
            }
        }
    }
    let names = &reading.names;
    pipe.order.end(&mut |e| running.pass(e, |e| pipe.follower.event(e, names)));
    reading.lines = reading.lines.saturating_sub(1);
    Ok(())
}

fn wrong(path: &Path, why: &str) -> FileError {
    FileError::Unreadable {
        path: path.to_path_buf(),
        why: why.to_string(),
        help: "docs/trace-table.md describes the columns: time_us,core,kind,name,start_us,length_us".into(),
    }
}

/// Who runs on each core: a row does not know.
#[derive(Default)]
struct RunningThreads(HashMap<Core, Thread>);

impl RunningThreads {
    fn pass(&mut self, mut event: TraceEvent, to: impl FnOnce(TraceEvent)) {
        let now = self.0.entry(event.core).or_default();
        if let What::Switch { to: next, .. } = &event.what {
            // The end of a stretch counts only while it is the present one.
            let ends = next.pid == Pid::IDLE;
            if ends && now.pid != event.thread.pid {
                return;
            }
            event.thread = *now;
            *now = *next;
        } else if !matches!(event.what, What::Mark(_)) {
            event.thread = *now;
        }
        to(event);
    }
}

/// The events that a row stands for.
fn events(
    row: &csv::ByteRecord,
    columns: &TableColumns,
    reading: &mut TraceReading,
) -> Option<Vec<TraceEvent>> {
    let cell = |at: usize| row.get(at).and_then(|c| std::str::from_utf8(c).ok());
    let nanos = |at: Option<usize>| -> Option<i64> {
        let us: f64 = cell(at?)?.replace(',', ".").parse().ok()?;
        (us.is_finite() && us.abs() < 9e12).then_some((us * 1e3).round() as i64)
    };
    let core = Core(cell(columns.core)?.parse().ok()?);
    let name = cell(columns.name)?;
    let names: &mut Names = &mut reading.names;
    let seen = &mut reading.seen;
    let name = names.of(name);
    let thread = Thread { pid: Pid(name.number() + 1), name };
    let priority = columns.priority.and_then(cell).and_then(|p| p.parse::<i16>().ok());
    let priority = Priority(priority.map_or(120, |p| 99 - p.clamp(0, 99)));
    let start = nanos(Some(columns.start)).or_else(|| nanos(columns.time))?;
    let length = nanos(columns.length);
    let end = length.filter(|l| *l >= 0).map(|l| start.checked_add(l));
    let event = |at: i64, what: What| TraceEvent {
        at: Instant(at),
        core,
        thread,
        resched: Resched::Untold,
        interruptible: false,
        what,
    };
    let span = |from: What, to: What| Some(vec![event(start, from), event(end??, to)]);
    let during = |activity: Activity| span(What::Enter(activity), What::Exit(activity));
    match cell(columns.kind)? {
        "running" => {
            seen.switches = true;
            let switch = |to: Thread, to_priority| What::Switch {
                from_priority: to_priority,
                left: Left::Waiting,
                to,
                to_priority,
            };
            span(switch(thread, priority), switch(Thread::default(), Priority(140)))
        }
        "ready" => {
            seen.wakings = true;
            Some(vec![event(start, What::Woken { thread, priority, target: core })])
        }
        "interrupt" => {
            seen.interrupts = true;
            during(Activity::Interrupt(name))
        }
        "deferred" => {
            seen.soft = true;
            during(Activity::Soft(name))
        }
        "timer" => {
            seen.timers = true;
            during(Activity::Timer(name))
        }
        "fault" => Some(vec![event(start, What::Fault)]),
        "lost" => Some(vec![event(start, What::Lost(1))]),
        "late" => {
            let woke = Instant(end??);
            let noticed = nanos(columns.time).filter(|t| *t >= woke.0).unwrap_or(woke.0);
            let mark = LateMark { pid: Some(thread.pid), due: Instant(start), woke, ..LateMark::default() };
            Some(vec![event(noticed, What::Mark(Box::new(Mark::Late(mark))))])
        }
        other => {
            let other = other.to_string();
            reading.unknown(&other);
            Some(vec![event(start, What::Other)])
        }
    }
}
