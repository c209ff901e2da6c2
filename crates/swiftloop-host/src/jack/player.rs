//! Playing and recording at once: what to play comes in, and by which ports; what was recorded from the same moment on goes out.
//! Both begin in the same block, so that what comes back is as late as the loop is long, and nothing has to be
//! lined up by hand.

use super::active::{BlockTask, take_part};
use super::library::{Api, Client, Port};
use super::server::{Server, ServerError};
use std::ffi::CString;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed, Ordering::SeqCst};
use std::time::{Duration, Instant};

/// How long a server may take to change its block.
const PATIENCE: Duration = Duration::from_secs(3);
/// Blocks that have to come at the new size before anything is played.
const SETTLED: u64 = 8;
/// So many times longer than it lasts a take may take.
const SLOW: f64 = 3.0;

/// What is to be played and recorded.
#[derive(Debug, Clone)]
pub struct ToPlay<'a> {
    /// Each channel, all of one length.
    pub channels: &'a [Vec<f32>],
    /// The port that each goes to.
    pub to: &'a [String],
    /// Ports that are recorded.
    pub from: &'a [String],
    /// Frames that are recorded.
    pub frames: usize,
    /// The block that the server is asked for; its own when left out.
    pub buffer: Option<u32>,
}

#[derive(Debug, Clone, PartialEq)]
pub struct PlayedTake {
    /// A vector for each port.
    pub channels: Vec<Vec<f32>>,
    /// The block that it was played and recorded in.
    pub buffer_frames: u32,
    /// Xruns meanwhile: what they spoilt, if anything, shows in what was recorded.
    pub xruns: u64,
    /// Frames that were recorded, no more than asked for.
    pub frames: usize,
    pub stopped: bool,
}

/// What the callback and we both see.
#[derive(Debug, Default)]
struct PlayerShared {
    /// The block of the last call, in a row of so many.
    block: AtomicU64,
    in_a_row: AtomicU64,
    begin: AtomicBool,
    done: AtomicBool,
    /// Xruns while it played.
    xruns: AtomicU64,
    /// A block of another size came while it played.
    changed: AtomicBool,
}

/// What the process callback works on.
#[derive(Clone)]
struct Playing {
    buffer_of: unsafe extern "C" fn(*mut Port, u32) -> *mut std::ffi::c_void,
    outputs: Vec<*mut Port>,
    inputs: Vec<*mut Port>,
    play: Vec<Vec<f32>>,
    record: Vec<Vec<f32>>,
    at: usize,
    frames: usize,
    /// The block it began with.
    block: u32,
    seen: Arc<PlayerShared>,
}

impl BlockTask for Playing {
    fn block(&mut self, frames: u32) {
        let seen = &self.seen;
        if seen.block.swap(u64::from(frames), Relaxed) == u64::from(frames) {
            seen.in_a_row.fetch_add(1, Relaxed);
        } else {
            seen.in_a_row.store(1, Relaxed);
        }
        let playing = seen.begin.load(SeqCst) && self.at < self.frames;
        if playing && self.at == 0 {
            self.block = frames;
        }
        if playing && self.block != frames {
            seen.changed.store(true, SeqCst);
        }
        let n = frames as usize;
        let keep = if playing { n.min(self.frames - self.at) } else { 0 };
        // Heard first: where ports of ours are joined to each other one buffer serves both, and what is in it now is what was
        // played a block ago.
        for (port, samples) in self.inputs.iter().zip(&mut self.record) {
            // SAFETY: as above.
            let heard = unsafe { (self.buffer_of)(*port, frames).cast::<f32>() };
            if keep > 0 && !heard.is_null() {
                // SAFETY: as above.
                let heard = unsafe { std::slice::from_raw_parts(heard, n) };
                samples[self.at..self.at + keep].copy_from_slice(&heard[..keep]);
            }
        }
        for (port, samples) in self.outputs.iter().zip(&self.play) {
            // SAFETY: our own ports, asked for in the process callback; the buffer holds as many frames as are due.
            let out = unsafe { (self.buffer_of)(*port, frames).cast::<f32>() };
            if out.is_null() {
                continue;
            }
            // SAFETY: as above.
            let out = unsafe { std::slice::from_raw_parts_mut(out, n) };
            let from = if playing { self.at.min(samples.len()) } else { samples.len() };
            let have = (samples.len() - from).min(n);
            out[..have].copy_from_slice(&samples[from..from + have]);
            out[have..].fill(0.0);
        }
        if !playing {
            return;
        }
        self.at += keep;
        if self.at >= self.frames {
            seen.done.store(true, SeqCst);
        }
    }
}

