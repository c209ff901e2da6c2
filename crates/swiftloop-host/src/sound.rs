//! Playing and recording through the system's own sound, on any system: what to play comes in, and by which devices; what was
//! recorded from the moment on in which the first sample was handed over goes out. The two streams begin when
//! they like, so the recording is cut where the output asked for the first sample of the probe: what comes back is as
//! late as a program that hands a sample over at once hears it.

use cpal::traits::{DeviceTrait, HostTrait, StreamTrait};
use cpal::{BufferSize, Device, FromSample, SampleFormat, SizedSample, StreamConfig, SupportedStreamConfig};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed, Ordering::SeqCst};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// How long a device may take to begin, and so many times longer than it lasts a take may take.
const PATIENCE: Duration = Duration::from_secs(5);
const SLOW: f64 = 3.0;
/// SoundDevices before the probe: streams that have just begun stutter.
const BEFORE_S: f64 = 0.5;
const NEVER: u64 = u64::MAX;

/// Why nothing could be played or recorded.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SoundError {
    #[error("{0}")]
    NoDevice(String),
    #[error("{0}")]
    Refused(String),
}

/// A device and one of its channels, from 1.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SoundPort {
    /// The name of the device; the usual one when left out.
    pub device: Option<String>,
    pub channel: usize,
}

