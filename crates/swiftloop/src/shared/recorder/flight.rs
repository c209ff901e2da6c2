//! A recorder beside a soak: the ring turns, and only when blocks were late it is stopped and read. Reading
//! costs time that the soak would feel, so misses are gathered for a while before the ring is looked at.

use super::Tracing;
use crate::shared::environment::no_room;
use crate::shared::failure::Failure;
use std::io::{BufReader, Read, Write};
use std::path::Path;
use std::time::{Duration, Instant};
use swiftloop_files::trace::{TraceReading, TraceStream};
use swiftloop_measure::trace::{HolderKind, LateLine, TraceQuery, TraceSpan, Who, rank};

/// How far the ring reaches back.
const BACK: Duration = Duration::from_secs(6);
/// Misses are gathered for so long: the ring must not have passed them over by then.
const GATHER: Duration = Duration::from_secs(3);
/// Late blocks that are looked at in one rung: more of them tell nothing new.
const ENOUGH: u64 = 400;

/// The recorder, and what it found in the present rung.
pub struct Flight {
    tracing: Tracing,
    stream: TraceStream,
    /// Since when misses wait to be looked at.
    waiting: Option<Instant>,
    seen: u64,
    looked_at: u64,
    /// Time during which nothing was recorded.
    blind: Duration,
    kept: tempfile::NamedTempFile,
    period: TraceSpan,
    /// Who leads so far: of how many late blocks, of all that were looked at.
    leads: Option<(Who, u64, usize)>,
}

impl Flight {
    /// Sets the recorder up.
    pub fn begin() -> Result<Self, Failure> {
        let mut kept = tempfile::NamedTempFile::new().map_err(|e| no_room(&e))?;
        writeln!(kept, "# swiftloop clock: mono")?;
        Ok(Self {
            tracing: Tracing::begin(
                vec!["soak*".into(), "swiftloop*".into()],
                BACK,
                None,
                Some(kept.path()),
            )?,
            stream: TraceStream::new(&TraceQuery::default()),
            waiting: None,
            seen: 0,
            looked_at: 0,
            blind: Duration::ZERO,
            kept,
            period: TraceSpan(0),
            leads: None,
        })
    }

    /// Who is told of late blocks: writes a mark.
    pub fn teller(&self) -> Result<impl Fn(&LateLine) + Send + Sync + use<>, Failure> {
        let marker = self.tracing.recorder()?.marker().map_err(super::refused)?;
        Ok(move |line: &LateLine| {
            marker.show(line);
        })
    }

    pub fn rung(&mut self, period: TraceSpan) {
        self.period = period;
        self.stream = TraceStream::new(&TraceQuery { period: Some(period), ..TraceQuery::default() });
        (self.waiting, self.seen, self.looked_at, self.leads) = (None, 0, 0, None);
        if let Ok(recorder) = self.tracing.recorder() {
            let _ = recorder.clear();
        }
    }

    /// Who took most so far, for whoever looks on.
    pub fn leads(&self) -> Option<String> {
        self.leads.as_ref().map(|(who, blocks, all)| {
            let name = if who.kind == HolderKind::OwnWork { "its own work" } else { who.name.as_str() };
            format!("{name}: {blocks} of {all}")
        })
    }

    /// Looks at the ring when misses have waited long enough.
    pub fn watch(&mut self, misses: u64) {
        if misses > self.seen && self.waiting.is_none() {
            self.waiting = Some(Instant::now());
        }
        self.seen = misses;
        if self.waiting.is_some_and(|since| since.elapsed() >= GATHER) && self.looked_at < ENOUGH {
            self.look();
        }
    }

    fn look(&mut self) {
        self.waiting = None;
        self.looked_at = self.seen;
        let begun = Instant::now();
        let Ok(recorder) = self.tracing.recorder() else { return };
        if recorder.freeze().is_ok()
            && let Ok(text) = recorder.text()
        {
            let tee = Tee { from: text, to: self.kept.as_file_mut() };
            let _ = self.stream.feed(BufReader::with_capacity(1 << 18, tee));
            let late = self.stream.settle().0;
            self.leads =
                rank(late).all.first().map(|r| (r.who.clone(), r.late_blocks.max(r.cured), late.len()));
        }
        let _ = recorder.clear();
        let _ = recorder.go_on();
        self.blind += begun.elapsed();
    }

    /// A rung is over: everything that was found in it.
    pub fn over(&mut self, misses: u64) -> TraceReading {
        self.seen = self.seen.max(misses);
        if self.waiting.is_some() || misses > self.looked_at && self.looked_at < ENOUGH {
            // What happened last is still on its way into the ring.
            std::thread::sleep(Duration::from_millis(20));
            self.look();
        }
        let period = self.period;
        let fresh = TraceStream::new(&TraceQuery { period: Some(period), ..TraceQuery::default() });
        std::mem::replace(&mut self.stream, fresh).end()
    }

    /// Events a second on the busiest core, seconds in which nothing was recorded because the ring was read, and what a mark
    /// costs its thread in nanoseconds.
    pub fn cost(&self) -> (f64, f64, f64) {
        let recorder = self.tracing.recorder().ok();
        let mark_ns = recorder.and_then(|r| r.marker().ok()).map_or(0.0, |m| m.cost_ns());
        (recorder.map_or(0.0, |r| r.rate), self.blind.as_secs_f64(), mark_ns)
    }

    /// Keeps all text that was looked at in a file.
    pub fn keep(self, path: &Path) -> Result<(), Failure> {
        let text = std::fs::read(self.kept.path())?;
        swiftloop_files::save(path, &text, swiftloop_files::Overwrite::Allow)?;
        Ok(())
    }
}

/// Reads, and writes what was read somewhere else as well.
struct Tee<'a, R> {
    from: R,
    to: &'a mut std::fs::File,
}

impl<R: Read> Read for Tee<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
        let read = self.from.read(buffer)?;
        // What is kept is a convenience: the answer does not hang on it.
        let _ = self.to.write_all(&buffer[..read]);
        Ok(read)
    }
}
