//! What all commands of `link` need of a line: its port, the secret of both sides, what goes over it.

use crate::link::options::{LineSound, Secret};
use crate::shared::failure::Failure;
use swiftloop_core::session::REMOTE;
use swiftloop_files::{FileError, tables};
use swiftloop_measure::link::packet::Stream;
use swiftloop_measure::link::stamp::StampKey;
use swiftloop_units::Block;

/// The port of the standard.
pub(super) const PORT: u16 = 862;

/// The secret of both sides, if there is one.
pub(super) fn key(secret: &Secret) -> Result<Option<StampKey>, Failure> {
    /// A secret is no film.
    const LONGEST: usize = 4096;
    let Some(file) = &secret.key_file else { return Ok(None) };
    let bytes = std::fs::read(file).map_err(|e| FileError::unreadable(file, &e))?;
    let trimmed: &[u8] = bytes.strip_suffix(b"\n").unwrap_or(&bytes);
    let key = StampKey::new(trimmed).filter(|_| trimmed.len() <= LONGEST);
    key.map(Some).ok_or_else(|| {
        Failure::usage(
            format!("{} is no key: it is empty, or longer than {LONGEST} bytes", file.display()),
            "write some random letters into it, and give the same file to the other side",
        )
    })
}

/// What goes over the line.
pub(super) fn stream(sound: &LineSound, v6: bool) -> Result<Stream, Failure> {
    let frames = sound.packet.frames(sound.rate);
    let stream = Stream {
        frames: Block::new(frames),
        rate: sound.rate,
        channels: sound.channels,
        coding: sound.depth,
        v6,
    };
    if stream.per_second() > swiftloop_host::link::MOST_PER_SECOND {
        return Err(Failure::usage(
            format!("that is {:.0} packets a second", stream.per_second()),
            "put more sound into each: --packet 128",
        ));
    }
    Ok(stream)
}

/// Late packets an hour that are allowed where nobody says so.
pub(super) fn allowed(asked: Option<f64>) -> f64 {
    let table = tables().phase_kind(REMOTE).map_or(12.0, |kind| kind.late_packets_per_hour);
    asked.unwrap_or(table)
}
