//! The same library as one of CLAP processors: what only that standard can tell, notes above all.

use super::work;
use clap_sys::entry::clap_plugin_entry;
use clap_sys::events::{CLAP_EVENT_NOTE_OFF, CLAP_EVENT_NOTE_ON, clap_event_note};
use clap_sys::ext::audio_ports::{
    CLAP_AUDIO_PORT_IS_MAIN, CLAP_EXT_AUDIO_PORTS, clap_audio_port_info, clap_plugin_audio_ports,
};
use clap_sys::ext::latency::{CLAP_EXT_LATENCY, clap_plugin_latency};
use clap_sys::ext::note_ports::{
    CLAP_EXT_NOTE_PORTS, CLAP_NOTE_DIALECT_CLAP, clap_note_port_info, clap_plugin_note_ports,
};
use clap_sys::ext::state::{CLAP_EXT_STATE, clap_plugin_state};
use clap_sys::factory::plugin_factory::{CLAP_PLUGIN_FACTORY_ID, clap_plugin_factory};
use clap_sys::host::clap_host;
use clap_sys::plugin::{clap_plugin, clap_plugin_descriptor};
use clap_sys::process::{CLAP_PROCESS_CONTINUE, CLAP_PROCESS_ERROR, clap_process};
use clap_sys::stream::clap_istream;
use clap_sys::version::CLAP_VERSION;
use std::ffi::{CStr, c_char, c_void};

/// What each does: late by 100 frames, as it reports; an instrument; late by one block; one that will not begin; one that fails.
const IDS: [&CStr; 5] =
    [c"made-up.late", c"made-up.voices", c"made-up.one-block", c"made-up.refuses", c"made-up.fails"];
/// Voices that the instrument has, and steps of work for each frame: without a voice, and for each.
const VOICES: u32 = 16;
const BASE: u32 = 20;
const EACH: u32 = 10;
const LATE: usize = 100;

struct Own {
    which: usize,
    /// Frames that the sound comes later: set by its settings.
    late: usize,
    held: u32,
    past: Vec<Vec<f32>>,
}

fn own<'a>(plugin: *const clap_plugin) -> &'a mut Own {
    // SAFETY: the host hands back our own processor.
    unsafe { &mut *(*plugin).plugin_data.cast::<Own>() }
}

unsafe extern "C" fn init(plugin: *const clap_plugin) -> bool {
    own(plugin).which != 3
}

unsafe extern "C" fn destroy(plugin: *const clap_plugin) {
    // SAFETY: made below, for the last time.
    unsafe {
        drop(Box::from_raw((*plugin).plugin_data.cast::<Own>()));
        drop(Box::from_raw(plugin.cast_mut()));
    }
}

unsafe extern "C" fn activate(plugin: *const clap_plugin, _: f64, _: u32, longest: u32) -> bool {
    let own = own(plugin);
    own.past = (0..2).map(|_| Vec::with_capacity(LATE + longest as usize)).collect();
    true
}

unsafe extern "C" fn process(plugin: *const clap_plugin, with: *const clap_process) -> i32 {
    let own = own(plugin);
    // SAFETY: as the standard says.
    let with = unsafe { &*with };
    let frames = with.frames_count as usize;
    if own.which == 4 {
        return CLAP_PROCESS_ERROR;
    }
    // SAFETY: as the standard says.
    unsafe {
        if let (Some(size), Some(get)) = ((*with.in_events).size, (*with.in_events).get) {
            for i in 0..size(with.in_events) {
                let event = get(with.in_events, i);
                match (*event).type_ {
                    CLAP_EVENT_NOTE_ON if (*event.cast::<clap_event_note>()).key >= 0 => own.held += 1,
                    CLAP_EVENT_NOTE_OFF => own.held = own.held.saturating_sub(1),
                    _ => {}
                }
            }
        }
    }
    if own.which == 1 {
        work((BASE + EACH * own.held.min(VOICES)) * with.frames_count);
    }
    // SAFETY: one port of two channels each way; the instrument has no input.
    let outputs = unsafe { &*with.audio_outputs };
    for channel in 0..outputs.channel_count as usize {
        // SAFETY: as many frames as were told.
        let output = unsafe { std::slice::from_raw_parts_mut(*outputs.data32.add(channel), frames) };
        if own.which == 1 {
            output.fill(0.0);
            continue;
        }
        // SAFETY: as above.
        let input = unsafe { std::slice::from_raw_parts(*(*with.audio_inputs).data32.add(channel), frames) };
        let past = &mut own.past[channel];
        let late = if own.which == 0 { own.late } else { frames };
        if past.len() < late {
            past.resize(late, 0.0);
        }
        past.extend_from_slice(input);
        output.copy_from_slice(&past[..frames]);
        past.drain(..frames);
    }
    CLAP_PROCESS_CONTINUE
}

unsafe extern "C" fn latency(plugin: *const clap_plugin) -> u32 {
    let own = own(plugin);
    if own.which == 0 { own.late as u32 } else { 0 }
}

