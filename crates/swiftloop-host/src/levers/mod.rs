//! Levers: what on this computer can be set, or in a copy of another's files. A [`Lever`] comes in, its value goes out as the
//! system writes it; put, and then read again by whoever put it. The one idea: every value is text, the very text that was
//! there, so that what is put back is what was, byte for byte.

mod files;
mod pipewire;
mod priority;
mod wake;

use crate::jack::{Server, ServerError};
use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::Lever;

pub use wake::{began, end_process, hold_awake, wake_limit_us};

/// Why a lever cannot be read or put.
#[derive(Debug, thiserror::Error)]
pub enum LeverError {
    /// It is not there, or not any more.
    #[error("{0} is not there")]
    Gone(String),
    /// Only the superuser may.
    #[error("{0} may be set by the superuser only")]
    NotAllowed(String),
    /// The group of programs that it belongs to has no share of real-time work.
    #[error("{0} is in a group of programs that has no real-time work: its cpu.rt_runtime_us is 0")]
    NoGroupShare(String),
    /// It leads out of the copy.
    #[error("{0} leads out of the copy")]
    Outside(String),
    /// A copy has no such thing.
    #[error("only a running computer has it, a copy has not")]
    NotInCopy,
    /// A server does not do it.
    #[error("{0}")]
    Server(#[from] ServerError),
    /// PipeWire does not do it.
    #[error("PipeWire: {0}")]
    PipeWire(String),
    /// The system says no.
    #[error("{what}: {why}")]
    Refused {
        /// What was tried.
        what: String,
        /// What it says.
        why: std::io::Error,
    },
}

impl LeverError {
    /// It is not there.
    #[must_use]
    pub fn is_gone(&self) -> bool {
        matches!(self, Self::Gone(_))
    }

    /// What became of a file.
    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    fn of(what: &str, why: std::io::Error) -> Self {
        use std::io::ErrorKind::{NotFound, PermissionDenied, ReadOnlyFilesystem};
        match why.kind() {
            NotFound => Self::Gone(what.into()),
            PermissionDenied | ReadOnlyFilesystem if !is_root() => Self::NotAllowed(what.into()),
            _ => Self::Refused { what: what.into(), why },
        }
    }
}

/// A program of this name runs.
#[must_use]
pub fn is_running(program: &str) -> bool {
    let all = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    all.filter(|e| e.file_name().to_string_lossy().chars().all(|c| c.is_ascii_digit()))
        .any(|e| std::fs::read_to_string(e.path().join("comm")).is_ok_and(|name| name.trim_end() == program))
}

/// The number of the user that we work for.
#[must_use]
pub fn own_user() -> u32 {
    rustix::process::geteuid().as_raw()
}

/// We are the superuser.
#[must_use]
pub fn is_root() -> bool {
    rustix::process::geteuid().is_root()
}

/// The levers of this computer, or of a copy.
#[derive(Debug, Clone)]
pub struct Levers {
    root: PathBuf,
    copy: bool,
}

impl Levers {
    /// Of this computer.
    #[must_use]
    pub fn here() -> Self {
        Self { root: PathBuf::from("/"), copy: false }
    }

    /// Of a copy.
    #[must_use]
    pub fn of_copy(root: &Path) -> Self {
        Self { root: root.to_path_buf(), copy: true }
    }

    /// It is a copy's.
    #[must_use]
    pub fn is_copy(&self) -> bool {
        self.copy
    }

    /// What a lever reads.
    ///
    /// # Errors
    /// [`LeverError`].
    pub fn read(&self, lever: &Lever) -> Result<String, LeverError> {
        if let Some(path) = lever.path() {
            return files::read(&self.root, &path);
        }
        match lever {
            Lever::ForcedBuffer | Lever::ForcedRate if self.copy => {
                pipewire::read_copy(&self.root, lever == &Lever::ForcedRate)
            }
            Lever::ForcedBuffer => pipewire::forced_buffer(),
            Lever::ForcedRate => pipewire::forced_rate(),
            _ if self.copy => Err(LeverError::NotInCopy),
            Lever::JackBuffer => Ok(jack()?.buffer().to_string()),
            Lever::Priority { thread, name } => priority::read(*thread, name),
            Lever::WakeLimit => {
                let gone = || LeverError::Gone(wake::DEVICE.into());
                wake_limit_us().map(|us| us.to_string()).ok_or_else(gone)
            }
            Lever::Governor { .. }
            | Lever::MostClock { .. }
            | Lever::IdleOff { .. }
            | Lever::UsbPower { .. }
            | Lever::InterruptCores { .. }
            | Lever::RealtimeShare => Err(LeverError::Gone(format!("{lever:?}"))),
        }
    }

    /// Takes away what was left by whoever was cut off while putting a lever of a copy.
    pub fn tidy(&self, lever: &Lever) {
        match lever.path() {
            Some(path) if self.copy => files::tidy(&self.root, &path),
            None if self.copy => files::tidy(&self.root, pipewire::COPY),
            _ => {}
        }
    }

    /// Puts a lever. What is held by a process ([`Lever::WakeLimit`]) is not put here.
    ///
    /// # Errors
    /// [`LeverError`].
    pub fn put(&self, lever: &Lever, to: &str) -> Result<(), LeverError> {
        if let Some(path) = lever.path() {
            return files::write(&self.root, &path, to, self.copy);
        }
        match lever {
            Lever::ForcedBuffer | Lever::ForcedRate if self.copy => {
                pipewire::put_copy(&self.root, lever == &Lever::ForcedRate, to)
            }
            Lever::ForcedBuffer => pipewire::force_buffer(to),
            Lever::ForcedRate => pipewire::force_rate(to),
            _ if self.copy => Err(LeverError::NotInCopy),
            Lever::JackBuffer => {
                let frames = to.trim().parse().map_err(|_| not_a_figure(to))?;
                Ok(jack()?.set_buffer(frames)?)
            }
            Lever::Priority { thread, name } => priority::put(*thread, name, to),
            Lever::Governor { .. }
            | Lever::MostClock { .. }
            | Lever::WakeLimit
            | Lever::IdleOff { .. }
            | Lever::UsbPower { .. }
            | Lever::InterruptCores { .. }
            | Lever::RealtimeShare => Err(LeverError::Gone(format!("{lever:?}"))),
        }
    }
}

/// JACK itself, not PipeWire in its place.
fn jack() -> Result<Server, LeverError> {
    let server = Server::connect("swiftloop-apply")?;
    if server.about().kind == "JACK" { Ok(server) } else { Err(LeverError::Gone("JACK".into())) }
}

fn not_a_figure(text: &str) -> LeverError {
    let why = std::io::Error::new(std::io::ErrorKind::InvalidInput, "it is no figure");
    LeverError::Refused { what: text.trim().into(), why }
}
