//! Recording what the kernel does: an instance with the events that tell who has a core, the clock that ours can be compared
//! with, a ring as large as the time that is to be looked back at needs. What is wanted comes in, the kernel's text
//! goes out. While nothing is late only the kernel's own ring turns; text is made when it is asked for.

use super::tracefs::{RecordError, instance, io_error, remove};
use std::fs::{self, File, OpenOptions};
use std::io::{self, Read, Write};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Events that are recorded, where the kernel has them.
const EVENTS: [&str; 30] = [
    "sched/sched_switch",
    "sched/sched_waking",
    "sched/sched_wakeup",
    "sched/sched_wakeup_new",
    "sched/sched_migrate_task",
    "sched/sched_stat_runtime",
    "irq/irq_handler_entry",
    "irq/irq_handler_exit",
    "irq/softirq_entry",
    "irq/softirq_exit",
    "irq/softirq_raise",
    "irq_vectors/local_timer_entry",
    "irq_vectors/local_timer_exit",
    "irq_vectors/reschedule_entry",
    "irq_vectors/reschedule_exit",
    "irq_vectors/call_function_entry",
    "irq_vectors/call_function_exit",
    "irq_vectors/call_function_single_entry",
    "irq_vectors/call_function_single_exit",
    "irq_vectors/irq_work_entry",
    "irq_vectors/irq_work_exit",
    "timer/hrtimer_expire_entry",
    "timer/hrtimer_expire_exit",
    "timer/hrtimer_start",
    "timer/timer_expire_entry",
    "timer/timer_expire_exit",
    "power/cpu_idle",
    "power/cpu_frequency",
    "napi/napi_poll",
    "ipi/ipi_entry",
];
/// Faults come by the hundred thousand from every program: only those of the threads that matter.
const FAULTS: [&str; 2] = ["exceptions/page_fault_user", "exceptions/page_fault_kernel"];
/// The one without which nothing can be told.
const NEEDED: &str = "sched/sched_switch";
/// Bytes of an event in the ring (measured: 38, headers of pages and all).
const EVENT_BYTES: f64 = 42.0;
/// Ring of each core, in KB.
const RING_KB: (u64, u64) = (512, 64 * 1024);
/// How long it is watched how much happens.
const LOOK: Duration = Duration::from_millis(300);

#[derive(Debug, Clone)]
pub struct RecorderOrder {
    /// Names of threads whose faults are recorded as well; a `*` at the end stands for anything.
    pub threads: Vec<String>,
    /// How far to look back.
    pub back: Duration,
    /// Ring of each core in KB; as large as the rate seen needs when left out.
    pub ring_kb: Option<u64>,
}

/// A recorder that is at work; when it goes, nothing is left of it.
#[derive(Debug)]
pub struct Recorder {
    place: PathBuf,
    marker: Option<File>,
    /// Held open: when this process dies, the kernel switches the instance off.
    switched_off_with_us: Option<File>,
    /// Ring of each core in KB.
    pub ring_kb: u64,
    /// Events a second that were seen on the busiest core.
    pub rate: f64,
    /// Events that the kernel does not have.
    pub missing: Vec<&'static str>,
}

/// What a core's ring holds.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Ring {
    pub entries: u64,
    /// Events that were written over.
    pub overrun: u64,
    /// Events that found no room.
    pub dropped: u64,
}

impl Recorder {
    /// Sets it up and lets it run.
    ///
    /// # Errors
    /// [`RecordError`].
    pub fn begin(wanted: &RecorderOrder) -> Result<Self, RecordError> {
        let place = instance()?;
        Self::within(&place, wanted).inspect_err(|_| remove(&place))
    }