/// Plays and records; `progress` is told how much of it is done, and says whether to go on.
///
/// # Errors
/// [`ServerError`]: a port that is not there, a block that the server does not take, a server that goes away.
pub fn play_and_record(
    server: &Server,
    what: &ToPlay<'_>,
    mut progress: impl FnMut(f64) -> bool,
) -> Result<PlayedTake, ServerError> {
    let own = Ports::named(server, (what.channels.len(), "probe"), (what.from.len(), "back"))?;
    let seen = Arc::new(PlayerShared::default());
    let work = Playing {
        buffer_of: server.call(|api, _| api.own_ports.port_buffer).ok_or(ServerError::Gone)?,
        outputs: own.outputs.clone(),
        inputs: own.inputs.clone(),
        play: what.channels.to_vec(),
        record: vec![vec![0.0; what.frames]; what.from.len()],
        at: 0,
        frames: what.frames,
        block: 0,
        seen: Arc::clone(&seen),
    };
    let rate = f64::from(server.about().rate_hz.max(1));
    let lasts = what.frames as f64 / rate;
    // Who joins or leaves may well cause one; those count that fall into the take.
    let missed = || {
        if seen.begin.load(SeqCst) && !seen.done.load(SeqCst) {
            seen.xruns.fetch_add(1, Relaxed);
        }
    };
    let (took, outcome) = take_part(server, &missed, work, || -> Result<bool, ServerError> {
        own.connect(server, what)?;
        settle(server, what.buffer, &seen)?;
        seen.begin.store(true, SeqCst);
        let begun = Instant::now();
        while !seen.done.load(SeqCst) && !server.gone().load(SeqCst) {
            let passed = begun.elapsed().as_secs_f64();
            if !progress((passed / lasts).min(1.0)) {
                return Ok(true);
            }
            if passed > lasts * SLOW + 2.0 {
                return Err(ServerError::Refused("to play on in real time".into()));
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        Ok(false)
    })?;
    own.unregister(server);
    if took.lost {
        return Err(ServerError::Gone);
    }
    let stopped = outcome?;
    if seen.changed.load(SeqCst) {
        return Err(ServerError::Refused("to keep its buffer while the probe was played".into()));
    }
    let work = took.work;
    Ok(PlayedTake {
        channels: work.record,
        buffer_frames: work.block,
        xruns: seen.xruns.load(Relaxed),
        frames: work.at,
        stopped,
    })
}

/// Gets the server to a block, and waits until blocks come at it.
fn settle(server: &Server, buffer: Option<u32>, seen: &PlayerShared) -> Result<(), ServerError> {
    let begun = Instant::now();
    let wanted = |now: u64| buffer.is_none_or(|b| now == u64::from(b));
    loop {
        if wanted(seen.block.load(Relaxed)) && seen.in_a_row.load(Relaxed) >= SETTLED {
            return Ok(());
        }
        if server.gone().load(SeqCst) {
            return Err(ServerError::Gone);
        }
        if begun.elapsed() > PATIENCE {
            return Err(ServerError::Refused(match buffer {
                Some(frames) => format!("a buffer of {frames} frames"),
                None => "to call this client".into(),
            }));
        }
        // PipeWire listens only to a client that has taken part for a moment, so it is asked until it does.
        if let Some(frames) = buffer.filter(|b| server.buffer() != *b) {
            let _ = server.ask_buffer(frames);
        }
        std::thread::sleep(Duration::from_millis(50));
    }
}

pub(super) struct Ports {
    pub outputs: Vec<*mut Port>,
    pub inputs: Vec<*mut Port>,
}

const AUDIO: &std::ffi::CStr = c"32 bit float mono audio";
const INPUT: std::ffi::c_ulong = 1;
const OUTPUT: std::ffi::c_ulong = 2;

impl Ports {
    /// So many outputs and inputs, numbered behind a word.
    pub fn named(
        server: &Server,
        outputs: (usize, &str),
        inputs: (usize, &str),
    ) -> Result<Self, ServerError> {
        let make = |api: &Api, client: *mut Client, name: String, flags| {
            let name = CString::new(name).ok()?;
            // SAFETY: the client is open, the words outlive the call.
            let port =
                unsafe { (api.own_ports.port_register)(client, name.as_ptr(), AUDIO.as_ptr(), flags, 0) };
            (!port.is_null()).then_some(port)
        };
        let all = |(count, word): (usize, &str), flags| -> Option<Vec<*mut Port>> {
            let name = |n: usize| format!("{word} {}", n + 1);
            server.call(|api, client| (0..count).map(|n| make(api, client, name(n), flags)).collect())?
        };
        let refused = || ServerError::Refused("to make ports".into());
        Ok(Self {
            outputs: all(outputs, OUTPUT).ok_or_else(refused)?,
            inputs: all(inputs, INPUT).ok_or_else(refused)?,
        })
    }

    /// To the ports that were named.
    fn connect(&self, server: &Server, what: &ToPlay<'_>) -> Result<(), ServerError> {
        for (i, to) in what.to.iter().enumerate() {
            join(server, &self.name(server, self.outputs.get(i).copied())?, &cstring(to)?)?;
        }
        for (i, from) in what.from.iter().enumerate() {
            join(server, &cstring(from)?, &self.name(server, self.inputs.get(i).copied())?)?;
        }
        Ok(())
    }

    fn name(&self, server: &Server, port: Option<*mut Port>) -> Result<CString, ServerError> {
        let refused = || ServerError::Refused("to name its ports".into());
        let port = port.ok_or_else(refused)?;
        let name = server.call(|api, _| {
            // SAFETY: our own port; its name lives as long as the port.
            let name = unsafe { (api.own_ports.port_name)(port) };
            // SAFETY: as above.
            (!name.is_null()).then(|| unsafe { std::ffi::CStr::from_ptr(name) }.to_owned())
        });
        name.ok_or(ServerError::Gone)?.ok_or_else(refused)
    }

    fn unregister(&self, server: &Server) {
        for port in self.outputs.iter().chain(&self.inputs) {
            // SAFETY: our own port, used no more.
            server.call(|api, client| unsafe { (api.own_ports.port_unregister)(client, *port) });
        }
    }
}

fn cstring(name: &str) -> Result<CString, ServerError> {
    CString::new(name).map_err(|_| ServerError::Refused(format!("the port `{name}`")))
}

fn join(server: &Server, from: &CString, to: &CString) -> Result<(), ServerError> {
    /// They are connected already (errno `EEXIST`).
    const ALREADY: i32 = 17;
    let (a, b) = (from.clone(), to.clone());
    // SAFETY: the client is active, the names outlive the call.
    let join = move |api: &Api, client| unsafe { (api.own_ports.connect)(client, a.as_ptr(), b.as_ptr()) };
    match server.ask(join).ok_or(ServerError::Gone)? {
        0 | ALREADY => Ok(()),
        _ => Err(ServerError::Refused(format!(
            "to connect {} to {}",
            from.to_string_lossy(),
            to.to_string_lossy()
        ))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::jack::active::tests::call;
    use crate::jack::active::{CallbackState, closed};
    use std::ffi::c_void;

    /// One buffer for all ports: what is played is heard a block later.
    unsafe extern "C" fn buffer_of(port: *mut Port, _: u32) -> *mut c_void {
        port.cast()
    }

    #[test]
    fn what_is_played_is_recorded_from_the_same_moment_without_asking_for_memory() {
        let mut wire = vec![0.0f32; 256];
        let port: *mut Port = wire.as_mut_ptr().cast();
        let seen = Arc::new(PlayerShared::default());
        let play: Vec<f32> = (0..700).map(|i| i as f32).collect();
        let work = Playing {
            buffer_of,
            outputs: vec![port],
            inputs: vec![port],
            play: vec![play.clone()],
            record: vec![vec![0.0; 1000]],
            at: 0,
            frames: 1000,
            block: 0,
            seen: Arc::clone(&seen),
        };
        let state = CallbackState::new(&Arc::default(), &|| (), work);
        assert!(!call(&state, &[128; 10]));
        assert!(seen.in_a_row.load(Relaxed) >= SETTLED && !seen.done.load(SeqCst));
        seen.begin.store(true, SeqCst);
        assert!(!call(&state, &[128; 8]));
        assert!(seen.done.load(SeqCst) && !seen.changed.load(SeqCst));
        let work = (*closed(state).unwrap()).into_work();
        assert_eq!((&work.record[0][128..828], work.block, work.at), (&play[..], 128, 1000));
        assert!(work.record[0][828..].iter().all(|s| *s == 0.0));
    }
}
