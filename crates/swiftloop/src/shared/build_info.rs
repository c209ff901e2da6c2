//! What this program was built with, for whoever reports a fault or wonders what a build can do.

/// What to do where a library would have to be loaded, and this build loads none.
pub const INSTALLED: &str = "take the program that the package installs, or that `cargo install` builds: it loads \
    libraries, and reads the same files";

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
