//! LV2, as its public headers declare it: a bundle is a folder whose descriptions say what is in it. Offered are the map of URIs
//! to numbers and back, options with the lengths of blocks, and that these are bounded.

use super::instance::{Handle, Instance};
use super::lv2_bundle::{BundledProcessor, Through, read};
use super::{Listed, Running, Standard, Unfit};
use libloading::Library;
use std::ffi::{CStr, CString, c_char, c_void};
use std::path::Path;
use std::sync::Mutex;

#[repr(C)]
struct Feature {
    uri: *const c_char,
    data: *mut c_void,
}

#[repr(C)]
struct Lv2Descriptor {
    uri: *const c_char,
    instantiate:
        Option<unsafe extern "C" fn(*const Self, f64, *const c_char, *const *const Feature) -> Handle>,
    connect_port: Option<unsafe extern "C" fn(Handle, u32, *mut c_void)>,
    activate: Option<unsafe extern "C" fn(Handle)>,
    run: Option<unsafe extern "C" fn(Handle, u32)>,
    deactivate: Option<unsafe extern "C" fn(Handle)>,
    cleanup: Option<unsafe extern "C" fn(Handle)>,
    extension_data: Option<unsafe extern "C" fn(*const c_char) -> *const c_void>,
}

#[repr(C)]
struct Map {
    handle: *mut c_void,
    map: unsafe extern "C" fn(*mut c_void, *const c_char) -> u32,
}

#[repr(C)]
struct Unmap {
    handle: *mut c_void,
    unmap: unsafe extern "C" fn(*mut c_void, u32) -> *const c_char,
}

#[repr(C)]
struct OptionOf {
    context: u32,
    subject: u32,
    key: u32,
    size: u32,
    kind: u32,
    value: *const c_void,
}

/// The header of a sequence of events (atom: size, type; body: unit, pad).
#[repr(C, align(8))]
struct EventSequence {
    size: u32,
    kind: u32,
    unit: u32,
    pad: u32,
    space: [u8; SPACE],
}

const SPACE: usize = 16_384;
const URID_MAP: &CStr = c"http://lv2plug.in/ns/ext/urid#map";
const URID_UNMAP: &CStr = c"http://lv2plug.in/ns/ext/urid#unmap";
const OPTIONS: &CStr = c"http://lv2plug.in/ns/ext/options#options";
const BOUNDED: &CStr = c"http://lv2plug.in/ns/ext/buf-size#boundedBlockLength";
const HARD_REALTIME: &CStr = c"http://lv2plug.in/ns/lv2core#hardRTCapable";
const IS_LIVE: &CStr = c"http://lv2plug.in/ns/lv2core#isLive";
/// Descriptors in one library, at the most.
const MOST: u32 = 10_000;

/// Numbers for URIs, for as long as the process lives.
static NUMBERS: Mutex<Vec<CString>> = Mutex::new(Vec::new());

unsafe extern "C" fn map(_: *mut c_void, uri: *const c_char) -> u32 {
    // SAFETY: the standard asks for text that ends with a zero.
    number(unsafe { CStr::from_ptr(uri) })
}

fn number(uri: &CStr) -> u32 {
    let Ok(mut known) = NUMBERS.lock() else { return 0 };
    let at = known.iter().position(|k| k.as_c_str() == uri).unwrap_or_else(|| {
        known.push(uri.to_owned());
        known.len() - 1
    });
    at as u32 + 1
}

unsafe extern "C" fn unmap(_: *mut c_void, number: u32) -> *const c_char {
    let Ok(known) = NUMBERS.lock() else { return std::ptr::null() };
    // What a string holds stays where it is when the list grows.
    (number as usize).checked_sub(1).and_then(|i| known.get(i)).map_or(std::ptr::null(), |k| k.as_ptr())
}

pub(super) struct Lv2;

impl Standard for Lv2 {
    fn word(&self) -> &'static str {
        "lv2"
    }

    fn may_be(&self, path: &Path) -> bool {
        path.is_dir() && path.join("manifest.ttl").is_file()
    }

    fn places(&self) -> (&'static str, &'static [&'static str]) {
        ("LV2_PATH", &["~/.lv2", "/usr/local/lib/lv2", "/usr/lib/lv2"])
    }

    fn list(&self, bundle: &Path) -> Result<Vec<Listed>, Unfit> {
        let of = |d: BundledProcessor| {
            let count =
                |input| d.ports.iter().filter(|p| p.through == Through::Sound && p.input == input).count();
            Listed { channels: (count(true), count(false)), version: d.version, id: d.uri, name: d.name }
        };
        Ok(read(bundle)?.into_iter().map(of).collect())
    }

    fn begin(
        &self,
        bundle: &Path,
        uri: &str,
        rate_hz: u32,
        longest: usize,
    ) -> Result<Box<dyn Running>, Unfit> {
        let described =
            read(bundle)?.into_iter().find(|d| d.uri == uri).ok_or_else(|| Unfit::NotThere(uri.into()))?;
        let offered = [URID_MAP, URID_UNMAP, OPTIONS, BOUNDED, HARD_REALTIME, IS_LIVE];
        let missing = described.wants.iter().find(|w| !offered.iter().any(|o| o.to_bytes() == w.as_bytes()));
        if let Some(missing) = missing {
            return Err(Unfit::Wants(missing.clone()));
        }
        if !described.ports.iter().any(|p| p.through == Through::Sound) {
            return Err(Unfit::NoSound);
        }
        if let Some(odd) = described.ports.iter().find(|p| p.through == Through::Nothing && !p.optional) {
            return Err(Unfit::Wants(format!("something for port {}", odd.index)));
        }
        Lv2Plugin::begin(&described, bundle, rate_hz, longest)
    }
}

