//! A look into the kernel from this program: the recorder with a sentinel that clears it away, whatever happens.

mod flight;

pub use flight::Flight;

use crate::shared::failure::Failure;
use crate::shared::watchdog::Watchdog;
use std::path::Path;
use std::time::Duration;
use swiftloop_host::trace::{RecordError, Recorder, RecorderOrder};

/// A recorder at work, with its sentinel.
pub struct Tracing {
    recorder: Option<Recorder>,
    sentinel: Option<Watchdog>,
}

impl Tracing {
    /// Sets it up; `back` is how far it should be able to look back.
    /// Also cleared away if we die: `unfinished`, a file in the making.
    pub fn begin(
        threads: Vec<String>,
        back: Duration,
        ring_kb: Option<u64>,
        unfinished: Option<&Path>,
    ) -> Result<Self, Failure> {
        let recorder = Recorder::begin(&RecorderOrder { threads, back, ring_kb }).map_err(refused)?;
        let place = recorder.place().to_path_buf();
        let sentinel = Watchdog::post(|command| {
            command.arg("clear-trace").arg("--place").arg(place);
            if let Some(unfinished) = unfinished {
                command.arg("--unfinished").arg(unfinished);
            }
        })?;
        if sentinel.is_none() {
            return Err(Failure::machine(
                "nobody could be set to clear the recorder away, so nothing was recorded",
                "close other programs and try again",
            ));
        }
        Ok(Self { recorder: Some(recorder), sentinel })
    }

    pub fn recorder(&self) -> Result<&Recorder, Failure> {
        self.recorder.as_ref().ok_or_else(|| Failure::machine("the recorder is gone", "try again"))
    }
}

impl Drop for Tracing {
    fn drop(&mut self) {
        drop(self.recorder.take());
        if let Some(sentinel) = self.sentinel.take() {
            sentinel.dismiss(true);
        }
    }
}

/// What is in the way, and how to get it.
pub fn refused(error: RecordError) -> Failure {
    let help = match &error {
        RecordError::NotAllowed(_) => {
            "run it as root (sudo swiftloop …), or give the program the right: sudo setcap cap_sys_admin,cap_dac_override+ep \
             on its file"
        }
        RecordError::NoKernel | RecordError::NoEvents(_) | RecordError::NoClock => {
            "a kernel with its trace is needed (CONFIG_FTRACE and CONFIG_EVENT_TRACING: the usual ones of Linux \
             distributions have both); without it bring a table: docs/trace-table.md"
        }
        RecordError::Io { .. } => "try again; if it stays, restart the computer",
    };
    Failure::machine(error.to_string(), help)
}