    fn within(place: &Path, wanted: &RecorderOrder) -> Result<Self, RecordError> {
        let put = |file: &str, text: &str| {
            let path = place.join(file);
            fs::write(&path, text).map_err(io_error(&path))
        };
        put("tracing_on", "0")?;
        if put("trace_clock", "mono").is_err() {
            return Err(RecordError::NoClock);
        }
        put("buffer_size_kb", &RING_KB.0.to_string())?;
        // Kernels without it keep recording after we die, until the guard removes the instance.
        let _ = put("options/disable_on_free", "1");
        let _ = put("options/record-tgid", "0");
        let free = OpenOptions::new().write(true).open(place.join("free_buffer"));
        let switched_off_with_us = free.ok();
        let mut missing = Vec::new();
        for event in EVENTS {
            if put(&format!("events/{event}/enable"), "1").is_err() {
                missing.push(event);
            }
        }
        if missing.contains(&NEEDED) {
            return Err(RecordError::NoEvents(NEEDED));
        }
        if !wanted.threads.is_empty() {
            // The kernel's own patterns: `~` with a star.
            let of = |name: &String| {
                let safe: String = name.chars().filter(|c| !matches!(c, '"' | '\\')).collect();
                format!("COMM ~ \"{safe}\"")
            };
            let filter = wanted.threads.iter().map(of).collect::<Vec<_>>().join(" || ");
            for event in FAULTS {
                let filtered = put(&format!("events/{event}/filter"), &filter);
                if filtered.and_then(|()| put(&format!("events/{event}/enable"), "1")).is_err() {
                    missing.push(event);
                }
            }
        }
        let path = place.join("trace_marker");
        let marker = OpenOptions::new().write(true).open(&path).map_err(io_error(&path))?;
        let mut recorder = Self {
            place: place.to_path_buf(),
            marker: Some(marker),
            switched_off_with_us,
            ring_kb: RING_KB.0,
            rate: 0.0,
            missing,
        };
        recorder.go_on()?;
        let begun = Instant::now();
        std::thread::sleep(LOOK);
        let busiest = recorder.rings().iter().map(|r| r.entries + r.overrun).max().unwrap_or(0);
        recorder.rate = busiest as f64 / begun.elapsed().as_secs_f64();
        let needed = recorder.rate * wanted.back.as_secs_f64() * EVENT_BYTES / 1024.0 * 2.0;
        recorder.ring_kb = wanted.ring_kb.unwrap_or((needed as u64).clamp(RING_KB.0, RING_KB.1));
        put("tracing_on", "0")?;
        put("buffer_size_kb", &recorder.ring_kb.to_string())?;
        recorder.clear()?;
        recorder.go_on()?;
        Ok(recorder)
    }

    /// The folder of its instance, for whoever has to remove it if we cannot.
    #[must_use]
    pub fn place(&self) -> &Path {
        &self.place
    }

    /// A second way to write marks, for another thread.
    ///
    /// # Errors
    /// [`RecordError::Io`].
    pub fn marker(&self) -> Result<Marker, RecordError> {
        let open = self.marker.as_ref().map(File::try_clone);
        open.unwrap_or_else(|| Err(io::ErrorKind::NotConnected.into()))
            .map(Marker)
            .map_err(io_error(&self.place))
    }

    /// Stops the ring where it is.
    ///
    /// # Errors
    /// [`RecordError::Io`].
    pub fn freeze(&self) -> Result<(), RecordError> {
        self.put("tracing_on", "0")
    }

    /// Lets the ring turn.
    ///
    /// # Errors
    /// [`RecordError::Io`].
    pub fn go_on(&self) -> Result<(), RecordError> {
        self.put("tracing_on", "1")
    }

    /// Forgets what the ring holds.
    ///
    /// # Errors
    /// [`RecordError::Io`].
    pub fn clear(&self) -> Result<(), RecordError> {
        self.put("trace", "")
    }

    fn put(&self, file: &str, text: &str) -> Result<(), RecordError> {
        let path = self.place.join(file);
        fs::write(&path, text).map_err(io_error(&path))
    }

    /// What the ring holds, as text; it should be frozen.
    ///
    /// # Errors
    /// [`RecordError::Io`].
    pub fn text(&self) -> Result<impl Read + use<>, RecordError> {
        let path = self.place.join("trace");
        File::open(&path).map_err(io_error(&path))
    }