impl SoundPort {
    /// From `name`, `name:channel` or `:channel`.
    #[must_use]
    pub fn of(text: Option<&str>) -> Self {
        let Some(text) = text else { return Self { device: None, channel: 1 } };
        let (name, channel) = match text.rsplit_once(':') {
            Some((name, n)) if n.parse::<usize>().is_ok_and(|n| n > 0) => (name, n.parse().unwrap_or(1)),
            _ => (text, 1),
        };
        Self { device: Some(name.to_string()).filter(|n| !n.is_empty()), channel }
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct SoundTake {
    /// Samples from the first of the probe on.
    pub samples: Vec<f32>,
    /// Errors of the streams meanwhile, lost blocks among them.
    pub errors: u64,
    /// Frames in each call of the output.
    pub block: u32,
    pub stopped: bool,
}

/// Both devices, at one rate.
pub struct SoundDevices {
    output: (Device, SupportedStreamConfig, usize),
    input: (Device, SupportedStreamConfig, usize),
}

/// What the callbacks and we all see.
struct SoundShared {
    begin: AtomicBool,
    done: AtomicBool,
    /// Frames heard since the input began, and how many there were when the first sample was asked for.
    heard: AtomicU64,
    start: AtomicU64,
    block: AtomicU64,
    errors: AtomicU64,
    recorded: Mutex<Vec<f32>>,
}

fn refused(what: &str) -> impl Fn(cpal::Error) -> SoundError {
    let what = what.to_string();
    move |e| SoundError::Refused(format!("{what}: {e}"))
}

/// All devices, each with what it can do: plays, records.
///
/// # Errors
/// [`SoundError::NoDevice`] where the system has no sound.
pub fn devices() -> Result<Vec<(String, bool, bool)>, SoundError> {
    let all = cpal::default_host().devices().map_err(|e| SoundError::NoDevice(e.to_string()))?;
    Ok(all.map(|d| (name(&d), d.supports_output(), d.supports_input())).collect())
}

fn name(device: &Device) -> String {
    device.description().map(|d| d.name().to_string()).unwrap_or_default()
}

fn pick(port: &SoundPort, input: bool) -> Result<Device, SoundError> {
    let host = cpal::default_host();
    let way = if input { "records" } else { "plays" };
    let Some(wanted) = &port.device else {
        let usual = if input { host.default_input_device() } else { host.default_output_device() };
        return usual.ok_or_else(|| SoundError::NoDevice(format!("the system has no device that {way}")));
    };
    let all = host.devices().map_err(|e| SoundError::NoDevice(e.to_string()))?;
    let fits = |d: &Device| if input { d.supports_input() } else { d.supports_output() };
    let all: Vec<Device> = all.filter(fits).collect();
    let known: Vec<String> = all.iter().map(name).collect();
    let found = all.into_iter().find(|d| name(d) == *wanted);
    found.ok_or_else(|| {
        SoundError::NoDevice(format!(
            "no device that {way} is called `{wanted}`; there are: {}",
            known.join(", ")
        ))
    })
}

impl SoundDevices {
    /// Opens both ends.
    ///
    /// # Errors
    /// [`SoundError`].
    pub fn open(play: &SoundPort, record: &SoundPort) -> Result<Self, SoundError> {
        let (output, input) = (pick(play, false)?, pick(record, true)?);
        let out = output.default_output_config().map_err(refused("the output says nothing of itself"))?;
        let into = input.default_input_config().map_err(refused("the input says nothing of itself"))?;
        for (port, has, way) in [(play, out.channels(), "output"), (record, into.channels(), "input")] {
            if port.channel > usize::from(has) {
                let what = format!("the {way} has {has} channels, and no channel {}", port.channel);
                return Err(SoundError::NoDevice(what));
            }
        }
        if out.sample_rate() != into.sample_rate() {
            let (a, b) = (out.sample_rate(), into.sample_rate());
            let what = format!("the output runs at {a} Hz and the input at {b} Hz: set both to one rate");
            return Err(SoundError::Refused(what));
        }
        Ok(Self { output: (output, out, play.channel - 1), input: (input, into, record.channel - 1) })
    }

    /// The rate of both.
    #[must_use]
    pub fn rate_hz(&self) -> u32 {
        self.output.1.sample_rate()
    }

    /// Plays and records so many frames in a buffer of the system's choice, or of this one; `progress` is told how much of it is
    /// done, and says whether to go on.
    ///
    /// # Errors
    /// [`SoundError`].
    pub fn play_and_record(
        &self,
        probe: &[f32],
        frames: usize,
        buffer: Option<u32>,
        mut progress: impl FnMut(f64) -> bool,
    ) -> Result<SoundTake, SoundError> {
        let rate = f64::from(self.rate_hz().max(1));
        let room = frames + ((BEFORE_S + PATIENCE.as_secs_f64()) * rate) as usize;
        let seen = Arc::new(SoundShared {
            begin: AtomicBool::new(false),
            done: AtomicBool::new(false),
            heard: AtomicU64::new(0),
            start: AtomicU64::new(NEVER),
            block: AtomicU64::new(0),
            errors: AtomicU64::new(0),
            recorded: Mutex::new(Vec::with_capacity(room)),
        });
        let input = self.input_stream(&seen, buffer, room)?;
        let output = self.output_stream(&seen, buffer, probe)?;
        input.play().map_err(refused("the input does not begin"))?;
        output.play().map_err(refused("the output does not begin"))?;
        let begun = Instant::now();
        let flows = || seen.heard.load(Relaxed) as f64 > BEFORE_S * rate && seen.block.load(Relaxed) > 0;
        while !flows() {
            if begun.elapsed() > PATIENCE {
                return Err(SoundError::Refused("the devices were opened and nothing flows".into()));
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        seen.errors.store(0, Relaxed);
        seen.begin.store(true, SeqCst);
        let (begun, lasts) = (Instant::now(), frames as f64 / rate);
        let mut stopped = false;
        let done = || {
            let start = seen.start.load(SeqCst);
            start != NEVER && seen.heard.load(SeqCst) >= start + frames as u64
        };
        while !done() && !stopped {
            let passed = begun.elapsed().as_secs_f64();
            stopped = !progress((passed / lasts).min(1.0));
            if passed > lasts * SLOW + 2.0 {
                return Err(SoundError::Refused("the devices do not go on in real time".into()));
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        seen.done.store(true, SeqCst);
        drop((input, output));
        let all = seen.recorded.lock().map(|r| r.clone()).unwrap_or_default();
        let start = (seen.start.load(SeqCst) as usize).min(all.len());
        let end = (start + frames).min(all.len());
        Ok(SoundTake {
            samples: all[start..end].to_vec(),
            errors: seen.errors.load(Relaxed),
            block: seen.block.load(Relaxed) as u32,
            stopped,
        })
    }

    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    fn input_stream(
        &self,
        seen: &Arc<SoundShared>,
        buffer: Option<u32>,
        room: usize,
    ) -> Result<cpal::Stream, SoundError> {
        let config = config(&self.input.1, buffer);
        match self.input.1.sample_format() {
            SampleFormat::F32 => self.input_of::<f32>(config, seen, room),
            SampleFormat::I16 => self.input_of::<i16>(config, seen, room),
            SampleFormat::I32 => self.input_of::<i32>(config, seen, room),
            SampleFormat::U16 => self.input_of::<u16>(config, seen, room),
            other => {
                Err(SoundError::Refused(format!("the input gives samples as {other}, which is not read")))
            }
        }
    }

    fn input_of<T: SizedSample>(
        &self,
        config: StreamConfig,
        seen: &Arc<SoundShared>,
        room: usize,
    ) -> Result<cpal::Stream, SoundError>
    where
        f32: FromSample<T>,
    {
        let (channels, at) = (usize::from(config.channels).max(1), self.input.2);
        let (mine, failed) = (Arc::clone(seen), Arc::clone(seen));
        let hears = move |data: &[T], _: &cpal::InputCallbackInfo| {
            if mine.done.load(SeqCst) {
                return;
            }
            if let Ok(mut all) = mine.recorded.try_lock() {
                let left = room - all.len().min(room);
                let samples = data.chunks_exact(channels).map(|frame| f32::from_sample_(frame[at]));
                all.extend(samples.take(left));
                mine.heard.store(all.len() as u64, SeqCst);
            }
        };
        let error = move |_| {
            failed.errors.fetch_add(1, Relaxed);
        };
        self.input.0.build_input_stream(config, hears, error, Some(PATIENCE)).map_err(refused("the input"))
    }

    #[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
    fn output_stream(
        &self,
        seen: &Arc<SoundShared>,
        buffer: Option<u32>,
        probe: &[f32],
    ) -> Result<cpal::Stream, SoundError> {
        let config = config(&self.output.1, buffer);
        match self.output.1.sample_format() {
            SampleFormat::F32 => self.output_of::<f32>(config, seen, probe),
            SampleFormat::I16 => self.output_of::<i16>(config, seen, probe),
            SampleFormat::I32 => self.output_of::<i32>(config, seen, probe),
            SampleFormat::U16 => self.output_of::<u16>(config, seen, probe),
            other => {
                Err(SoundError::Refused(format!("the output takes samples as {other}, which is not written")))
            }
        }
    }

    fn output_of<T: SizedSample + FromSample<f32>>(
        &self,
        config: StreamConfig,
        seen: &Arc<SoundShared>,
        probe: &[f32],
    ) -> Result<cpal::Stream, SoundError> {
        let (channels, at) = (usize::from(config.channels).max(1), self.output.2);
        let (mine, failed, probe) = (Arc::clone(seen), Arc::clone(seen), probe.to_vec());
        let mut next = 0;
        let plays = move |data: &mut [T], _: &cpal::OutputCallbackInfo| {
            mine.block.store((data.len() / channels) as u64, Relaxed);
            let playing = mine.begin.load(SeqCst);
            if playing && next == 0 {
                mine.start.store(mine.heard.load(SeqCst), SeqCst);
            }
            for frame in data.chunks_exact_mut(channels) {
                frame.fill(T::EQUILIBRIUM);
                if playing {
                    frame[at] = T::from_sample_(probe.get(next).copied().unwrap_or(0.0));
                    next += 1;
                }
            }
        };
        let error = move |_| {
            failed.errors.fetch_add(1, Relaxed);
        };
        self.output.0.build_output_stream(config, plays, error, Some(PATIENCE)).map_err(refused("the output"))
    }
}

fn config(of: &SupportedStreamConfig, buffer: Option<u32>) -> StreamConfig {
    let buffer_size = buffer.map_or(BufferSize::Default, BufferSize::Fixed);
    StreamConfig { channels: of.channels(), sample_rate: of.sample_rate(), buffer_size }
}

#[cfg(test)]
mod tests {
    use super::SoundPort;

    #[test]
    fn a_port_is_a_device_and_a_channel() {
        let of = |text| {
            let port = SoundPort::of(text);
            (port.device, port.channel)
        };
        assert_eq!(of(None), (None, 1));
        assert_eq!(of(Some("desk")), (Some("desk".into()), 1));
        assert_eq!(of(Some("desk:3")), (Some("desk".into()), 3));
        assert_eq!(of(Some(":2")), (None, 2));
        assert_eq!(of(Some("hw:card")), (Some("hw:card".into()), 1));
        assert_eq!(of(Some("hw:0")), (Some("hw:0".into()), 1));
    }
}