impl EventSequence {
    /// MIDI messages, all at the first frame: each its time, its size, its type, and its bytes up to eight.
    fn put(&mut self, messages: &[[u8; 3]], midi: u32) {
        const EACH: usize = 24;
        for (at, message) in self.space.chunks_exact_mut(EACH).zip(messages) {
            at.fill(0);
            at[8..12].copy_from_slice(&3u32.to_ne_bytes());
            at[12..16].copy_from_slice(&midi.to_ne_bytes());
            at[16..19].copy_from_slice(message);
        }
        self.size = 8 + (messages.len().min(SPACE / EACH) * EACH) as u32;
    }
}

/// A port for events.
struct EventsPort {
    input: bool,
    notes: bool,
    sequence: Box<EventSequence>,
}

struct Lv2Plugin {
    instance: Instance,
    run: unsafe extern "C" fn(Handle, u32),
    inputs: Vec<Vec<f32>>,
    outputs: Vec<Vec<f32>>,
    figures: Box<[f32]>,
    events: Vec<EventsPort>,
    /// Keys that are held, and messages for the next block.
    held: Vec<u8>,
    messages: Vec<[u8; 3]>,
    midi: u32,
    sequence: u32,
    chunk: u32,
    latency: Option<usize>,
    _features: Features,
    /// Keeps the code where it is; dropped last.
    _library: Library,
}

/// What is offered, kept where the processor was told it is.
struct Features {
    _map: Box<Map>,
    _unmap: Box<Unmap>,
    _lengths: Box<[i32; 3]>,
    _options: Box<[OptionOf]>,
    _each: Box<[Feature]>,
    list: Box<[*const Feature]>,
}

impl Features {
    fn new(longest: usize) -> Self {
        let nothing = std::ptr::null_mut();
        let map = Box::new(Map { handle: nothing, map });
        let unmap = Box::new(Unmap { handle: nothing, unmap });
        let longest = i32::try_from(longest).unwrap_or(i32::MAX);
        let lengths = Box::new([1, longest, longest]);
        let int = number(c"http://lv2plug.in/ns/ext/atom#Int");
        let option = |key: &CStr, value: &i32| OptionOf {
            context: 0,
            subject: 0,
            key: number(key),
            size: 4,
            kind: int,
            value: std::ptr::from_ref(value).cast(),
        };
        let end = OptionOf { context: 0, subject: 0, key: 0, size: 0, kind: 0, value: std::ptr::null() };
        let options: Box<[OptionOf]> = Box::new([
            option(c"http://lv2plug.in/ns/ext/buf-size#minBlockLength", &lengths[0]),
            option(c"http://lv2plug.in/ns/ext/buf-size#maxBlockLength", &lengths[1]),
            option(c"http://lv2plug.in/ns/ext/buf-size#nominalBlockLength", &lengths[2]),
            end,
        ]);
        let feature = |uri: &CStr, data: *mut c_void| Feature { uri: uri.as_ptr(), data };
        let each: Box<[Feature]> = Box::new([
            feature(URID_MAP, std::ptr::from_ref(&*map).cast_mut().cast()),
            feature(URID_UNMAP, std::ptr::from_ref(&*unmap).cast_mut().cast()),
            feature(OPTIONS, options.as_ptr().cast_mut().cast()),
            feature(BOUNDED, nothing),
            feature(HARD_REALTIME, nothing),
            feature(IS_LIVE, nothing),
        ]);
        let list = each.iter().map(std::ptr::from_ref).chain([std::ptr::null()]).collect();
        Self { _map: map, _unmap: unmap, _lengths: lengths, _options: options, _each: each, list }
    }
}