unsafe extern "C" fn ports(plugin: *const clap_plugin, input: bool) -> u32 {
    u32::from(!input || own(plugin).which != 1)
}

unsafe extern "C" fn port(_: *const clap_plugin, _: u32, _: bool, info: *mut clap_audio_port_info) -> bool {
    // SAFETY: the host hands a place of its own.
    let info = unsafe { &mut *info };
    info.flags = CLAP_AUDIO_PORT_IS_MAIN;
    info.channel_count = 2;
    true
}

unsafe extern "C" fn note_ports(plugin: *const clap_plugin, input: bool) -> u32 {
    u32::from(input && own(plugin).which == 1)
}

unsafe extern "C" fn note_port(
    _: *const clap_plugin,
    _: u32,
    _: bool,
    info: *mut clap_note_port_info,
) -> bool {
    // SAFETY: the host hands a place of its own.
    unsafe { (*info).supported_dialects = CLAP_NOTE_DIALECT_CLAP };
    true
}

/// Settings are one byte: how late it is.
unsafe extern "C" fn load(plugin: *const clap_plugin, from: *const clap_istream) -> bool {
    let mut byte = [0u8; 2];
    // SAFETY: as the standard says.
    let got = unsafe { (*from).read.map_or(0, |read| read(from, byte.as_mut_ptr().cast(), 2)) };
    own(plugin).late = usize::from(byte[0]);
    got == 1
}

static STATE: clap_plugin_state = clap_plugin_state { save: None, load: Some(load) };
static LATENCY: clap_plugin_latency = clap_plugin_latency { get: Some(latency) };
static PORTS: clap_plugin_audio_ports = clap_plugin_audio_ports { count: Some(ports), get: Some(port) };
static NOTES: clap_plugin_note_ports =
    clap_plugin_note_ports { count: Some(note_ports), get: Some(note_port) };

unsafe extern "C" fn extension(_: *const clap_plugin, id: *const c_char) -> *const c_void {
    // SAFETY: the standard asks for text that ends with a zero.
    let id = unsafe { CStr::from_ptr(id) };
    if id == CLAP_EXT_LATENCY {
        (&raw const LATENCY).cast()
    } else if id == CLAP_EXT_AUDIO_PORTS {
        (&raw const PORTS).cast()
    } else if id == CLAP_EXT_STATE {
        (&raw const STATE).cast()
    } else if id == CLAP_EXT_NOTE_PORTS {
        (&raw const NOTES).cast()
    } else {
        std::ptr::null()
    }
}

fn descriptor(which: usize) -> clap_plugin_descriptor {
    let none = c"".as_ptr();
    clap_plugin_descriptor {
        clap_version: CLAP_VERSION,
        id: IDS[which].as_ptr(),
        name: IDS[which].as_ptr(),
        vendor: none,
        url: none,
        manual_url: none,
        support_url: none,
        version: c"1.2".as_ptr(),
        description: none,
        features: std::ptr::null(),
    }
}

unsafe extern "C" fn count(_: *const clap_plugin_factory) -> u32 {
    IDS.len() as u32
}

unsafe extern "C" fn describe(_: *const clap_plugin_factory, index: u32) -> *const clap_plugin_descriptor {
    // Kept for good, as the standard asks.
    Box::leak(Box::new(descriptor(index as usize)))
}

unsafe extern "C" fn create(
    _: *const clap_plugin_factory,
    _: *const clap_host,
    id: *const c_char,
) -> *const clap_plugin {
    // SAFETY: the standard asks for text that ends with a zero.
    let id = unsafe { CStr::from_ptr(id) };
    let Some(which) = IDS.iter().position(|i| *i == id) else { return std::ptr::null() };
    let own = Box::into_raw(Box::new(Own { which, late: LATE, held: 0, past: Vec::new() }));
    Box::into_raw(Box::new(clap_plugin {
        desc: Box::leak(Box::new(descriptor(which))),
        plugin_data: own.cast(),
        init: Some(init),
        destroy: Some(destroy),
        activate: Some(activate),
        deactivate: None,
        start_processing: None,
        stop_processing: None,
        reset: None,
        process: Some(process),
        get_extension: Some(extension),
        on_main_thread: None,
    }))
}

static FACTORY: clap_plugin_factory = clap_plugin_factory {
    get_plugin_count: Some(count),
    get_plugin_descriptor: Some(describe),
    create_plugin: Some(create),
};

unsafe extern "C" fn begin(_: *const c_char) -> bool {
    true
}

unsafe extern "C" fn factory(id: *const c_char) -> *const c_void {
    // SAFETY: the standard asks for text that ends with a zero.
    let asked = unsafe { CStr::from_ptr(id) };
    if asked == CLAP_PLUGIN_FACTORY_ID { (&raw const FACTORY).cast() } else { std::ptr::null() }
}

/// The entry of the library.
#[allow(non_upper_case_globals)]
#[unsafe(no_mangle)]
pub static clap_entry: clap_plugin_entry = clap_plugin_entry {
    clap_version: CLAP_VERSION,
    init: Some(begin),
    deinit: None,
    get_factory: Some(factory),
};
