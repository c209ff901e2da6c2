//! WAV files. A path comes in; out comes a recording of which any stretch can be fetched, by several workers at once,
//! without ever holding all of it; and the other way round, samples become a file. The header is hound's business, the
//! samples are taken in bulk.

mod depth;
mod header;

use crate::FileError;
pub use depth::Depth;
use header::Header;
use std::fs::File;
use std::io::{BufReader, Cursor};
use std::ops::Range;
use std::path::{Path, PathBuf};
use swiftloop_measure::listen::AudioSource;
use swiftloop_units::Hz;

/// A WAV file, open.
#[derive(Debug)]
pub struct Recording {
    path: PathBuf,
    file: File,
    rate: Hz,
    channels: usize,
    frames: u64,
    depth: Depth,
    /// Bytes from one sample to the next.
    container: usize,
    data: u64,
    /// What is odd about the file, though it can be read.
    pub note: Option<String>,
}

impl Recording {
    /// Opens a file and reads its header.
    ///
    /// # Errors
    /// [`FileError::Unreadable`] with what is wrong and what to do.
    pub fn open(path: &Path) -> Result<Self, FileError> {
        let wrong =
            |why: String, help: &str| FileError::Unreadable { path: path.into(), why, help: help.into() };
        let about = path.metadata().map_err(|e| FileError::unreadable(path, &e))?;
        if !about.is_file() {
            let what = if about.is_dir() { "it is a folder" } else { "it is no plain file" };
            return Err(wrong(
                what.into(),
                "give a WAV file; places are looked up in it, so a pipe will not do",
            ));
        }
        let file = File::open(path).map_err(|e| FileError::unreadable(path, &e))?;
        let mut reader = BufReader::new(file);
        let header = Header::read(&mut reader).map_err(|(why, help)| wrong(why, help))?;
        let there = about.len().saturating_sub(header.data);
        let block = (header.container * header.channels) as u64;
        let declared = header.bytes / block;
        let found = there / block;
        let note = if declared == 0 && found > 0 {
            Some(format!(
                "the header says that it is empty, the recorder seems to have stopped early; read are the {found} frames that are there"
            ))
        } else if declared > found {
            Some(format!(
                "the header says {declared} frames, the file holds {found}: it was cut off; read is what is there"
            ))
        } else {
            None
        };
        let frames = if declared == 0 { found } else { declared.min(found) };
        if frames == 0 {
            return Err(wrong("it holds no frames".into(), "record again"));
        }
        Ok(Self {
            path: path.into(),
            file: reader.into_inner(),
            rate: header.rate,
            channels: header.channels,
            frames,
            depth: header.depth,
            container: header.container,
            data: header.data,
            note,
        })
    }

    /// How samples are stored.
    #[must_use]
    pub fn depth(&self) -> Depth {
        self.depth
    }

    /// All of it, a vector for each channel.
    ///
    /// # Errors
    /// As for [`AudioSource::fetch`].
    pub fn whole(&self) -> Result<Vec<Vec<f32>>, FileError> {
        self.fetch(0, self.frames)
    }

    /// Length in seconds.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.frames as f64 / f64::from(self.rate.get())
    }
}

/// The largest float that is taken for a sample: what stands there where whole numbers of 32 bits were written as floats.
/// Sums of squares over an hour of them are still far from the end of what a float can hold.
const LOUDEST: f32 = 2_147_483_648.0;
/// Bytes that are read in one go: they stay near the processor until every channel has taken its own.
const PIECE: usize = 48 * 1024;

#[cfg(unix)]
fn read_at(file: &File, into: &mut [u8], at: u64) -> std::io::Result<()> {
    std::os::unix::fs::FileExt::read_exact_at(file, into, at)
}

#[cfg(windows)]
fn read_at(file: &File, mut into: &mut [u8], mut at: u64) -> std::io::Result<()> {
    while !into.is_empty() {
        let n = std::os::windows::fs::FileExt::seek_read(file, into, at)?;
        if n == 0 {
            return Err(std::io::ErrorKind::UnexpectedEof.into());
        }
        into = &mut into[n..];
        at += n as u64;
    }
    Ok(())
}

/// Where a system has no reading at a place: one after the other, since all share where the file stands.
#[cfg(not(any(unix, windows)))]
fn read_at(mut file: &File, into: &mut [u8], at: u64) -> std::io::Result<()> {
    use std::io::{Read, Seek, SeekFrom};
    static TURN: std::sync::Mutex<()> = std::sync::Mutex::new(());
    let _turn = TURN.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    file.seek(SeekFrom::Start(at))?;
    file.read_exact(into)
}

impl AudioSource for Recording {
    type Error = FileError;

    fn rate(&self) -> Hz {
        self.rate
    }
    fn channels(&self) -> usize {
        self.channels
    }
    fn frames(&self) -> u64 {
        self.frames
    }
    fn step(&self) -> f32 {
        self.depth.step()
    }

