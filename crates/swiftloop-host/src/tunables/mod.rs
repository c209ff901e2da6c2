//! Tunables: what on this computer can be set, or in a copy of another's files. A [`Tunable`] comes in, its value goes out as the
//! system writes it; put, and then read again by whoever put it. Every value is text, the very text that was
//! there, so that what is put back is what was, byte for byte.

mod files;
mod pipewire;
mod priority;
mod wake;

use crate::jack::{Server, ServerError};
use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::Tunable;

pub use wake::{began, end_process, hold_awake, wake_limit_us};

/// Why a lever cannot be read or put.
#[derive(Debug, thiserror::Error)]
pub enum TunableError {
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
    Refused { what: String, why: std::io::Error },
}

impl TunableError {
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
pub struct Tunables {
    root: PathBuf,
    copy: bool,
}

impl Tunables {
    #[must_use]
    pub fn here() -> Self {
        Self { root: PathBuf::from("/"), copy: false }
    }

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
    /// [`TunableError`].
    pub fn read(&self, lever: &Tunable) -> Result<String, TunableError> {
        if let Some(path) = lever.path() {
            return files::read(&self.root, &path);
        }
        match lever {
            Tunable::ForcedBuffer | Tunable::ForcedRate if self.copy => {
                pipewire::read_copy(&self.root, lever == &Tunable::ForcedRate)
            }
            Tunable::ForcedBuffer => pipewire::forced_buffer(),
            Tunable::ForcedRate => pipewire::forced_rate(),
            _ if self.copy => Err(TunableError::NotInCopy),
            Tunable::JackBuffer => Ok(jack()?.buffer().to_string()),
            Tunable::Priority { thread, name } => priority::read(*thread, name),
            Tunable::WakeLimit => {
                let gone = || TunableError::Gone(wake::DEVICE.into());
                wake_limit_us().map(|us| us.to_string()).ok_or_else(gone)
            }
            Tunable::Governor { .. }
            | Tunable::MostClock { .. }
            | Tunable::IdleOff { .. }
            | Tunable::UsbPower { .. }
            | Tunable::InterruptCores { .. }
            | Tunable::RealtimeShare => Err(TunableError::Gone(format!("{lever:?}"))),
        }
    }

    /// Takes away what was left by whoever was cut off while putting a lever of a copy.
    pub fn tidy(&self, lever: &Tunable) {
        match lever.path() {
            Some(path) if self.copy => files::tidy(&self.root, &path),
            None if self.copy => files::tidy(&self.root, pipewire::COPY),
            _ => {}
        }
    }

    /// Puts a lever. What is held by a process ([`Tunable::WakeLimit`]) is not put here.
    ///
    /// # Errors
    /// [`TunableError`].
    pub fn put(&self, lever: &Tunable, to: &str) -> Result<(), TunableError> {
        if let Some(path) = lever.path() {
            return files::write(&self.root, &path, to, self.copy);
        }
        match lever {
            Tunable::ForcedBuffer | Tunable::ForcedRate if self.copy => {
                pipewire::put_copy(&self.root, lever == &Tunable::ForcedRate, to)
            }
            Tunable::ForcedBuffer => pipewire::force_buffer(to),
            Tunable::ForcedRate => pipewire::force_rate(to),
            _ if self.copy => Err(TunableError::NotInCopy),
            Tunable::JackBuffer => {
                let frames = to.trim().parse().map_err(|_| not_a_figure(to))?;
                Ok(jack()?.set_buffer(frames)?)
            }
            Tunable::Priority { thread, name } => priority::put(*thread, name, to),
            Tunable::Governor { .. }
            | Tunable::MostClock { .. }
            | Tunable::WakeLimit
            | Tunable::IdleOff { .. }
            | Tunable::UsbPower { .. }
            | Tunable::InterruptCores { .. }
            | Tunable::RealtimeShare => Err(TunableError::Gone(format!("{lever:?}"))),
        }
    }
}

/// JACK itself, not PipeWire in its place.
fn jack() -> Result<Server, TunableError> {
    let server = Server::connect("swiftloop-apply")?;
    if server.about().kind == "JACK" { Ok(server) } else { Err(TunableError::Gone("JACK".into())) }
}

fn not_a_figure(text: &str) -> TunableError {
    let why = std::io::Error::new(std::io::ErrorKind::InvalidInput, "it is no figure");
    TunableError::Refused { what: text.trim().into(), why }
}
