//! What this program was built with, for whoever reports a fault or wonders what a build can do.

/// For `--version`; `-V` says the number alone.
pub const LONG_VERSION: &str = concat!(
    env!("CARGO_PKG_VERSION"),
    env!("SWIFTLOOP_BUILT_FROM"),
    "\nbuilt with:  ",
    env!("SWIFTLOOP_BUILT_WITH"),
    "\nbuilt for:   ",
    env!("SWIFTLOOP_BUILT_FOR"),
    "\nthe system's own sound (probe run --through system):  ",
    env!("SWIFTLOOP_BUILT_SOUND"),
    "\nprocessors to weigh, servers to speak to:  ",
    env!("SWIFTLOOP_BUILT_LOADS"),
);
