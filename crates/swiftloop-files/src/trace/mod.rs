//! Traces: the kernel's own text, or a plain table of events from any system, streamed through the core's follower. A file
//! comes in line by line, what it tells of late blocks goes out with what could not be read. Nothing in a
//! trace is fatal but not being one; what is not understood is counted and shown.

mod fields;
mod line;
mod order;
mod table;
mod text;

use crate::error::FileError;
use order::BoundedSort;
use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use swiftloop_measure::trace::{Follower, LateBlock, Names, TraceQuery, TraceSummary};

/// Bytes of a line that are looked at.
const LONGEST_LINE: usize = 1 << 16;
/// Kinds of unknown events that are told apart.
const UNKNOWN_KINDS: usize = 256;

/// What was read of a trace.
#[derive(Debug, Default)]
pub struct TraceReading {
    pub told: TraceSummary,
    pub names: Names,
    pub lines: u64,
    /// Lines that are neither events nor remarks.
    pub unread: u64,
    /// The first of them, with its number.
    pub first_unread: Option<(u64, String)>,
    /// Events that this program does not know, by name.
    pub unknown: BTreeMap<String, u64>,
    /// Kinds of events that were there.
    pub seen: EventKindsSeen,
    /// Events that came so far out of order that they could not be used.
    pub too_late: u64,
    /// Events that the kernel's ring had already written over, before the first one here.
    pub overwritten: u64,
    /// What our recorder wrote at the top: key and value.
    pub remarks: Vec<(String, String)>,
}

/// Kinds of events that were there: what is missing limits what can be told.
#[derive(Debug, Default, Clone, Copy, PartialEq, Eq)]
pub struct EventKindsSeen {
    pub switches: bool,
    pub wakings: bool,
    pub interrupts: bool,
    pub soft: bool,
    pub timers: bool,
    pub counted: bool,
}

impl TraceReading {
    /// What our recorder wrote at the top under a key.
    #[must_use]
    pub fn remark(&self, key: &str) -> Option<&str> {
        self.remarks.iter().find(|r| r.0 == key).map(|r| r.1.as_str())
    }

    /// Our recorder watched, so that nothing being late says something.
    #[must_use]
    pub fn was_watched(&self) -> bool {
        self.remark("watched_s").is_some()
    }

    /// For how long it was watched, in hours: as our recorder says, or from the first to the last event.
    #[must_use]
    pub fn hours(&self) -> f64 {
        let said = self.remark("watched_s").and_then(|s| s.parse::<f64>().ok()).filter(|s| *s > 0.0);
        let covered = || self.told.covered.map_or(0.0, |(from, to)| to.since(from).us() / 1e6);
        said.unwrap_or_else(covered) / 3600.0
    }

    fn unknown(&mut self, name: &str) {
        if let Some(count) = self.unknown.get_mut(name) {
            *count += 1;
        } else if self.unknown.len() < UNKNOWN_KINDS {
            self.unknown.insert(name.to_string(), 1);
        } else {
            *self.unknown.entry("(others)".to_string()).or_default() += 1;
        }
    }

    fn unread(&mut self, line: &[u8]) {
        self.unread += 1;
        if self.first_unread.is_none() {
            let start = String::from_utf8_lossy(&line[..line.len().min(120)]).into_owned();
            self.first_unread = Some((self.lines, start));
        }
    }
}

/// Reads a trace from a file.
///
/// # Errors
/// [`FileError`]: the file cannot be read, or is no trace.
pub fn read_trace(path: &Path, question: &TraceQuery) -> Result<TraceReading, FileError> {
    let file = std::fs::File::open(path).map_err(|e| FileError::unreadable(path, &e))?;
    if file.metadata().is_ok_and(|m| m.is_dir()) {
        return Err(FileError::Unreadable {
            path: path.to_path_buf(),
            why: "it is a folder".into(),
            help: "name the file with the trace".into(),
        });
    }
    trace_from(file, path, question)
}

/// Reads a trace from anything that is read.
///
/// # Errors
/// [`FileError`].
pub fn trace_from(reader: impl Read, path: &Path, question: &TraceQuery) -> Result<TraceReading, FileError> {
    let mut input = BufReader::with_capacity(1 << 18, reader);
    let beginning = input.fill_buf().map_err(|e| FileError::unreadable(path, &e))?;
    if beginning.is_empty() {
        return Err(no_trace(path, "it is empty"));
    }
    let looked = &beginning[..beginning.len().min(4096)];
    if looked.contains(&0) {
        return Err(no_trace(path, "it is not text"));
    }
    let mut stream = TraceStream::new(question);
    if table::is_table(looked) {
        table::read(input, path, &mut stream.reading, &mut stream.pipe)?;
    } else {
        stream.feed(input).map_err(|e| FileError::unreadable(path, &e))?;
    }
    let reading = stream.end();
    if reading.told.events == 0 {
        return Err(no_trace(path, "no line of it is an event"));
    }
    Ok(reading)
}

/// The kernel's text as it comes, in one piece or in several.
pub struct TraceStream {
    reading: TraceReading,
    pipe: Pipe,
    text: text::Text,
    line: Vec<u8>,
}

impl TraceStream {
    #[must_use]
    pub fn new(question: &TraceQuery) -> Self {
        Self {
            reading: TraceReading::default(),
            pipe: Pipe { follower: Follower::new(question.clone()), order: BoundedSort::default() },
            text: text::Text::default(),
            line: Vec::with_capacity(512),
        }
    }

    /// Reads a piece to its end.
    ///
    /// # Errors
    /// What reading it said.
    pub fn feed(&mut self, mut input: impl BufRead) -> std::io::Result<()> {
        loop {
            self.line.clear();
            let mut limited = (&mut input).take(LONGEST_LINE as u64);
            if limited.read_until(b'\n', &mut self.line)? == 0 {
                return Ok(());
            }
            self.reading.lines += 1;
            if let Some((lost, event)) = self.text.line(&self.line, &mut self.reading) {
                let (names, pipe) = (&self.reading.names, &mut self.pipe);
                for event in lost.into_iter().chain(std::iter::once(event)) {
                    pipe.order.push(event, &mut |e| pipe.follower.event(e, names));
                }
            }
        }
    }

    /// A piece is whole: what it holds is looked at now. The late blocks so far, with the names.
    pub fn settle(&mut self) -> (&[LateBlock], &Names) {
        let Self { reading, pipe, .. } = self;
        pipe.order.end(&mut |event| pipe.follower.event(event, &reading.names));
        (pipe.follower.so_far(&reading.names), &reading.names)
    }

    /// All that was read.
    #[must_use]
    pub fn end(self) -> TraceReading {
        let Self { mut reading, mut pipe, .. } = self;
        pipe.order.end(&mut |event| pipe.follower.event(event, &reading.names));
        reading.too_late = pipe.order.too_late;
        reading.told = pipe.follower.told(&reading.names);
        reading
    }
}

/// Events on their way from lines to the follower.
struct Pipe {
    follower: Follower,
    order: BoundedSort,
}

fn no_trace(path: &Path, why: &str) -> FileError {
    FileError::Unreadable {
        path: path.to_path_buf(),
        why: format!("{why}: this is no trace that swiftloop reads"),
        help: "give the kernel's text (what `swiftloop trace record` writes), or a table as docs/trace-table.md \
               describes"
            .into(),
    }
}
