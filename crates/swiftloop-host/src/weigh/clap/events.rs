//! What goes to a processor and comes from it besides sound: notes, and settings as a stream.

use clap_sys::events::{
    CLAP_CORE_EVENT_SPACE_ID, CLAP_EVENT_MIDI, CLAP_EVENT_NOTE_OFF, CLAP_EVENT_NOTE_ON, clap_event_header,
    clap_event_midi, clap_event_note, clap_input_events, clap_output_events,
};
use clap_sys::ext::note_ports::CLAP_NOTE_DIALECT_CLAP;
use clap_sys::stream::clap_istream;
use std::ffi::c_void;

/// An event of those that are sent.
#[repr(C)]
pub(super) union Event {
    header: clap_event_header,
    note: clap_event_note,
    midi: clap_event_midi,
}

impl Event {
    pub(super) fn new(key: u8, on: bool, dialects: u32) -> Self {
        let header = |kind, size| clap_event_header {
            size: size as u32,
            time: 0,
            space_id: CLAP_CORE_EVENT_SPACE_ID,
            type_: kind,
            flags: 0,
        };
        if dialects & CLAP_NOTE_DIALECT_CLAP != 0 {
            let kind = if on { CLAP_EVENT_NOTE_ON } else { CLAP_EVENT_NOTE_OFF };
            let header = header(kind, size_of::<clap_event_note>());
            let (note_id, port_index, channel, key) = (-1, 0, 0, i16::from(key));
            return Self {
                note: clap_event_note { header, note_id, port_index, channel, key, velocity: 0.8 },
            };
        }
        let header = header(CLAP_EVENT_MIDI, size_of::<clap_event_midi>());
        let data = if on { [0x90, key, 100] } else { [0x80, key, 0] };
        Self { midi: clap_event_midi { header, port_index: 0, data } }
    }
}

pub(super) unsafe extern "C" fn how_many(list: *const clap_input_events) -> u32 {
    // SAFETY: our own list.
    unsafe { (*(*list).ctx.cast::<Vec<Event>>()).len() as u32 }
}

pub(super) unsafe extern "C" fn get(list: *const clap_input_events, index: u32) -> *const clap_event_header {
    // SAFETY: our own list.
    let all = unsafe { &*(*list).ctx.cast::<Vec<Event>>() };
    all.get(index as usize).map_or(std::ptr::null(), |e| std::ptr::from_ref(e).cast())
}

pub(super) unsafe extern "C" fn read(stream: *const clap_istream, into: *mut c_void, size: u64) -> i64 {
    // SAFETY: our own stream.
    let left = unsafe { &mut *(*stream).ctx.cast::<&[u8]>() };
    let n = left.len().min(usize::try_from(size).unwrap_or(usize::MAX));
    // SAFETY: the processor hands a place of so many bytes.
    unsafe { std::ptr::copy_nonoverlapping(left.as_ptr(), into.cast::<u8>(), n) };
    *left = &left[n..];
    n as i64
}

pub(super) unsafe extern "C" fn push(_: *const clap_output_events, _: *const clap_event_header) -> bool {
    true
}
