//! Recording for a time, or until something is noticed: the kernel's text goes into a file in the making. While
//! nothing is noticed nothing is read, only the kernel's own ring turns.

use super::out::Out;
use crate::shared::failure::Failure;
use crate::shared::output::aside;
use crate::shared::progress;
use crate::shared::recorder::refused;
use crate::shared::server::server_failure;
use crate::trace::options::{TraceRecordOptions, Until};
use std::io::{BufRead, ErrorKind, IsTerminal, Read};
use std::sync::atomic::Ordering::Relaxed;
use std::sync::atomic::{AtomicBool, AtomicU64};
use std::sync::{Arc, Weak, mpsc};
use std::time::{Duration, Instant};
use swiftloop_host::jack::{Server, told_of_xruns};
use swiftloop_host::trace::{Marker, Recorder};
use swiftloop_measure::trace::noticed_line;

/// How often the ring is emptied into the file.
const EMPTIED: Duration = Duration::from_millis(100);

/// Reads the kernel's text as it comes.
pub fn for_a_time(
    recorder: &Recorder,
    length: Duration,
    stop: &AtomicBool,
    out: &mut Out,
) -> Result<(), Failure> {
    let mut text = recorder.stream().map_err(refused)?;
    let bar = progress::bar("recording {bar:30} {elapsed}", length.as_millis() as u64);
    let begun = Instant::now();
    let mut buffer = vec![0; 1 << 16];
    let mut ends = false;
    loop {
        // However much comes: on a busy machine the reading itself makes more of it.
        if !ends && (begun.elapsed() >= length || stop.load(Relaxed)) {
            // What is in the ring still comes.
            recorder.freeze().map_err(refused)?;
            ends = true;
        }
        match text.read(&mut buffer) {
            Ok(0) => {}
            Ok(read) => {
                out.write(&buffer[..read])?;
                if out.full {
                    break;
                }
                continue;
            }
            Err(e) if matches!(e.kind(), ErrorKind::WouldBlock | ErrorKind::Interrupted) => {}
            Err(e) => return Err(e.into()),
        }
        if ends {
            break;
        }
        bar.set_position(begun.elapsed().as_millis() as u64);
        std::thread::sleep(EMPTIED.min(length.saturating_sub(begun.elapsed())));
    }
    bar.finish_and_clear();
    Ok(())
}

/// A recording that waits.
pub struct Watch<'a> {
    pub recorder: &'a Recorder,
    pub options: &'a TraceRecordOptions,
    pub length: Duration,
    pub stop: &'a AtomicBool,
    pub begun: Instant,
}

impl Watch<'_> {
    /// Keeps what was around everything that is noticed; how often.
    pub fn until_noticed(&self, out: &mut Out) -> Result<u32, Failure> {
        let (noticed, hears) = mpsc::channel::<()>();
        let wants = |what: Until| self.options.until.contains(&what);
        // The thread that waits for the key may wait for good: it holds no file of the recorder open.
        let marker = Arc::new(self.recorder.marker().map_err(refused)?);
        if wants(Until::Key) {
            listen_for_key(Arc::downgrade(&marker), noticed.clone());
        }
        let mut kept = Ok(0);
        if wants(Until::Xrun) {
            let server = Server::connect("swiftloop-trace").map_err(server_failure)?;
            let line = noticed_line("xrun");
            let count = AtomicU64::new(0);
            let seen = || {
                count.fetch_add(1, Relaxed);
                marker.write(line.as_bytes());
            };
            let lived = told_of_xruns(&server, &seen, || {
                kept = self.wait(out, || {
                    let heard = hears.try_recv().is_ok();
                    heard || count.swap(0, Relaxed) > 0
                });
            });
            let kept = kept?;
            // A server that went away after something was kept takes nothing of it.
            return match lived {
                Err(e) if kept == 0 => Err(server_failure(e)),
                _ => Ok(kept),
            };
        }
        kept = self.wait(out, || hears.try_recv().is_ok());
        kept
    }

    fn wait(&self, out: &mut Out, mut noticed: impl FnMut() -> bool) -> Result<u32, Failure> {
        let bar = progress::bar("waiting {bar:30} {elapsed}", self.length.as_millis() as u64);
        let mut kept = 0;
        let goes_on = || self.begun.elapsed() < self.length && !self.stop.load(Relaxed);
        while goes_on() && kept < self.options.times && !out.full {
            std::thread::sleep(Duration::from_millis(100));
            bar.set_position(self.begun.elapsed().as_millis() as u64);
            if !noticed() {
                continue;
            }
            // For a while after, too: what comes next often has the same cause.
            let after = Instant::now();
            while after.elapsed().as_secs_f64() < self.options.after && !self.stop.load(Relaxed) {
                std::thread::sleep(Duration::from_millis(20));
            }
            noticed();
            self.keep(out)?;
            kept += 1;
        }
        bar.finish_and_clear();
        Ok(kept)
    }

    fn keep(&self, out: &mut Out) -> Result<(), Failure> {
        self.recorder.freeze().map_err(refused)?;
        let mut text = self.recorder.text().map_err(refused)?;
        let mut buffer = vec![0; 1 << 16];
        loop {
            match text.read(&mut buffer)? {
                0 => break,
                read => out.write(&buffer[..read])?,
            }
            if out.full {
                break;
            }
        }
        drop(text);
        self.recorder.clear().map_err(refused)?;
        self.recorder.go_on().map_err(refused)
    }
}

/// A thread that waits for the Enter key and marks it, until there is nobody to mark it for.
fn listen_for_key(marker: Weak<Marker>, noticed: mpsc::Sender<()>) {
    if std::io::stdin().is_terminal() && std::io::stderr().is_terminal() {
        aside("Press Enter when you hear it; Ctrl-C ends the recording.");
    }
    std::thread::spawn(move || {
        for line in std::io::stdin().lock().lines() {
            let (Ok(_), Some(marker)) = (line, marker.upgrade()) else { return };
            marker.write(noticed_line("heard").as_bytes());
            if noticed.send(()).is_err() {
                return;
            }
        }
    });
}
