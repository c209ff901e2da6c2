//! LADSPA 1.1, as its public header declares it.

use super::instance::{Handle, Instance};
use super::{Listed, Running, Standard, Unfit};
use libloading::Library;
use std::ffi::{CStr, c_char, c_int, c_ulong, c_void};
use std::path::Path;

#[repr(C)]
struct RangeHint {
    hints: c_int,
    lower: f32,
    upper: f32,
}

#[repr(C)]
struct LadspaDescriptor {
    unique_id: c_ulong,
    label: *const c_char,
    properties: c_int,
    name: *const c_char,
    maker: *const c_char,
    copyright: *const c_char,
    port_count: c_ulong,
    port_descriptors: *const c_int,
    port_names: *const *const c_char,
    range_hints: *const RangeHint,
    implementation: *mut c_void,
    instantiate: Option<unsafe extern "C" fn(*const Self, c_ulong) -> Handle>,
    connect_port: Option<unsafe extern "C" fn(Handle, c_ulong, *mut f32)>,
    activate: Option<unsafe extern "C" fn(Handle)>,
    run: Option<unsafe extern "C" fn(Handle, c_ulong)>,
    run_adding: Option<unsafe extern "C" fn(Handle, c_ulong)>,
    set_run_adding_gain: Option<unsafe extern "C" fn(Handle, f32)>,
    deactivate: Option<unsafe extern "C" fn(Handle)>,
    cleanup: Option<unsafe extern "C" fn(Handle)>,
}

const INPUT: c_int = 1;
const CONTROL: c_int = 4;
const AUDIO: c_int = 8;
/// Processors in one library, at the most: whoever never says that there is no further one is not believed.
const MOST: c_ulong = 10_000;
/// Ports of one processor, at the most.
const MOST_PORTS: c_ulong = 4_096;

pub(super) struct Ladspa;

type Describe = unsafe extern "C" fn(c_ulong) -> *const LadspaDescriptor;

fn library(path: &Path) -> Result<(Library, Describe), Unfit> {
    // SAFETY: initialisers of foreign code run here, and whatever they do, they do it in a process of their own.
    let library = unsafe { Library::new(path) }.map_err(|e| Unfit::not_loaded(&e))?;
    // SAFETY: the symbol has this type in every library of the standard.
    let describe = unsafe { library.get::<Describe>(b"ladspa_descriptor\0") }
        .map(|f| *f)
        .map_err(|_| Unfit::NoLibrary("it is no LADSPA library: it has no ladspa_descriptor".into()))?;
    Ok((library, describe))
}

fn word(text: *const c_char) -> String {
    if text.is_null() {
        return String::new();
    }
    // SAFETY: the standard asks for text that ends with a zero.
    unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned()
}

fn descriptors(describe: Describe) -> impl Iterator<Item = *const LadspaDescriptor> {
    // SAFETY: asked for one after another, as the standard says, until there is none.
    (0..MOST).map(move |i| unsafe { describe(i) }).take_while(|d| !d.is_null())
}

/// Kinds of its ports.
fn ports(d: &LadspaDescriptor) -> Vec<c_int> {
    if d.port_descriptors.is_null() {
        return Vec::new();
    }
    // SAFETY: the standard asks for as many as it has ports.
    (0..d.port_count.min(MOST_PORTS) as usize).map(|i| unsafe { *d.port_descriptors.add(i) }).collect()
}

