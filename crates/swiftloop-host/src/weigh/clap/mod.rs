//! CLAP 1, as its public headers declare it: a library with an entry, a factory and processors that say by extensions what they
//! have. Offered is to tell threads apart, and nothing else: all of it runs on one thread, that plays both parts.

mod events;
mod sounds;

use super::{Listed, Running, Standard, Unfit};
use clap_sys::entry::clap_plugin_entry;
use clap_sys::events::{clap_input_events, clap_output_events};
use clap_sys::ext::audio_ports::{CLAP_EXT_AUDIO_PORTS, clap_audio_port_info, clap_plugin_audio_ports};
use clap_sys::ext::latency::{CLAP_EXT_LATENCY, clap_plugin_latency};
use clap_sys::ext::note_ports::{CLAP_EXT_NOTE_PORTS, clap_note_port_info, clap_plugin_note_ports};
use clap_sys::ext::state::{CLAP_EXT_STATE, clap_plugin_state};
use clap_sys::ext::thread_check::{CLAP_EXT_THREAD_CHECK, clap_host_thread_check};
use clap_sys::factory::plugin_factory::{CLAP_PLUGIN_FACTORY_ID, clap_plugin_factory};
use clap_sys::host::clap_host;
use clap_sys::plugin::{clap_plugin, clap_plugin_descriptor};
use clap_sys::process::{CLAP_PROCESS_ERROR, clap_process};
use clap_sys::stream::clap_istream;
use clap_sys::version::{CLAP_VERSION, clap_version_is_compatible};
use events::{Event, get, how_many, push, read};
use libloading::Library;
use sounds::Sounds;
use std::ffi::{CStr, CString, c_char, c_void};
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

/// Processors in one library, and ports and channels of one processor, at the most.
const MOST: u32 = 10_000;
const MOST_PORTS: u32 = 64;
const MOST_CHANNELS: u32 = 256;

/// The part that this process plays now: that of the thread for sound, or that of the main one.
static SOUNDS: AtomicBool = AtomicBool::new(false);

unsafe extern "C" fn is_main(_: *const clap_host) -> bool {
    !SOUNDS.load(Relaxed)
}

unsafe extern "C" fn is_sound(_: *const clap_host) -> bool {
    SOUNDS.load(Relaxed)
}

static THREADS: clap_host_thread_check =
    clap_host_thread_check { is_main_thread: Some(is_main), is_audio_thread: Some(is_sound) };

unsafe extern "C" fn extension(_: *const clap_host, id: *const c_char) -> *const c_void {
    // SAFETY: the standard asks for text that ends with a zero.
    if !id.is_null() && unsafe { CStr::from_ptr(id) } == CLAP_EXT_THREAD_CHECK {
        return (&raw const THREADS).cast();
    }
    std::ptr::null()
}

unsafe extern "C" fn never_mind(_: *const clap_host) {}

fn host() -> clap_host {
    clap_host {
        clap_version: CLAP_VERSION,
        host_data: std::ptr::null_mut(),
        name: c"Swift Loop".as_ptr(),
        vendor: c"Swift Loop".as_ptr(),
        url: c"".as_ptr(),
        version: c"1".as_ptr(),
        get_extension: Some(extension),
        request_restart: Some(never_mind),
        request_process: Some(never_mind),
        request_callback: Some(never_mind),
    }
}

pub(super) struct Clap;

/// A library that was begun.
struct OpenedLibrary {
    factory: *const clap_plugin_factory,
    entry: *const clap_plugin_entry,
    /// Keeps the code where it is; dropped last.
    _library: Library,
}

impl Drop for OpenedLibrary {
    fn drop(&mut self) {
        // SAFETY: begun, and nothing of it is used any more.
        unsafe { (*self.entry).deinit.map(|end| end()) };
    }
}

fn word(text: *const c_char) -> String {
    if text.is_null() {
        return String::new();
    }
    // SAFETY: the standard asks for text that ends with a zero.
    unsafe { CStr::from_ptr(text) }.to_string_lossy().into_owned()
}

