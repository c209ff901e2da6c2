//! The way the probe goes: through an audio server, or, where the program was built with it, through the system's own sound.

use super::inside::EchoClient;
use crate::probe::options::ProbeRunOptions;
use crate::shared::failure::Failure;
use crate::shared::server::{Guard, server_failure};
use swiftloop_host::jack::{About, Server, ToPlay, play_and_record};
use swiftloop_units::{Block, Hz};

pub enum ProbePath {
    Server {
        server: Box<Server>,
        own: Block,
        to: String,
        from: String,
        _inside: Option<EchoClient>,
    },
    #[cfg(feature = "sound")]
    System(Box<swiftloop_host::sound::SoundDevices>),
}

pub struct Played {
    pub channels: Vec<Vec<f32>>,
    pub block: Block,
    pub lost: u64,
    pub stopped: bool,
}

impl ProbePath {
    pub fn open(options: &ProbeRunOptions) -> Result<Self, Failure> {
        #[cfg(feature = "sound")]
        if options.through == crate::probe::options::ProbeThrough::System {
            use swiftloop_host::sound::{SoundDevices, SoundPort};
            if options.inside {
                return Err(Failure::usage(
                    "--inside measures a server alone, and the system's own sound is none",
                    "leave out --inside, or --through system",
                ));
            }
            let (play, record) =
                (SoundPort::of(options.play.as_deref()), SoundPort::of(options.record.as_deref()));
            return Ok(Self::System(Box::new(SoundDevices::open(&play, &record).map_err(sound_failure)?)));
        }
        let server = Server::connect("swiftloop").map_err(server_failure)?;
        let about = server.about();
        let inside = if options.inside { Some(EchoClient::begin()?) } else { None };
        let (to, from) = match &inside {
            Some(inside) => inside.ports.clone(),
            None => {
                let port = |named: &Option<String>, capture| port(named.as_deref(), &about, capture);
                (port(&options.play, false)?, port(&options.record, true)?)
            }
        };
        let own = Block::new(about.buffer_frames);
        Ok(Self::Server { server: Box::new(server), own, to, from, _inside: inside })
    }

    pub fn rate(&self) -> Hz {
        match self {
            Self::Server { server, .. } => Hz::new(server.about().rate_hz),
            #[cfg(feature = "sound")]
            Self::System(sound) => Hz::new(sound.rate_hz()),
        }
    }

    /// The buffer that is set; none where the system chooses one.
    pub fn own(&self) -> Option<Block> {
        match self {
            Self::Server { own, .. } => Some(*own),
            #[cfg(feature = "sound")]
            Self::System(_) => None,
        }
    }

    /// Who puts the buffer back, where somebody has to: the system's own sound has one for each program.
    pub fn guard(&self, buffers: &[Block]) -> Result<Option<Guard>, Failure> {
        match self {
            Self::Server { server, own, .. } if buffers.iter().any(|b| b != own) => {
                Guard::post(server).map(Some)
            }
            Self::Server { .. } => Ok(None),
            #[cfg(feature = "sound")]
            Self::System(_) => Ok(None),
        }
    }

    pub fn put_back(&self, guard: Option<Guard>) {
        match self {
            Self::Server { server, .. } => {
                if let Some(guard) = guard {
                    guard.dismiss(Some(server));
                }
            }
            #[cfg(feature = "sound")]
            Self::System(_) => {}
        }
    }

    /// Plays the probe and records so many frames.
    pub fn play(
        &self,
        channels: &[Vec<f32>],
        frames: usize,
        buffer: Option<Block>,
        go_on: impl FnMut(f64) -> bool,
    ) -> Result<Played, Failure> {
        match self {
            Self::Server { server, to, from, .. } => {
                let (to, from) = ([to.clone()], [from.clone()]);
                let buffer = buffer.map(Block::get);
                let what = ToPlay { channels, to: &to, from: &from, frames, buffer };
                let take = play_and_record(server, &what, go_on).map_err(server_failure)?;
                Ok(Played {
                    channels: take.channels,
                    block: Block::new(take.buffer_frames),
                    lost: take.xruns,
                    stopped: take.stopped,
                })
            }
            #[cfg(feature = "sound")]
            Self::System(sound) => {
                let probe = channels.first().map_or(&[][..], Vec::as_slice);
                let heard = sound
                    .play_and_record(probe, frames, buffer.map(Block::get), go_on)
                    .map_err(sound_failure)?;
                let block = buffer.unwrap_or(Block::new(heard.block.max(1)));
                Ok(Played {
                    channels: vec![heard.samples],
                    block,
                    lost: heard.errors,
                    stopped: heard.stopped,
                })
            }
        }
    }
}

#[cfg(feature = "sound")]
fn sound_failure(error: swiftloop_host::sound::SoundError) -> Failure {
    Failure::machine(
        error.to_string(),
        "name devices with --play and --record as the system calls them (a channel after a colon: \"desk:2\"), or ask for \
         another of --buffers",
    )
}

/// The port that was named, or the first there is.
fn port(named: Option<&str>, about: &About, capture: bool) -> Result<String, Failure> {
    let (option, way) = if capture { ("--record", "brings sound in") } else { ("--play", "takes sound out") };
    let there: Vec<&str> =
        about.ports.iter().filter(|p| p.capture == capture).map(|p| p.name.as_str()).collect();
    match named {
        // A port of a program is not in the list, and the server knows it all the same.
        Some(name) => Ok(name.to_string()),
        None => there.first().map(|p| (*p).to_string()).ok_or_else(|| {
            Failure::machine(
                format!("the server has no port that {way}"),
                format!("connect an interface, name a port with {option}, or add --inside to measure the server alone"),
            )
        }),
    }
}
