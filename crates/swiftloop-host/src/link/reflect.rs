//! Answering: until told to stop, or for so long.

use super::clock::wall_ns;
use super::socket::{LinkError, Socket, Stamps};
use crate::soak::{no_slack, now_ns, realtime};
use std::net::SocketAddr;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use swiftloop_measure::link::reflector::{Arrived, Reflector, ReflectorTally};

/// A reflector that listens.
#[derive(Debug)]
pub struct RunningReflector {
    socket: Socket,
    reflector: Reflector,
}

/// The longest packet there is.
const LONGEST: usize = 65_536;

impl RunningReflector {
    /// Listens on an address.
    ///
    /// # Errors
    /// [`LinkError::CannotListen`].
    pub fn on(address: SocketAddr, reflector: Reflector) -> Result<Self, LinkError> {
        Ok(Self { socket: Socket::bound(address, Stamps::Arrivals)?, reflector })
    }

    /// Where it listens.
    ///
    /// # Errors
    /// What the system says.
    pub fn address(&self) -> std::io::Result<SocketAddr> {
        self.socket.udp.local_addr()
    }

    /// The kernel stamps what arrives.
    #[must_use]
    pub fn stamps(&self) -> bool {
        self.socket.stamps
    }
}

/// Answers until `stop`, or for so long; ten times a second, or a little less often, `watch` is told what was done.
pub fn reflect(
    listening: &mut RunningReflector,
    lasts: Option<Duration>,
    stop: &AtomicBool,
    mut watch: impl FnMut(&ReflectorTally, usize),
) -> ReflectorTally {
    const LOOK: Duration = Duration::from_millis(100);
    let _ = realtime();
    no_slack();
    let RunningReflector { socket, reflector } = listening;
    socket.wait_at_most(LOOK);
    let mut buffer = vec![0; LONGEST];
    let end = lasts.map(|l| now_ns().saturating_add(l.as_nanos() as u64));
    let mut told = now_ns();
    while !stop.load(Ordering::Relaxed) && end.is_none_or(|end| now_ns() < end) {
        if let Ok(Some(got)) = socket.receive(&mut buffer, true) {
            let bytes = &buffer[..got.length.min(LONGEST)];
            let arrived =
                Arrived { bytes, from: got.from, at: got.stamp.unwrap_or_else(wall_ns), ttl: got.ttl };
            if let Some(answer) = reflector.answer(&arrived, now_ns() as i64, wall_ns) {
                let _ = socket.udp.send_to(&answer, got.from);
            }
            // What is more than is answered is not even read: the kernel drops it.
            if let Some(rest) = reflector.rests(now_ns() as i64) {
                std::thread::sleep(Duration::from_nanos(rest.max(2_000_000)));
            }
        }
        if now_ns() - told > LOOK.as_nanos() as u64 {
            told = now_ns();
            watch(&reflector.tally(), reflector.senders());
        }
    }
    reflector.tally()
}