impl OpenedLibrary {
    fn new(path: &Path) -> Result<Self, Unfit> {
        // SAFETY: initialisers of foreign code run here, and whatever they do, they do it in a process of their own.
        let library = unsafe { Library::new(path) }.map_err(|e| Unfit::not_loaded(&e))?;
        // SAFETY: the symbol has this type in every library of the standard.
        let entry = unsafe { library.get::<*const clap_plugin_entry>(b"clap_entry\0") }
            .map(|e| *e)
            .map_err(|_| Unfit::NoLibrary("it is no CLAP library: it has no clap_entry".into()))?;
        // SAFETY: a constant of the library.
        let said = unsafe { &*entry };
        if !clap_version_is_compatible(said.clap_version) {
            return Err(Unfit::NoLibrary("it is of a CLAP before version 1".into()));
        }
        let would_not = || Unfit::NoLibrary("it would not begin".into());
        let name = CString::new(path.display().to_string()).map_err(|_| would_not())?;
        let (init, factory) = (said.init.ok_or_else(would_not)?, said.get_factory.ok_or_else(would_not)?);
        // SAFETY: as the standard asks, once, before anything else.
        if !unsafe { init(name.as_ptr()) } {
            return Err(would_not());
        }
        // SAFETY: begun.
        let factory: *const clap_plugin_factory = unsafe { factory(CLAP_PLUGIN_FACTORY_ID.as_ptr()) }.cast();
        let opened = Self { factory, entry, _library: library };
        if factory.is_null() { Err(Unfit::NoLibrary("it makes no processors".into())) } else { Ok(opened) }
    }

    fn descriptors(&self) -> Vec<*const clap_plugin_descriptor> {
        // SAFETY: not null.
        let factory = unsafe { &*self.factory };
        let (Some(count), Some(get)) = (factory.get_plugin_count, factory.get_plugin_descriptor) else {
            return Vec::new();
        };
        // SAFETY: as the standard asks.
        let count = unsafe { count(self.factory) }.min(MOST);
        // SAFETY: each below the count.
        (0..count).map(|i| unsafe { get(self.factory, i) }).filter(|d| !d.is_null()).collect()
    }
}

/// A processor that was made, ended with this.
struct MadePlugin {
    plugin: *const clap_plugin,
    active: bool,
    processing: bool,
    _host: Box<clap_host>,
}

impl MadePlugin {
    fn new(opened: &OpenedLibrary, id: &str) -> Result<Self, Unfit> {
        let not_there = || Unfit::NotThere(id.into());
        let host = Box::new(host());
        let name = CString::new(id).map_err(|_| not_there())?;
        // SAFETY: not null.
        let create = unsafe { (*opened.factory).create_plugin }.ok_or_else(not_there)?;
        // SAFETY: the host lives as long as the processor.
        let plugin = unsafe { create(opened.factory, &raw const *host, name.as_ptr()) };
        if plugin.is_null() {
            return Err(not_there());
        }
        let made = Self { plugin, active: false, processing: false, _host: host };
        // SAFETY: once, before anything else.
        let begun = made.said().init.is_none_or(|init| unsafe { init(plugin) });
        if begun { Ok(made) } else { Err(Unfit::Wants("what it needs at its beginning".into())) }
    }

    fn said(&self) -> &clap_plugin {
        // SAFETY: not null, and there until it is destroyed.
        unsafe { &*self.plugin }
    }

    /// What it has, by the name of an extension.
    fn has<T>(&self, id: &CStr) -> Option<&T> {
        // SAFETY: as the standard asks; what comes is of the type that goes with the name.
        unsafe { self.said().get_extension?(self.plugin, id.as_ptr()).cast::<T>().as_ref() }
    }