    fn fetch_into(
        &self,
        from: u64,
        to: u64,
        of: Range<usize>,
        into: &mut Vec<Vec<f32>>,
    ) -> Result<(), FileError> {
        let unreadable = |why: String, help: &str| FileError::Unreadable {
            path: self.path.clone(),
            why,
            help: help.into(),
        };
        let block = self.container * self.channels;
        into.resize_with(of.len(), Vec::new);
        for channel in into.iter_mut() {
            channel.clear();
            channel.reserve((to - from) as usize);
        }
        let piece = (PIECE / block).max(1) as u64;
        let mut bytes = vec![0; block * piece.min(to - from) as usize];
        for at in (from..to).step_by(piece as usize) {
            let bytes = &mut bytes[..(to - at).min(piece) as usize * block];
            read_at(&self.file, bytes, self.data + at * block as u64).map_err(|e| {
                unreadable(
                    format!("frames {from} to {to}: {e}"),
                    "the file may have changed meanwhile: try again",
                )
            })?;
            for (c, channel) in of.clone().zip(into.iter_mut()) {
                let before = channel.len();
                extend(channel, bytes, c, self.channels, self.container, self.depth);
                // Only floats can be no number, or none that anybody recorded.
                let wrong = |x: &f32| self.depth == Depth::Float32 && (x.is_nan() || x.abs() > LOUDEST);
                if let Some(n) = channel[before..].iter().position(wrong) {
                    let (frame, channel, value) = (at + n as u64, c + 1, channel[before + n]);
                    return Err(if value.is_finite() {
                        let level = 20.0 * f64::from(value.abs()).log10();
                        unreadable(
                            format!(
                                "frame {frame} of channel {channel} is {level:.0} dB above full scale: no sound"
                            ),
                            "some processor ran away: render the file again without it",
                        )
                    } else {
                        unreadable(
                            format!("frame {frame} of channel {channel} is no number"),
                            "some processor wrote not-a-number or infinity: render the file again without it",
                        )
                    });
                }
            }
        }
        Ok(())
    }
}

/// Appends one channel out of interleaved bytes.
fn extend(
    into: &mut Vec<f32>,
    bytes: &[u8],
    channel: usize,
    channels: usize,
    container: usize,
    depth: Depth,
) {
    let block = container * channels;
    let own = &bytes[channel * container..];
    // The significant bytes of an integer are the last ones of its container; those of 24 bits stand in the low bytes of
    // a wider one. Four bytes are taken at a time: the one too many falls off.
    let of_24 = |b: [u8; 4]| ((u32::from_le_bytes(b) << 8) as i32 >> 8) as f32 * (1.0 / 8_388_608.0);
    match depth {
        Depth::Int16 => {
            let own = &own[container - 2..];
            take(into, own, block, |b| f32::from(i16::from_le_bytes(b)) * (1.0 / 32_768.0));
        }
        Depth::Int24 if block < 4 => take(into, own, block, |[a, b, c]| of_24([a, b, c, 0])),
        Depth::Int24 => take(into, own, block, of_24),
        Depth::Int32 => {
            take(into, own, block, |b| i32::from_le_bytes(b) as f32 * (1.0 / 2_147_483_648.0));
        }
        Depth::Float32 => take(into, own, block, f32::from_le_bytes),
    }
}

/// The value of the first `N` bytes of every block; `N` is four at the most.
fn take<const N: usize>(into: &mut Vec<f32>, own: &[u8], block: usize, value: impl Fn([u8; N]) -> f32) {
    /// Much faster than a block that the compiler does not know.
    fn known<const N: usize, const BLOCK: usize>(
        into: &mut Vec<f32>,
        own: &[u8],
        value: impl Fn([u8; N]) -> f32,
    ) {
        into.extend(own.as_chunks::<BLOCK>().0.iter().map(|b| value(std::array::from_fn(|i| b[i]))));
    }
    match block {
        4 => known::<N, 4>(into, own, &value),
        6 => known::<N, 6>(into, own, &value),
        8 => known::<N, 8>(into, own, &value),
        _ => into.extend(own.chunks_exact(block).map(|b| value(std::array::from_fn(|i| b[i])))),
    }
    // At the very end nothing follows the channel's own bytes.
    let rest = &own[own.len() / block * block..];
    if rest.len() >= N.min(3) {
        into.push(value(std::array::from_fn(|i| rest.get(i).copied().unwrap_or(0))));
    }
}

/// The bytes of a WAV file.
///
/// # Errors
/// Why it cannot be: more than a WAV file can hold.
pub fn wav_bytes(channels: &[Vec<f32>], rate: Hz, depth: Depth) -> Result<Vec<u8>, String> {
    let frames = channels.iter().map(Vec::len).min().unwrap_or(0);
    let (count, bits, format) = match depth {
        Depth::Int16 => (channels.len(), 16, hound::SampleFormat::Int),
        Depth::Int24 => (channels.len(), 24, hound::SampleFormat::Int),
        Depth::Int32 => (channels.len(), 32, hound::SampleFormat::Int),
        Depth::Float32 => (channels.len(), 32, hound::SampleFormat::Float),
    };
    if frames as u64 * count as u64 * depth.bytes() as u64 > 0xffff_0000 {
        return Err("it would be larger than 4 GB, the most that a WAV file can hold".into());
    }
    let spec = hound::WavSpec {
        channels: u16::try_from(count).map_err(|_| "too many channels".to_string())?,
        sample_rate: rate.get(),
        bits_per_sample: bits,
        sample_format: format,
    };
    let mut bytes = Cursor::new(Vec::new());
    let mut write = || -> Result<(), hound::Error> {
        let mut writer = hound::WavWriter::new(&mut bytes, spec)?;
        let full = f64::from(2f32.powi(i32::from(bits) - 1));
        for n in 0..frames {
            for channel in channels {
                if depth == Depth::Float32 {
                    writer.write_sample(channel[n])?;
                } else {
                    let value = (f64::from(channel[n]) * full).round().clamp(-full, full - 1.0);
                    writer.write_sample(value as i32)?;
                }
            }
        }
        writer.finalize()
    };
    write().map_err(|e| e.to_string())?;
    Ok(bytes.into_inner())
}
