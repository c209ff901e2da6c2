//! A running server: found, asked, its buffer set.

use super::library::{Api, Client, LatencyRange, candidates};
use crate::LOADS_LIBRARIES;
use std::ffi::{CStr, CString, c_char, c_int};
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering::SeqCst};
use std::sync::{Arc, mpsc};
use std::time::{Duration, Instant};

/// Ports that bring sound from outside or take it there.
const PHYSICAL: u64 = 4;
const INPUT: c_int = 1;
/// Do not start a server that is not there.
const NO_START: c_int = 1;
const AUDIO: &CStr = c"32 bit float mono audio";

/// Why a server cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ServerError {
    /// This build loads none.
    #[error("this program stands alone and loads no library, so it speaks to no JACK or PipeWire server")]
    Alone,
    #[error("no JACK library is installed")]
    NoLibrary,
    #[error("no JACK or PipeWire server is running that this user may use")]
    NoServer,
    /// It would not do what was asked.
    #[error("the server refused {0}")]
    Refused(String),
    #[error("the server went away")]
    Gone,
    /// It is there and says nothing.
    #[error("the server does not answer (waited {} seconds)", PATIENCE.as_secs())]
    Silent,
}

/// How long a server may take to answer: one that lost a client in the middle of a change may never do so.
const PATIENCE: Duration = Duration::from_secs(10);

/// What a thread of its own answers in time. Nothing when it does not: the thread is left where it hangs.
fn patiently<R: Send + 'static>(ask: impl FnOnce() -> R + Send + 'static) -> Option<R> {
    let (tell, hear) = mpsc::channel();
    std::thread::spawn(move || tell.send(ask()));
    hear.recv_timeout(PATIENCE).ok()
}

/// A client that is handed from one thread to another.
struct Handed(*mut Client);
// SAFETY: the library's calls are made from one thread at a time: who hands a client over waits for the answer, and
// calls nothing more when none comes.
unsafe impl Send for Handed {}

/// What a server is set to.
#[derive(Debug, Clone, PartialEq)]
pub struct About {
    /// `JACK` or `PipeWire`.
    pub kind: &'static str,
    /// Sample rate in hertz.
    pub rate_hz: u32,
    /// Block in frames.
    pub buffer_frames: u32,
    /// Its threads run with real-time priority.
    pub realtime: bool,
    /// Its own load in percent.
    pub load_percent: f64,
    /// Delays of the ports that lead outside.
    pub ports: Vec<PortDelay>,
    /// Its version, as its library tells it.
    pub version: Option<String>,
}

/// Delay that a port tells.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PortDelay {
    pub name: String,
    /// Sound comes from outside.
    pub capture: bool,
    /// Least and most frames.
    pub frames: (u32, u32),
}

/// A connection to a server.
pub struct Server {
    pub(super) api: Arc<Api>,
    client: *mut Client,
    /// Set when the server has gone: nothing is called any more.
    gone: Arc<AtomicBool>,
}

impl Server {
    /// Connects under `name`; starts nothing.
    ///
    /// # Errors
    /// [`ServerError`].
    pub fn connect(name: &str) -> Result<Self, ServerError> {
        let mut error = if LOADS_LIBRARIES { ServerError::NoLibrary } else { ServerError::Alone };
        for path in candidates() {
            if let Ok(api) = Api::load(&path) {
                error = ServerError::NoServer;
                match Self::open(api, name) {
                    Err(ServerError::NoServer) => continue,
                    answer => return answer,
                }
            }
        }
        Err(error)
    }

    /// Connects through one library.
    ///
    /// # Errors
    /// [`ServerError`].
    pub fn connect_by(library: PathBuf, name: &str) -> Result<Self, ServerError> {
        let api = Api::load(&library).map_err(|_| ServerError::NoLibrary)?;
        Self::open(api, name)
    }

    fn open(api: Api, name: &str) -> Result<Self, ServerError> {
        let name = CString::new(name).map_err(|_| ServerError::NoServer)?;
        let open = api.client_open;
        let opened = patiently(move || {
            let mut status: c_int = 0;
            // SAFETY: the name outlives the call; no further arguments go with these options.
            Handed(unsafe { open(name.as_ptr(), NO_START, &raw mut status) })
        });
        match opened {
            None => Err(ServerError::Silent),
            Some(Handed(client)) if client.is_null() => Err(ServerError::NoServer),
            Some(Handed(client)) => Ok(Self { api: Arc::new(api), client, gone: Arc::default() }),
        }
    }

