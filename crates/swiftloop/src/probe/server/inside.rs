//! The server without any interface: a second client of ours gives back what it hears.

use crate::shared::failure::Failure;
use crate::shared::server::server_failure;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use std::thread::JoinHandle;
use swiftloop_host::jack::{Server, ServerError, echo, echo_ports};

/// A second client of ours that gives back what it hears: the server without any interface.
pub struct EchoClient {
    pub ports: (String, String),
    stop: Arc<AtomicBool>,
    thread: Option<JoinHandle<Result<(), ServerError>>>,
}

impl EchoClient {
    pub fn begin() -> Result<Self, Failure> {
        const NAME: &str = "swiftloop-inside";
        let stop = Arc::new(AtomicBool::new(false));
        let (tell, told) = std::sync::mpsc::channel();
        let until = Arc::clone(&stop);
        let thread = std::thread::spawn(move || {
            let server = Server::connect(NAME)?;
            echo(&server, (0, 0), &until, || {
                let _ = tell.send(());
            })
        });
        let begun = Self { ports: echo_ports(NAME), stop, thread: Some(thread) };
        // Without an answer it has ended, and says why when it is waited for.
        match told.recv() {
            Ok(()) => Ok(begun),
            Err(_) => Err(server_failure(begun.ended().err().unwrap_or(ServerError::Gone))),
        }
    }

    fn ended(mut self) -> Result<(), ServerError> {
        self.thread.take().map_or(Ok(()), |t| t.join().unwrap_or(Err(ServerError::Gone)))
    }
}

impl Drop for EchoClient {
    fn drop(&mut self) {
        self.stop.store(true, Relaxed);
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}
