//! Ctrl-C and the like, as a flag that whoever works looks at.

use crate::shared::failure::Failure;
use std::sync::Arc;
use std::sync::atomic::AtomicBool;

/// Ctrl-C and the like end the soak, not the program: it still reports. A second one ends the program.
pub fn stopped_by_signals() -> Result<Arc<AtomicBool>, Failure> {
    let stop = Arc::new(AtomicBool::new(false));
    for signal in [signal_hook::consts::SIGINT, signal_hook::consts::SIGTERM] {
        signal_hook::flag::register_conditional_default(signal, Arc::clone(&stop))?;
        signal_hook::flag::register(signal, Arc::clone(&stop))?;
    }
    Ok(stop)
}
