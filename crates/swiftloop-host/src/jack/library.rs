//! The functions of `libjack`, as the public header declares them.

use libloading::Library;
use std::ffi::{CStr, c_char, c_int, c_ulong, c_void};
use std::mem::ManuallyDrop;
use std::path::PathBuf;

/// A client; only ever a pointer.
#[repr(C)]
pub(super) struct Client(c_void);
/// A port; only ever a pointer.
#[repr(C)]
pub(super) struct Port(c_void);

/// Latency of a port in frames.
#[repr(C)]
#[derive(Clone, Copy, Default)]
pub(super) struct LatencyRange {
    pub min: u32,
    pub max: u32,
}

pub(super) type Process = unsafe extern "C" fn(u32, *mut c_void) -> c_int;
pub(super) type Xrun = unsafe extern "C" fn(*mut c_void) -> c_int;
pub(super) type Shutdown = unsafe extern "C" fn(*mut c_void);
type Message = extern "C" fn(*const c_char);

/// What tells a process callback where it is in time.
#[derive(Clone, Copy)]
pub(super) struct CallbackClock {
    pub cycle_times: unsafe extern "C" fn(*mut Client, *mut u32, *mut u64, *mut u64, *mut f32) -> c_int,
    pub time: unsafe extern "C" fn() -> u64,
}

/// What plays and records through ports of its own.
#[derive(Clone, Copy)]
pub(super) struct OwnPorts {
    pub port_register:
        unsafe extern "C" fn(*mut Client, *const c_char, *const c_char, c_ulong, c_ulong) -> *mut Port,
    pub port_unregister: unsafe extern "C" fn(*mut Client, *mut Port) -> c_int,
    pub port_name: unsafe extern "C" fn(*const Port) -> *const c_char,
    pub port_buffer: unsafe extern "C" fn(*mut Port, u32) -> *mut c_void,
    pub connect: unsafe extern "C" fn(*mut Client, *const c_char, *const c_char) -> c_int,
}

/// The functions, with the library that holds them.
pub(super) struct Api {
    pub client_open: unsafe extern "C" fn(*const c_char, c_int, *mut c_int, ...) -> *mut Client,
    pub client_close: unsafe extern "C" fn(*mut Client) -> c_int,
    pub activate: unsafe extern "C" fn(*mut Client) -> c_int,
    pub deactivate: unsafe extern "C" fn(*mut Client) -> c_int,
    pub sample_rate: unsafe extern "C" fn(*mut Client) -> u32,
    pub buffer_size: unsafe extern "C" fn(*mut Client) -> u32,
    pub set_buffer_size: unsafe extern "C" fn(*mut Client, u32) -> c_int,
    pub is_realtime: unsafe extern "C" fn(*mut Client) -> c_int,
    pub cpu_load: unsafe extern "C" fn(*mut Client) -> f32,
    pub on_process: unsafe extern "C" fn(*mut Client, Process, *mut c_void) -> c_int,
    pub on_xrun: unsafe extern "C" fn(*mut Client, Xrun, *mut c_void) -> c_int,
    pub on_shutdown: unsafe extern "C" fn(*mut Client, Shutdown, *mut c_void),
    pub clocks: CallbackClock,
    pub own_ports: OwnPorts,
    pub ports: unsafe extern "C" fn(*mut Client, *const c_char, *const c_char, c_ulong) -> *mut *const c_char,
    pub port_by_name: unsafe extern "C" fn(*mut Client, *const c_char) -> *mut Port,
    pub port_flags: unsafe extern "C" fn(*const Port) -> c_int,
    pub port_latency: unsafe extern "C" fn(*mut Port, c_int, *mut LatencyRange),
    pub free: unsafe extern "C" fn(*mut c_void),
    /// Its version as text; not in every library.
    pub version: Option<unsafe extern "C" fn() -> *const c_char>,
    /// Where it was found.
    pub path: PathBuf,
    /// Keeps the functions where they are, for good: when a server dies, threads of the library may outlive the client.
    _library: ManuallyDrop<Library>,
}

/// What the library would print, to nobody.
extern "C" fn quiet(_: *const c_char) {}

/// Where the library is, the usual one first, then that of PipeWire.
pub(super) fn candidates() -> Vec<PathBuf> {
    let mut all = vec![PathBuf::from("libjack.so.0"), PathBuf::from("libjack.so.2")];
    for folder in ["/usr/lib", "/usr/lib64", "/usr/local/lib"] {
        let own = std::iter::once(PathBuf::from(folder));
        let below = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.path());
        for place in own.chain(below) {
            let library = place.join("pipewire-0.3/jack/libjack.so.0");
            if library.exists() {
                all.push(library);
            }
        }
    }
    all
}

impl Api {
    /// Loads the library at `path` and silences what it would print.
    pub fn load(path: &std::path::Path) -> Result<Self, libloading::Error> {
        // SAFETY: libjack's initialisers are those of an ordinary system library; each symbol has the type that the
        // public header gives it.
        unsafe {
            let library = Library::new(path)?;
            macro_rules! get {
                ($name:literal) => {
                    *library.get(concat!($name, "\0").as_bytes())?
                };
            }
            for name in [c"jack_set_error_function", c"jack_set_info_function"] {
                if let Ok(set) = library.get::<unsafe extern "C" fn(Message)>(CStr::to_bytes_with_nul(name)) {
                    set(quiet);
                }
            }
            Ok(Self {
                client_open: get!("jack_client_open"),
                client_close: get!("jack_client_close"),
                activate: get!("jack_activate"),
                deactivate: get!("jack_deactivate"),
                sample_rate: get!("jack_get_sample_rate"),
                buffer_size: get!("jack_get_buffer_size"),
                set_buffer_size: get!("jack_set_buffer_size"),
                is_realtime: get!("jack_is_realtime"),
                cpu_load: get!("jack_cpu_load"),
                on_process: get!("jack_set_process_callback"),
                on_xrun: get!("jack_set_xrun_callback"),
                on_shutdown: get!("jack_on_shutdown"),
                clocks: CallbackClock {
                    cycle_times: get!("jack_get_cycle_times"),
                    time: get!("jack_get_time"),
                },
                own_ports: OwnPorts {
                    port_register: get!("jack_port_register"),
                    port_unregister: get!("jack_port_unregister"),
                    port_name: get!("jack_port_name"),
                    port_buffer: get!("jack_port_get_buffer"),
                    connect: get!("jack_connect"),
                },
                ports: get!("jack_get_ports"),
                port_by_name: get!("jack_port_by_name"),
                port_flags: get!("jack_port_flags"),
                port_latency: get!("jack_port_get_latency_range"),
                free: get!("jack_free"),
                version: library.get(b"jack_get_version_string\0").ok().map(|f| *f),
                path: path.to_path_buf(),
                _library: ManuallyDrop::new(library),
            })
        }
    }

    /// The library in use belongs to PipeWire, whichever name it was found by.
    pub fn is_pipewire(&self) -> bool {
        let named = |text: &str| text.contains("pipewire");
        named(&self.path.to_string_lossy())
            || std::fs::read_to_string("/proc/self/maps").is_ok_and(|maps| {
                maps.lines().filter(|l| l.contains("libjack")).all(named) && maps.contains("libjack")
            })
    }
}
