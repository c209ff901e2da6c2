//! Headers of WAV files. A file comes in; what its samples are and where they begin goes out. What a format chunk means is
//! hound's business; finding it is ours, because chunks of odd length are followed by a byte that counts for none.

use super::depth::Depth;
use std::io::{Cursor, Read, Seek, SeekFrom};
use swiftloop_units::Hz;

/// No format chunk is longer.
const LONGEST_FORMAT: u32 = 4096;
/// More chunks before the samples no recorder writes; a file of zeros would have one in every eight bytes.
const MOST_CHUNKS: usize = 10_000;

/// What a header says, and where the samples begin.
pub(super) struct Header {
    pub rate: Hz,
    pub channels: usize,
    pub depth: Depth,
    /// Bytes of a sample.
    pub container: usize,
    /// Where the samples begin, in bytes.
    pub data: u64,
    /// How many bytes of them the header promises.
    pub bytes: u64,
}

type HeaderRefusal = (String, &'static str);

impl Header {
    pub fn read(file: impl Read + Seek) -> Result<Self, HeaderRefusal> {
        const SAVE_AS: &str = "save it as WAV: 16, 24 or 32 bits, or 32 bits float";
        let found = HeaderChunks::in_file(file).map_err(|e| (e.to_string(), "check the file"))?;
        let other = match found.header.get(..4).unwrap_or_default() {
            b"RF64" | b"BW64" => Some("a long WAV (RF64): this form is not read"),
            b"RIFX" => Some("a WAV for other processors (RIFX)"),
            b"FORM" => Some("an AIFF file"),
            b"fLaC" => Some("a FLAC file"),
            b"OggS" => Some("an Ogg file"),
            _ => None,
        };
        if let Some(what) = other {
            return Err((
                format!("it is {what}"),
                "save it as a plain WAV of less than 4 GB, in pieces if need be",
            ));
        }
        let fault = |e: hound::Error| {
            let why = match e {
                hound::Error::IoError(_) => "it ends within its header".to_string(),
                hound::Error::FormatError(why) => format!("it is no WAV file: {why}"),
                other @ hound::Error::TooWide
                | other @ hound::Error::UnfinishedSample
                | other @ hound::Error::Unsupported
                | other @ hound::Error::InvalidSampleFormat => {
                    format!("it is no WAV file that is read here: {other}")
                }
            };
            (why, SAVE_AS)
        };
        let parsed = hound::WavReader::new(Cursor::new(&found.header)).map_err(fault)?;
        let (spec, count) = (parsed.spec(), u64::from(parsed.len()));
        let container = usize::from(found.block / spec.channels.max(1));
        let depth = match (spec.sample_format, spec.bits_per_sample) {
            (hound::SampleFormat::Int, 16) => Depth::Int16,
            (hound::SampleFormat::Int, 24) => Depth::Int24,
            (hound::SampleFormat::Int, 32) => Depth::Int32,
            (hound::SampleFormat::Float, 32) => Depth::Float32,
            (_, bits) => return Err((format!("its samples have {bits} bits"), SAVE_AS)),
        };
        if container < depth.bytes() {
            return Err(("its header contradicts itself about the size of a sample".into(), SAVE_AS));
        }
        let Ok(rate) = spec.sample_rate.to_string().parse() else {
            return Err((
                format!("its sample rate is {} Hz", spec.sample_rate),
                "8000 to 768000 Hz are possible",
            ));
        };
        let channels = usize::from(spec.channels);
        Ok(Self { rate, channels, depth, container, data: found.data, bytes: count * container as u64 })
    }
}

/// What matters of a file's header.
struct HeaderChunks {
    /// The header without any other chunk, up to the first sample.
    header: Vec<u8>,
    /// Bytes of a frame.
    block: u16,
    /// Where the samples begin.
    data: u64,
}

impl HeaderChunks {
    /// Walks from chunk to chunk up to the samples, or to the end of the file.
    fn in_file(mut file: impl Read + Seek) -> std::io::Result<Self> {
        let mut found = Self { header: Vec::new(), block: 0, data: 0 };
        file.by_ref().take(12).read_to_end(&mut found.header)?;
        let mut at = 12;
        for _ in 0..MOST_CHUNKS {
            let mut head = Vec::new();
            file.seek(SeekFrom::Start(at))?;
            file.by_ref().take(8).read_to_end(&mut head)?;
            let Ok([name @ .., a, b, c, d]) = <[u8; 8]>::try_from(head.as_slice()) else { return Ok(found) };
            let length = u32::from_le_bytes([a, b, c, d]);
            at += 8;
            match &name {
                b"data" => {
                    found.header.extend(head);
                    found.data = at;
                    return Ok(found);
                }
                b"fmt " if length <= LONGEST_FORMAT => {
                    found.header.extend(head);
                    let from = found.header.len();
                    file.by_ref().take(u64::from(length)).read_to_end(&mut found.header)?;
                    if let Some(&[low, high]) = found.header.get(from + 12..from + 14) {
                        found.block = u16::from_le_bytes([low, high]);
                    }
                }
                _ => {}
            }
            at += u64::from(length);
            if length % 2 == 1 {
                // A zero fills up chunks of odd length; some recorders forget it.
                let mut filler = [1];
                file.seek(SeekFrom::Start(at))?;
                at += u64::from(file.read(&mut filler)? == 1 && filler[0] == 0);
            }
        }
        Ok(found)
    }
}
