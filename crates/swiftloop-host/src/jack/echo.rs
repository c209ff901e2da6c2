//! An interface that is not there: a client with one port each way, and what comes in goes out so many blocks and frames later.
//! For trying what measures loops, on servers without hardware.

use super::active::{BlockTask, take_part};
use super::library::Port;
use super::player::Ports;
use super::server::{Server, ServerError};
use std::ffi::c_void;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use std::time::Duration;

/// The longest delay in frames.
const LONGEST: usize = 1 << 17;

#[derive(Clone)]
struct Echoing {
    buffer_of: unsafe extern "C" fn(*mut Port, u32) -> *mut c_void,
    input: *mut Port,
    output: *mut Port,
    blocks: usize,
    frames: usize,
    ring: Vec<f32>,
    at: usize,
}

impl BlockTask for Echoing {
    fn block(&mut self, frames: u32) {
        let n = frames as usize;
        let late = (self.blocks * n + self.frames).min(LONGEST - n);
        // SAFETY: our own ports, asked for in the process callback; the buffers hold as many frames as are due.
        let (heard, out) = unsafe {
            (
                (self.buffer_of)(self.input, frames).cast::<f32>(),
                (self.buffer_of)(self.output, frames).cast::<f32>(),
            )
        };
        if heard.is_null() || out.is_null() {
            return;
        }
        for i in 0..n {
            // SAFETY: as above; i is below the frames that are due.
            self.ring[(self.at + i) % LONGEST] = unsafe { *heard.add(i) };
        }
        for i in 0..n {
            // SAFETY: as above.
            unsafe { *out.add(i) = self.ring[(self.at + i + LONGEST - late) % LONGEST] };
        }
        self.at = (self.at + n) % LONGEST;
    }
}

/// Echoes until `stop` is set or the server goes away; `ready` is called once it does.
///
/// # Errors
/// [`ServerError`].
pub fn echo(
    server: &Server,
    (blocks, frames): (usize, usize),
    stop: &AtomicBool,
    ready: impl FnOnce(),
) -> Result<(), ServerError> {
    let ports = Ports::named(server, (1, "out"), (1, "in"))?;
    let buffer_of = server.call(|api, _| api.own_ports.port_buffer).ok_or(ServerError::Gone)?;
    let work = Echoing {
        buffer_of,
        input: ports.inputs[0],
        output: ports.outputs[0],
        blocks,
        frames,
        ring: vec![0.0; LONGEST],
        at: 0,
    };
    take_part(server, &|| (), work, || {
        ready();
        while !stop.load(Relaxed) && !server.gone().load(Relaxed) {
            std::thread::sleep(Duration::from_millis(20));
        }
    })?;
    Ok(())
}

/// Ports of the client called `name` that echoes: where it listens, and where it sounds.
#[must_use]
pub fn echo_ports(name: &str) -> (String, String) {
    (format!("{name}:in 1"), format!("{name}:out 1"))
}