impl Lv2Plugin {
    fn begin(
        described: &BundledProcessor,
        bundle: &Path,
        rate_hz: u32,
        longest: usize,
    ) -> Result<Box<dyn Running>, Unfit> {
        // SAFETY: initialisers of foreign code run here, and whatever they do, they do it in a process of their own.
        let library = unsafe { Library::new(&described.library) }.map_err(|e| Unfit::not_loaded(&e))?;
        type Describe = unsafe extern "C" fn(u32) -> *const Lv2Descriptor;
        // SAFETY: the symbol has this type in every library of the standard.
        let describe = unsafe { library.get::<Describe>(b"lv2_descriptor\0") }
            .map(|f| *f)
            .map_err(|_| Unfit::NoLibrary("its library has no lv2_descriptor".into()))?;
        // SAFETY: asked for one after another, as the standard says, until there is none.
        let all = (0..MOST).map(|i| unsafe { describe(i) }).take_while(|d| !d.is_null());
        // SAFETY: not null, and as the standard declares them; they live as long as the library.
        let mut all = all.map(|d| unsafe { &*d });
        // SAFETY: the standard asks for text that ends with a zero.
        let is_it =
            |d: &&Lv2Descriptor| unsafe { CStr::from_ptr(d.uri) }.to_bytes() == described.uri.as_bytes();
        let found = all.find(is_it).ok_or_else(|| Unfit::NotThere(described.uri.clone()))?;
        let refused = || Unfit::WouldNotBegin(rate_hz);
        let (instantiate, connect, run) = (
            found.instantiate.ok_or_else(refused)?,
            found.connect_port.ok_or_else(refused)?,
            found.run.ok_or_else(refused)?,
        );
        let features = Features::new(longest);
        // The standard asks for a path that ends with a slash.
        let folder = CString::new(format!("{}/", bundle.display())).map_err(|_| refused())?;
        // SAFETY: as the standard asks; what is handed over stays where it is.
        let handle =
            unsafe { instantiate(found, f64::from(rate_hz), folder.as_ptr(), features.list.as_ptr()) };
        if handle.is_null() {
            return Err(refused());
        }
        let mut plugin = Self {
            instance: Instance { handle, stop: found.deactivate, end: found.cleanup },
            run,
            inputs: Vec::new(),
            outputs: Vec::new(),
            figures: vec![0.0; described.ports.len()].into_boxed_slice(),
            events: Vec::new(),
            held: Vec::new(),
            messages: Vec::new(),
            midi: number(c"http://lv2plug.in/ns/ext/midi#MidiEvent"),
            sequence: number(c"http://lv2plug.in/ns/ext/atom#Sequence"),
            chunk: number(c"http://lv2plug.in/ns/ext/atom#Chunk"),
            latency: None,
            _features: features,
            _library: library,
        };
        for (i, port) in described.ports.iter().enumerate() {
            let at: *mut c_void = match port.through {
                Through::Sound => {
                    let sounds = if port.input { &mut plugin.inputs } else { &mut plugin.outputs };
                    // Moving the vectors leaves what they hold where it is.
                    sounds.push(vec![0.0f32; longest]);
                    sounds.last_mut().map_or(std::ptr::null_mut(), |v| v.as_mut_ptr().cast())
                }
                Through::Figure => {
                    plugin.figures[i] = port.usual;
                    if !port.input && port.is_latency {
                        plugin.latency = Some(i);
                    }
                    (&raw mut plugin.figures[i]).cast()
                }
                Through::Events => {
                    let empty =
                        EventSequence { size: 8, kind: plugin.sequence, unit: 0, pad: 0, space: [0; SPACE] };
                    let (input, notes) = (port.input, port.notes);
                    plugin.events.push(EventsPort { input, notes, sequence: Box::new(empty) });
                    plugin.events.last_mut().map_or(std::ptr::null_mut(), |e| (&raw mut *e.sequence).cast())
                }
                Through::Nothing => std::ptr::null_mut(),
            };
            // SAFETY: each port gets a place that lives as long as the instance, or none where it may have none.
            unsafe { connect(handle, port.index, at) };
        }
        if let Some(activate) = found.activate {
            // SAFETY: as the standard asks.
            unsafe { activate(handle) };
        }
        Ok(Box::new(plugin))
    }
}

impl Running for Lv2Plugin {
    fn inputs(&mut self) -> &mut [Vec<f32>] {
        &mut self.inputs
    }

    fn outputs(&self) -> &[Vec<f32>] {
        &self.outputs
    }

    fn work(&mut self, frames: usize) {
        for EventsPort { input, notes, sequence } in &mut self.events {
            // What comes in are notes at most; what goes out has so much space.
            (sequence.size, sequence.kind) =
                if *input { (8, self.sequence) } else { (SPACE as u32 + 8, self.chunk) };
            (sequence.unit, sequence.pad) = (0, 0);
            if *input && *notes {
                sequence.put(&self.messages, self.midi);
            }
        }
        self.messages.clear();
        // SAFETY: all ports are connected, and hold at least as many frames as anybody asks for.
        unsafe { (self.run)(self.instance.handle, frames as u32) };
    }

    fn reported(&self) -> Option<f64> {
        self.latency.map(|i| f64::from(self.figures[i]))
    }

    fn hold(&mut self, keys: &[u8]) -> bool {
        let message = |status: u8, velocity: u8| move |key: &u8| [status, *key, velocity];
        self.messages.extend(self.held.iter().map(message(0x80, 0)));
        self.messages.extend(keys.iter().map(message(0x90, 100)));
        self.held = keys.to_vec();
        self.events.iter().any(|e| e.input && e.notes)
    }
}
