//! A LADSPA library whose processors are known to the frame, or fail in every way that there is: what weighing is tried on. A
//! label comes in (each is a processor of its own), what that processor does is known. Never shipped.
#![allow(clippy::missing_safety_doc)]

mod clap;
mod reach;

use std::ffi::{c_char, c_int, c_ulong, c_void};
use std::hint::black_box;

#[repr(C)]
struct Hint(c_int, f32, f32);

/// As the public header declares it.
#[repr(C)]
pub struct Descriptor {
    unique_id: c_ulong,
    label: *const c_char,
    properties: c_int,
    name: *const c_char,
    maker: *const c_char,
    copyright: *const c_char,
    port_count: c_ulong,
    ports: *const c_int,
    names: *const *const c_char,
    hints: *const Hint,
    implementation: *mut c_void,
    instantiate: unsafe extern "C" fn(*const Self, c_ulong) -> *mut c_void,
    connect: unsafe extern "C" fn(*mut c_void, c_ulong, *mut f32),
    activate: Option<unsafe extern "C" fn(*mut c_void)>,
    run: unsafe extern "C" fn(*mut c_void, c_ulong),
    run_adding: Option<unsafe extern "C" fn(*mut c_void, c_ulong)>,
    gain: Option<unsafe extern "C" fn(*mut c_void, f32)>,
    deactivate: Option<unsafe extern "C" fn(*mut c_void)>,
    cleanup: unsafe extern "C" fn(*mut c_void),
}

/// What each processor does.
const LABELS: [&std::ffi::CStr; 24] = [
    c"plain",
    c"delay-240",
    c"delay-10.5",
    c"lies-512",
    c"work",
    c"burst-1024",
    c"burst-480",
    c"quiet",
    c"denormal",
    c"not-a-number",
    c"crash",
    c"late-crash",
    c"crash-at-once",
    c"abort",
    c"exit",
    c"hang",
    c"hang-at-once",
    c"leak",
    c"print",
    c"overflow",
    c"division",
    c"past-the-end",
    c"fork",
    c"reach",
];

/// Steps of work in each call of `work`, and in each frame: a call is as dear as 200 frames.
const CALL: u32 = 12_000;
const FRAME: u32 = 60;
/// The call in which the late one crashes.
const LATE: u64 = 9_000;

struct Instance {
    label: &'static str,
    input: *mut f32,
    output: *mut f32,
    latency: *mut f32,
    calls: u64,
    seen: u64,
    past: Vec<f32>,
    at: usize,
    kept: Vec<Vec<u8>>,
    reached: u32,
}

unsafe extern "C" fn instantiate(descriptor: *const Descriptor, _rate: c_ulong) -> *mut c_void {
    // SAFETY: the host hands back our own descriptor.
    let label = unsafe { std::ffi::CStr::from_ptr((*descriptor).label) }.to_str().unwrap_or("plain");
    match label {
        "crash-at-once" => crash(),
        "hang-at-once" => hang(),
        _ => {}
    }
    let null = std::ptr::null_mut();
    let past = vec![0.0; 1024];
    Box::into_raw(Box::new(Instance {
        label,
        input: null,
        output: null,
        latency: null,
        calls: 0,
        seen: 0,
        past,
        at: 0,
        kept: Vec::new(),
        reached: 0,
    }))
    .cast()
}

unsafe extern "C" fn connect(handle: *mut c_void, port: c_ulong, to: *mut f32) {
    // SAFETY: the host hands back our own instance.
    let own = unsafe { &mut *handle.cast::<Instance>() };
    match port {
        0 => own.input = to,
        1 => own.output = to,
        _ => own.latency = to,
    }
}

fn crash() {
    // SAFETY: none; that is what it is for.
    unsafe { std::ptr::null_mut::<u8>().write_volatile(1) };
}

fn hang() {
    let mut n = 0u64;
    loop {
        n = black_box(n.wrapping_add(1));
    }
}

/// So many steps, each of which waits for the one before.
fn work(steps: u32) -> f32 {
    let mut x = black_box(0.5f32);
    for _ in 0..steps {
        x = x.mul_add(0.999, 0.000_1);
    }
    black_box(x)
}

#[allow(unconditional_recursion)]
fn overflow(n: u64) -> u64 {
    let page = black_box([n; 512]);
    overflow(n + 1) + page[(n % 512) as usize]
}

