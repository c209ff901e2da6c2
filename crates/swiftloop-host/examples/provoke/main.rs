//! Steals a block's time on purpose, and records it: `provoke KIND TRACE` plays a thread with a period of 64 frames at 48 kHz,
//! lets a thief of the kind loose on its core, writes the kernel's text into TRACE, and tells on its output, a line for
//! each late block, whether the thief was at work then. Tests read the trace and compare. Needs root.

#[cfg(target_os = "linux")]
mod group;
#[cfg(target_os = "linux")]
mod run;
#[cfg(target_os = "linux")]
mod storm;
#[cfg(target_os = "linux")]
mod thieves;
#[cfg(target_os = "linux")]
mod threads;
#[cfg(target_os = "linux")]
mod victim;

#[cfg(not(target_os = "linux"))]
fn main() {
    println!("skip: this is for Linux");
}

#[cfg(target_os = "linux")]
fn main() {
    let arguments: Vec<String> = std::env::args().collect();
    let (Some(kind), Some(trace)) = (arguments.get(1), arguments.get(2)) else {
        eprintln!("provoke fifo|net|kernel|timers|quota|faults TRACE [SECONDS,SECONDS,…]");
        std::process::exit(2);
    };
    // When the thief of `net` is at work, in seconds from the first block; again and again when nothing is said.
    let at =
        arguments.get(3).map(|list| list.split(',').filter_map(|s| s.parse().ok()).collect::<Vec<f64>>());
    if let Err(why) = run::run(kind, trace, at.unwrap_or_default()) {
        println!("skip: {why}");
    }
}