    /// Channels of each port.
    fn ports(&self, input: bool) -> Vec<u32> {
        let Some(ports) = self.has::<clap_plugin_audio_ports>(CLAP_EXT_AUDIO_PORTS) else {
            return Vec::new();
        };
        let (Some(count), Some(get)) = (ports.count, ports.get) else { return Vec::new() };
        // SAFETY: as the standard asks.
        let count = unsafe { count(self.plugin, input) }.min(MOST_PORTS);
        let channels = |i| {
            // SAFETY: all zeros is such a thing.
            let mut info: clap_audio_port_info = unsafe { std::mem::zeroed() };
            // SAFETY: each below the count, into a place of ours.
            unsafe { get(self.plugin, i, input, &raw mut info) }
                .then_some(info.channel_count.min(MOST_CHANNELS))
        };
        (0..count).filter_map(channels).collect()
    }

    /// The dialects in which it takes notes; none where it takes none.
    fn dialects(&self) -> Option<u32> {
        let ports = self.has::<clap_plugin_note_ports>(CLAP_EXT_NOTE_PORTS)?;
        // SAFETY: as the standard asks.
        let count = unsafe { ports.count?(self.plugin, true) };
        // SAFETY: all zeros is such a thing; there is a first port.
        let mut info: clap_note_port_info = unsafe { std::mem::zeroed() };
        // SAFETY: as above.
        (count > 0 && unsafe { ports.get?(self.plugin, 0, true, &raw mut info) })
            .then_some(info.supported_dialects)
    }
}

impl Drop for MadePlugin {
    fn drop(&mut self) {
        let said = *self.said();
        SOUNDS.store(true, Relaxed);
        if let Some(stop) = said.stop_processing.filter(|_| self.processing) {
            // SAFETY: it was begun.
            unsafe { stop(self.plugin) };
        }
        SOUNDS.store(false, Relaxed);
        let deactivate = said.deactivate.filter(|_| self.active);
        for end in [deactivate, said.destroy].into_iter().flatten() {
            // SAFETY: in the order that the standard asks for.
            unsafe { end(self.plugin) };
        }
    }
}

impl Standard for Clap {
    fn word(&self) -> &'static str {
        "clap"
    }

    fn may_be(&self, path: &Path) -> bool {
        path.extension().is_some_and(|e| e == "clap") && path.is_file()
    }

    fn places(&self) -> (&'static str, &'static [&'static str]) {
        ("CLAP_PATH", &["~/.clap", "/usr/local/lib/clap", "/usr/lib/clap"])
    }

    fn list(&self, path: &Path) -> Result<Vec<Listed>, Unfit> {
        let opened = OpenedLibrary::new(path)?;
        let of = |d: *const clap_plugin_descriptor| {
            // SAFETY: not null, and a constant of the library.
            let d = unsafe { &*d };
            let (id, name, version) = (word(d.id), word(d.name), word(d.version));
            let made = MadePlugin::new(&opened, &id).ok();
            let count = |input| made.as_ref().map_or(0, |m| m.ports(input).iter().sum::<u32>() as usize);
            Listed { channels: (count(true), count(false)), version: Some(version), id, name }
        };
        Ok(opened.descriptors().into_iter().map(of).collect())
    }

    fn begin(&self, path: &Path, id: &str, rate_hz: u32, longest: usize) -> Result<Box<dyn Running>, Unfit> {
        let opened = OpenedLibrary::new(path)?;
        let mut made = MadePlugin::new(&opened, id)?;
        let (ins, outs) = (made.ports(true), made.ports(false));
        if ins.is_empty() && outs.is_empty() {
            return Err(Unfit::NoSound);
        }
        let said = *made.said();
        let refused = || Unfit::WouldNotBegin(rate_hz);
        let run = said.process.ok_or_else(refused)?;
        let longest_frames = u32::try_from(longest).map_err(|_| refused())?;
        let activate = said.activate.ok_or_else(refused)?;
        // SAFETY: as the standard asks.
        made.active = unsafe { activate(made.plugin, f64::from(rate_hz), 1, longest_frames) };
        SOUNDS.store(true, Relaxed);
        // SAFETY: as the standard asks.
        made.processing =
            made.active && said.start_processing.is_none_or(|start| unsafe { start(made.plugin) });
        if !made.processing {
            return Err(refused());
        }
        let dialects = made.dialects();
        let (inputs, outputs) = (Sounds::new(&ins, longest), Sounds::new(&outs, longest));
        let events = Vec::new();
        Ok(Box::new(ClapPlugin {
            run,
            made,
            inputs,
            outputs,
            events,
            held: vec![],
            dialects,
            frame: 0,
            _opened: opened,
        }))
    }
}