unsafe extern "C" fn run(handle: *mut c_void, frames: c_ulong) {
    // SAFETY: the host hands back our own instance.
    let own = unsafe { &mut *handle.cast::<Instance>() };
    let n = frames as usize;
    // SAFETY: the host connected buffers of at least so many frames.
    let (input, output) =
        unsafe { (std::slice::from_raw_parts(own.input, n), std::slice::from_raw_parts_mut(own.output, n)) };
    own.calls += 1;
    let mut reported = 0.0;
    let late = |own: &mut Instance, output: &mut [f32], whole: usize, half: bool| {
        for (i, o) in output.iter_mut().enumerate() {
            let len = own.past.len();
            own.past[own.at] = input[i];
            let at = |back: usize| own.past[(own.at + len - back) % len];
            *o = if half { 0.5 * (at(whole) + at(whole + 1)) } else { at(whole) };
            own.at = (own.at + 1) % len;
        }
    };
    let burst = |own: &mut Instance, block: u64| {
        let before = own.seen / block;
        own.seen += n as u64;
        for _ in before..own.seen / block {
            work(40_000);
        }
    };
    let plain = |output: &mut [f32]| output.copy_from_slice(input);
    match own.label {
        "delay-240" => {
            late(own, output, 240, false);
            reported = 240.0;
        }
        // Two neighbours by halves: later by half a frame, for all frequencies.
        "delay-10.5" => late(own, output, 10, true),
        "lies-512" => late(own, output, 512, false),
        "work" => {
            work(CALL + FRAME * n as u32);
            plain(output);
        }
        "burst-1024" => {
            burst(own, 1024);
            plain(output);
        }
        "burst-480" => {
            burst(own, 480);
            plain(output);
        }
        "quiet" => {
            if input.iter().any(|s| *s != 0.0) {
                work(200 * n as u32);
            }
            plain(output);
        }
        "denormal" => {
            // Its state goes on from what comes in: small numbers where only small ones do.
            for (o, i) in output.iter_mut().zip(input) {
                for s in &mut own.past[..32] {
                    *s = 0.5 * *s + *i;
                }
                *o = own.past[0];
            }
        }
        "not-a-number" => output.fill(f32::NAN),
        "crash" => crash(),
        "late-crash" => {
            plain(output);
            if own.calls > LATE / 16 {
                crash();
            }
        }
        "abort" => std::process::abort(),
        "exit" => std::process::exit(0),
        "hang" => hang(),
        "leak" => {
            // Taken, not touched: the machine has better use for it.
            own.kept.push(vec![0; 128 << 20]);
            std::thread::sleep(std::time::Duration::from_millis(10));
            plain(output);
        }
        "print" => {
            println!("{{\"stage\":\"done\"}}");
            eprintln!("{{\"stage\":\"done\"}}");
            plain(output);
        }
        "overflow" => output[0] = overflow(0) as f32,
        "division" => {
            // By the machine's own instruction: the language would not do it.
            #[cfg(target_arch = "x86_64")]
            // SAFETY: none; that is what it is for.
            unsafe {
                std::arch::asm!("div {0}", in(reg) 0u64, inout("rax") 1u64 => _, inout("rdx") 0u64 => _);
            }
            #[cfg(not(target_arch = "x86_64"))]
            crash();
        }
        "past-the-end" => {
            for i in 0..1usize << 30 {
                // SAFETY: none; that is what it is for.
                unsafe { output.as_mut_ptr().add(n + i).write_volatile(0.0) };
            }
        }
        "fork" => {
            // A few, that would stay for long.
            if own.calls < 6 {
                // SAFETY: the child does nothing but sleep.
                unsafe {
                    if libc::fork() == 0 {
                        loop {
                            libc::sleep(86_321);
                        }
                    }
                }
            }
            plain(output);
        }
        "reach" => {
            plain(output);
            if own.calls == 1 {
                own.reached = reach::all();
            }
            reported = own.reached as f32;
        }
        _ => plain(output),
    }
    if !own.latency.is_null() {
        // SAFETY: the host connected it.
        unsafe { *own.latency = reported };
    }
}

unsafe extern "C" fn cleanup(handle: *mut c_void) {
    // SAFETY: the host hands back our own instance, for the last time.
    drop(unsafe { Box::from_raw(handle.cast::<Instance>()) });
}

struct Names([*const c_char; 3]);
// SAFETY: they point to constants.
unsafe impl Sync for Names {}

static PORTS: [c_int; 3] = [1 | 8, 2 | 8, 2 | 4];
static NAMES: Names = Names([c"in".as_ptr(), c"out".as_ptr(), c"latency".as_ptr()]);
static HINTS: [Hint; 3] = [Hint(0, 0.0, 0.0), Hint(0, 0.0, 0.0), Hint(0, 0.0, 0.0)];

/// One after another, until there is none.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn ladspa_descriptor(index: c_ulong) -> *const Descriptor {
    let Some(label) = LABELS.get(index as usize) else { return std::ptr::null() };
    // Kept for good, as the standard asks.
    Box::leak(Box::new(Descriptor {
        unique_id: index + 1,
        label: label.as_ptr(),
        properties: 0,
        name: label.as_ptr(),
        maker: c"nobody".as_ptr(),
        copyright: c"none".as_ptr(),
        port_count: 3,
        ports: PORTS.as_ptr(),
        names: NAMES.0.as_ptr(),
        hints: HINTS.as_ptr(),
        implementation: std::ptr::null_mut(),
        instantiate,
        connect,
        activate: None,
        run,
        run_adding: None,
        gain: None,
        deactivate: None,
        cleanup,
    }))
}
