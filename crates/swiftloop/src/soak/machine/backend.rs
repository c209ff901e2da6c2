//! What wakes the soak: threads of our own, or a running server.

use super::work::SoakPlan;
use crate::shared::failure::Failure;
use crate::shared::server::Guard;
use crate::shared::server::server_failure;
use crate::soak::options::SoakOptions;
use std::sync::atomic::AtomicBool;
use swiftloop_host::jack::{About, Server, soak_through};
use swiftloop_host::soak::{Record, SoakMeter, Task, soak};
use swiftloop_units::{Block, Hz};

/// Threads of our own, or a server with whoever guards its buffer.
pub enum Backend {
    Own,
    Server { server: Box<Server>, guard: Option<Guard> },
}

impl Backend {
    /// As the options ask. A server's rate is what it is, and so is its block unless the options ask for another.
    pub fn of(options: &SoakOptions, plan: &mut SoakPlan) -> Result<Self, Failure> {
        if options.through.is_none() {
            return Ok(Self::Own);
        }
        if options.workers.is_some_and(|w| w > 1) {
            return Err(Failure::usage(
                "a server calls each of its clients on one thread",
                "leave out --workers, or soak without --through",
            ));
        }
        let server = Server::connect("swiftloop").map_err(server_failure)?;
        let about = server.about();
        let rate = Hz::new(about.rate_hz);
        if options.rate.is_some_and(|r| r != rate) {
            return Err(Failure::usage(
                format!("the server runs at {rate} Hz"),
                "its rate is set where it is started; leave out --rate",
            ));
        }
        plan.through(
            rate,
            (options.buffer.is_none() && !options.ladder).then_some(Block::new(about.buffer_frames)),
        )?;
        let changes = plan.blocks.iter().any(|b| b.get() != about.buffer_frames);
        let guard = if changes { Some(Guard::post(&server)?) } else { None };
        Ok(Self::Server { server: Box::new(server), guard })
    }

    /// Soaks; whether the server went away.
    pub fn soak(
        &mut self,
        block: Block,
        task: &Task,
        meter: &SoakMeter,
        stop: &AtomicBool,
        watch: impl FnMut(&SoakMeter, f64) -> bool,
    ) -> Result<(Record, bool), Failure> {
        match self {
            Self::Own => soak(task, meter, stop, watch)
                .map(|r| (r, false))
                .map_err(|e| Failure::machine(e.to_string(), "close other programs and try again")),
            Self::Server { server, .. } => {
                let (record, error) =
                    soak_through(server, block.get(), task, meter, stop, watch).map_err(server_failure)?;
                Ok((record, error.is_some()))
            }
        }
    }

    /// Puts the server's buffer back; what the server is set to then. Nothing when it has `gone`.
    pub fn finish(self, gone: bool) -> Option<About> {
        let Self::Server { server, guard } = self else { return None };
        if let Some(guard) = guard {
            guard.dismiss((!gone).then_some(&server));
        }
        if gone {
            return None;
        }
        let load_percent = server.about().load_percent;
        drop(server);
        // Looked at anew: a client of its own may see its own block.
        Server::connect("swiftloop").ok().map(|s| About { load_percent, ..s.about() })
    }
}