    /// Text as it comes: reading takes it out of the ring, and waits for nothing.
    ///
    /// # Errors
    /// [`RecordError::Io`].
    pub fn stream(&self) -> Result<impl Read + use<>, RecordError> {
        let path = self.place.join("trace_pipe");
        let mut options = OpenOptions::new();
        options.read(true);
        #[cfg(unix)]
        {
            use std::os::unix::fs::OpenOptionsExt;
            options.custom_flags(libc::O_NONBLOCK);
        }
        options.open(&path).map_err(io_error(&path))
    }

    /// How far the ring reaches back at the rate that was seen, in seconds.
    #[must_use]
    pub fn reaches_back_s(&self) -> f64 {
        self.ring_kb as f64 * 1024.0 / EVENT_BYTES / self.rate.max(1.0)
    }

    /// What every core's ring holds.
    #[must_use]
    pub fn rings(&self) -> Vec<Ring> {
        let cores = fs::read_dir(self.place.join("per_cpu")).into_iter().flatten().flatten();
        cores
            .map(|core| {
                let text = fs::read_to_string(core.path().join("stats")).unwrap_or_default();
                let value = |key: &str| {
                    let line = text.lines().find(|l| l.starts_with(key));
                    line.and_then(|l| l.rsplit(' ').next()?.parse().ok()).unwrap_or(0)
                };
                Ring {
                    entries: value("entries:"),
                    overrun: value("overrun:"),
                    dropped: value("dropped events:"),
                }
            })
            .collect()
    }

    /// How often groups of threads had used up their time, by the kernel's count: who is held so looks like one who waits his
    /// turn.
    #[must_use]
    pub fn quotas() -> u64 {
        let count = |text: String| {
            let line = text.lines().find_map(|l| l.strip_prefix("nr_throttled "));
            line.and_then(|n| n.trim().parse::<u64>().ok()).unwrap_or(0)
        };
        let own = fs::read_to_string("/proc/self/cgroup").unwrap_or_default();
        let mut all = 0;
        for line in own.lines() {
            let Some(path) = line.rsplit(':').next() else { continue };
            for base in ["/sys/fs/cgroup", "/sys/fs/cgroup/cpu", "/sys/fs/cgroup/unified"] {
                let mut at = PathBuf::from(format!("{base}{path}"));
                while at.starts_with(base) {
                    all = all.max(fs::read_to_string(at.join("cpu.stat")).map_or(0, count));
                    if !at.pop() {
                        break;
                    }
                }
            }
        }
        all
    }
}

impl Drop for Recorder {
    fn drop(&mut self) {
        // An instance whose files are open cannot be removed.
        (self.marker, self.switched_off_with_us) = (None, None);
        remove(&self.place);
    }
}

#[derive(Debug)]
pub struct Marker(File);

impl Marker {
    /// Writes a mark; asks for no memory beyond the text's own. Whether the kernel took it.
    pub fn write(&self, text: &[u8]) -> bool {
        let mut file: &File = &self.0;
        file.write_all(text).is_ok()
    }

    /// What a mark costs, in nanoseconds, the system call and all: the least of some hundred.
    #[must_use]
    pub fn cost_ns(&self) -> f64 {
        let each = (0..500).map(|_| {
            let begun = Instant::now();
            self.write(b"swiftloop cost");
            begun.elapsed().as_nanos() as f64
        });
        each.fold(f64::INFINITY, f64::min)
    }

    /// Writes what is displayed, up to 255 bytes, without asking for memory.
    pub fn show(&self, what: &impl std::fmt::Display) -> bool {
        let mut place = [0u8; 255];
        let mut cursor = io::Cursor::new(&mut place[..]);
        let whole = write!(cursor, "{what}").is_ok();
        let length = usize::try_from(cursor.position()).unwrap_or(0);
        self.write(&place[..length]) && whole
    }
}

/// Time on a core that this process has had so far, in seconds.
#[must_use]
pub fn own_seconds() -> f64 {
    let now = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
    now.tv_sec as f64 + now.tv_nsec as f64 / 1e9
}
