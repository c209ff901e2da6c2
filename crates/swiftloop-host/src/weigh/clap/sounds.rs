//! The sound of a processor: a vector for each channel, and the places where it is told to find them.

use clap_sys::audio_buffer::clap_audio_buffer;

/// Channels, as a processor is told of them.
pub(super) struct Sounds {
    pub(super) channels: Vec<Vec<f32>>,
    _places: Vec<Box<[*mut f32]>>,
    pub(super) ports: Vec<clap_audio_buffer>,
}

impl Sounds {
    pub(super) fn new(ports: &[u32], longest: usize) -> Self {
        let total: u32 = ports.iter().sum();
        let mut channels: Vec<Vec<f32>> = (0..total).map(|_| vec![0.0; longest]).collect();
        // Moving the vectors leaves what they hold where it is.
        let mut each = channels.iter_mut().map(|c| c.as_mut_ptr());
        let mut places: Vec<Box<[*mut f32]>> =
            ports.iter().map(|n| each.by_ref().take(*n as usize).collect()).collect();
        let port = |place: &mut Box<[*mut f32]>| clap_audio_buffer {
            data32: place.as_mut_ptr(),
            data64: std::ptr::null_mut(),
            channel_count: place.len() as u32,
            latency: 0,
            constant_mask: 0,
        };
        let ports = places.iter_mut().map(port).collect();
        Self { channels, _places: places, ports }
    }
}