    /// Calls a function of the library that asks the server and waits for its answer. One that does not come counts as gone.
    pub(super) fn ask<R: Send + 'static>(
        &self,
        question: impl FnOnce(&Api, *mut Client) -> R + Send + 'static,
    ) -> Option<R> {
        let (api, handed) = (Arc::clone(&self.api), Handed(self.client));
        let answer = self.call(|_, _| {
            patiently(move || {
                let handed = handed;
                question(&api, handed.0)
            })
        })?;
        if answer.is_none() {
            self.gone.store(true, SeqCst);
        }
        answer
    }

    /// Calls a function of the library, unless the server has gone.
    pub(super) fn call<R>(&self, function: impl FnOnce(&Api, *mut Client) -> R) -> Option<R> {
        (!self.gone.load(SeqCst)).then(|| function(&self.api, self.client))
    }

    /// The flag that says that the server has gone.
    pub(super) fn gone(&self) -> &Arc<AtomicBool> {
        &self.gone
    }

    /// The library in use.
    #[must_use]
    pub fn library(&self) -> PathBuf {
        self.api.path.clone()
    }

    /// Block in frames.
    #[must_use]
    pub fn buffer(&self) -> u32 {
        // SAFETY: the client is open.
        self.call(|api, client| unsafe { (api.buffer_size)(client) }).unwrap_or(0)
    }

    /// Its load in percent and its rate, without a question to anybody: both lie in memory that it shares.
    #[must_use]
    pub fn glance(&self) -> Option<(f64, u32)> {
        // SAFETY: the client is open.
        self.call(|api, client| unsafe { (f64::from((api.cpu_load)(client)), (api.sample_rate)(client)) })
    }

    /// The server went away.
    #[must_use]
    pub fn is_gone(&self) -> bool {
        self.gone.load(SeqCst)
    }

    /// Its name: JACK, or PipeWire in its place.
    #[must_use]
    pub fn kind(&self) -> &'static str {
        if self.api.is_pipewire() { "PipeWire" } else { "JACK" }
    }

    /// Sets the block and waits until it is so.
    ///
    /// # Errors
    /// [`ServerError::Refused`].
    pub fn set_buffer(&self, frames: u32) -> Result<(), ServerError> {
        self.ask_buffer(frames)?;
        if self.api.is_pipewire() {
            // There a block holds as long as the client that asked for it: its own comes back without our help.
            return Ok(());
        }
        let refused = || ServerError::Refused(format!("a buffer of {frames} frames"));
        let patience = Instant::now() + Duration::from_secs(3);
        while self.buffer() != frames {
            if Instant::now() > patience {
                return Err(refused());
            }
            std::thread::sleep(Duration::from_millis(10));
        }
        Ok(())
    }

    /// Asks for a block; when it is so, [`Server::buffer`] tells.
    pub(super) fn ask_buffer(&self, frames: u32) -> Result<(), ServerError> {
        if self.buffer() == frames {
            return Ok(());
        }
        // SAFETY: the client is open.
        match self.ask(move |api, client| unsafe { (api.set_buffer_size)(client, frames) }) {
            Some(0) => Ok(()),
            Some(_) => Err(ServerError::Refused(format!("a buffer of {frames} frames"))),
            None => Err(ServerError::Gone),
        }
    }

    /// What it is set to.
    #[must_use]
    pub fn about(&self) -> About {
        let ask = |api: &Api, client: *mut Client| {
            // SAFETY: the client is open.
            unsafe { ((api.sample_rate)(client), (api.is_realtime)(client) != 0, (api.cpu_load)(client)) }
        };
        let (rate_hz, realtime, load) = self.call(ask).unwrap_or_default();
        About {
            kind: if self.api.is_pipewire() { "PipeWire" } else { "JACK" },
            rate_hz,
            buffer_frames: self.buffer(),
            realtime,
            load_percent: f64::from(load),
            ports: self.ports(),
            version: self.version(),
        }
    }

    fn version(&self) -> Option<String> {
        let ask = self.api.version.filter(|_| !self.api.is_pipewire())?;
        // SAFETY: it gives a text that lives as long as the library.
        let text = unsafe { ask() };
        // SAFETY: as above; checked for null.
        (!text.is_null()).then(|| unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned())
    }

    fn ports(&self) -> Vec<PortDelay> {
        self.ask(ports_of).unwrap_or_default()
    }
}

/// The ports that lead outside, with the delays they tell; the client has to be open.
fn ports_of(api: &Api, client: *mut Client) -> Vec<PortDelay> {
    let mut found = Vec::new();
    // SAFETY: the list ends with a null pointer and is given back afterwards; names live as long as the list.
    unsafe {
        let list = (api.ports)(client, std::ptr::null(), AUDIO.as_ptr(), PHYSICAL as _);
        let mut at = list;
        while !at.is_null() && !(*at).is_null() {
            let name: *const c_char = *at;
            let port = (api.port_by_name)(client, name);
            if !port.is_null() {
                // An input port of the server takes sound outside.
                let capture = (api.port_flags)(port) & INPUT == 0;
                let mut range = LatencyRange::default();
                (api.port_latency)(port, c_int::from(!capture), &raw mut range);
                let name = CStr::from_ptr(name).to_string_lossy().into_owned();
                found.push(PortDelay { name, capture, frames: (range.min, range.max) });
            }
            at = at.add(1);
        }
        if !list.is_null() {
            (api.free)(list.cast());
        }
    }
    found
}

impl Drop for Server {
    fn drop(&mut self) {
        // SAFETY: the client is open and used nowhere else.
        self.ask(|api, client| unsafe { (api.client_close)(client) });
    }
}