impl Standard for Ladspa {
    fn word(&self) -> &'static str {
        "ladspa"
    }

    fn may_be(&self, path: &Path) -> bool {
        path.is_file() && path.extension().is_none_or(|e| e != "clap")
    }

    fn places(&self) -> (&'static str, &'static [&'static str]) {
        ("LADSPA_PATH", &["~/.ladspa", "/usr/local/lib/ladspa", "/usr/lib/ladspa"])
    }

    fn list(&self, path: &Path) -> Result<Vec<Listed>, Unfit> {
        let (_library, describe) = library(path)?;
        let of = |d: *const LadspaDescriptor| {
            // SAFETY: not null, and as the standard declares it.
            let d = unsafe { &*d };
            let kinds = ports(d);
            let count = |input: bool| {
                kinds.iter().filter(|k| **k & AUDIO != 0 && (**k & INPUT != 0) == input).count()
            };
            Listed {
                id: word(d.label),
                name: word(d.name),
                channels: (count(true), count(false)),
                version: None,
            }
        };
        Ok(descriptors(describe).map(of).collect())
    }

    fn begin(&self, path: &Path, id: &str, rate_hz: u32, longest: usize) -> Result<Box<dyn Running>, Unfit> {
        let (library, describe) = library(path)?;
        // SAFETY: not null, and as the standard declares it; it lives as long as the library.
        let all = descriptors(describe).map(|d| unsafe { &*d });
        let found =
            all.into_iter().find(|d| word(d.label) == id).ok_or_else(|| Unfit::NotThere(id.into()))?;
        let refused = || Unfit::WouldNotBegin(rate_hz);
        let (instantiate, connect, run) = (
            found.instantiate.ok_or_else(refused)?,
            found.connect_port.ok_or_else(refused)?,
            found.run.ok_or_else(refused)?,
        );
        // SAFETY: as the standard asks.
        let handle = unsafe { instantiate(found, c_ulong::from(rate_hz)) };
        if handle.is_null() {
            return Err(refused());
        }
        let kinds = ports(found);
        let mut plugin = LadspaPlugin {
            instance: Instance { handle, stop: found.deactivate, end: found.cleanup },
            run,
            inputs: Vec::new(),
            outputs: Vec::new(),
            controls: vec![0.0; kinds.len()].into_boxed_slice(),
            latency: None,
            _library: library,
        };
        for (i, kind) in kinds.iter().enumerate() {
            let at = if kind & AUDIO != 0 {
                let sounds = if kind & INPUT != 0 { &mut plugin.inputs } else { &mut plugin.outputs };
                // Moving the vectors leaves what they hold where it is.
                sounds.push(vec![0.0f32; longest]);
                sounds.last_mut().map_or(std::ptr::null_mut(), |v| v.as_mut_ptr())
            } else {
                if kind & INPUT != 0 {
                    plugin.controls[i] = usual(found, i, rate_hz);
                } else if kind & CONTROL != 0 && is_latency(found, i) {
                    plugin.latency = Some(i);
                }
                &raw mut plugin.controls[i]
            };
            // SAFETY: each port gets a place that lives as long as the instance.
            unsafe { connect(handle, i as c_ulong, at) };
        }
        if plugin.inputs.is_empty() && plugin.outputs.is_empty() {
            return Err(Unfit::NoSound);
        }
        if let Some(activate) = found.activate {
            // SAFETY: as the standard asks.
            unsafe { activate(handle) };
        }
        Ok(Box::new(plugin))
    }
}

fn port_name(d: &LadspaDescriptor, i: usize) -> String {
    if d.port_names.is_null() {
        return String::new();
    }
    // SAFETY: the standard asks for as many names as there are ports.
    word(unsafe { *d.port_names.add(i) })
}

/// By custom an output called `latency` (or `_latency`) tells the delay in frames.
fn is_latency(d: &LadspaDescriptor, i: usize) -> bool {
    matches!(port_name(d, i).to_lowercase().as_str(), "latency" | "_latency")
}

/// The default of a control, by its hints.
fn usual(d: &LadspaDescriptor, i: usize, rate_hz: u32) -> f32 {
    if d.range_hints.is_null() {
        return 0.0;
    }
    // SAFETY: the standard asks for as many hints as there are ports.
    let hint = unsafe { &*d.range_hints.add(i) };
    let times = if hint.hints & 8 != 0 { rate_hz as f32 } else { 1.0 };
    let (lower, upper) = (hint.lower * times, hint.upper * times);
    let log = hint.hints & 0x10 != 0 && lower > 0.0 && upper > 0.0;
    let between = |share: f32| {
        if log {
            (lower.ln() * (1.0 - share) + upper.ln() * share).exp()
        } else {
            lower * (1.0 - share) + upper * share
        }
    };
    match hint.hints & 0x3c0 {
        0x40 => lower,
        0x80 => between(0.25),
        0xc0 => between(0.5),
        0x100 => between(0.75),
        0x140 => upper,
        0x200 => 0.0,
        0x240 => 1.0,
        0x280 => 100.0,
        0x2c0 => 440.0,
        // Without a default: within its bounds, zero if it may be.
        _ => {
            let least = if hint.hints & 1 != 0 { lower } else { f32::NEG_INFINITY };
            let most = if hint.hints & 2 != 0 { upper } else { f32::INFINITY };
            if least <= most { 0f32.clamp(least, most) } else { 0.0 }
        }
    }
}

struct LadspaPlugin {
    instance: Instance,
    run: unsafe extern "C" fn(Handle, c_ulong),
    inputs: Vec<Vec<f32>>,
    outputs: Vec<Vec<f32>>,
    controls: Box<[f32]>,
    latency: Option<usize>,
    /// Keeps the code where it is; dropped last.
    _library: Library,
}

impl Running for LadspaPlugin {
    fn inputs(&mut self) -> &mut [Vec<f32>] {
        &mut self.inputs
    }

    fn outputs(&self) -> &[Vec<f32>] {
        &self.outputs
    }

    fn work(&mut self, frames: usize) {
        // SAFETY: all ports are connected, and hold at least as many frames as anybody asks for.
        unsafe { (self.run)(self.instance.handle, frames as c_ulong) };
    }

    fn reported(&self) -> Option<f64> {
        self.latency.map(|i| f64::from(self.controls[i]))
    }
}