struct ClapPlugin {
    run: unsafe extern "C" fn(*const clap_plugin, *const clap_process) -> i32,
    made: MadePlugin,
    inputs: Sounds,
    outputs: Sounds,
    events: Vec<Event>,
    held: Vec<u8>,
    dialects: Option<u32>,
    frame: i64,
    /// After all that was made of it.
    _opened: OpenedLibrary,
}

impl Running for ClapPlugin {
    fn inputs(&mut self) -> &mut [Vec<f32>] {
        &mut self.inputs.channels
    }

    fn outputs(&self) -> &[Vec<f32>] {
        &self.outputs.channels
    }

    fn work(&mut self, frames: usize) {
        let (ctx, nothing) = ((&raw mut self.events).cast(), std::ptr::null_mut());
        let into = clap_input_events { ctx, size: Some(how_many), get: Some(get) };
        let out = clap_output_events { ctx: nothing, try_push: Some(push) };
        let process = clap_process {
            steady_time: self.frame,
            frames_count: frames as u32,
            transport: std::ptr::null(),
            audio_inputs: self.inputs.ports.as_ptr(),
            audio_outputs: self.outputs.ports.as_mut_ptr(),
            audio_inputs_count: self.inputs.ports.len() as u32,
            audio_outputs_count: self.outputs.ports.len() as u32,
            in_events: &raw const into,
            out_events: &raw const out,
        };
        // SAFETY: all of it lives as long as the call, and buffers hold at least as many frames as anybody asks for.
        let status = unsafe { (self.run)(self.made.plugin, &raw const process) };
        if status == CLAP_PROCESS_ERROR {
            // What failed is no sound.
            self.outputs.channels.iter_mut().for_each(|c| c[..frames].fill(f32::NAN));
        }
        self.frame += frames as i64;
        self.events.clear();
    }

    fn reported(&self) -> Option<f64> {
        let latency = self.made.has::<clap_plugin_latency>(CLAP_EXT_LATENCY)?;
        // SAFETY: as the standard asks.
        Some(f64::from(unsafe { latency.get?(self.made.plugin) }))
    }

    fn restore(&mut self, settings: &[u8]) -> Result<(), Unfit> {
        let refused = |why: &str| Unfit::Settings(why.into());
        let state = self
            .made
            .has::<clap_plugin_state>(CLAP_EXT_STATE)
            .ok_or_else(|| refused("it keeps no settings"))?;
        let load = state.load.ok_or_else(|| refused("it keeps no settings"))?;
        let mut left = settings;
        let stream = clap_istream { ctx: (&raw mut left).cast(), read: Some(read) };
        SOUNDS.store(false, Relaxed);
        // SAFETY: the stream and what it reads live as long as the call.
        let taken = unsafe { load(self.made.plugin, &raw const stream) };
        SOUNDS.store(true, Relaxed);
        if taken { Ok(()) } else { Err(refused("it does not take these settings")) }
    }

    fn hold(&mut self, keys: &[u8]) -> bool {
        let Some(dialects) = self.dialects else { return false };
        self.events.extend(self.held.iter().map(|key| Event::new(*key, false, dialects)));
        self.events.extend(keys.iter().map(|key| Event::new(*key, true, dialects)));
        self.held = keys.to_vec();
        true
    }
}
