//! Caches swept: what a processor held in the caches near to the core is pushed out by other memory, as the rest of a session does
//! between two of its calls.

/// More than second-level caches hold (up to 2 MiB a core).
const BYTES: usize = 4 << 20;
/// A line of a cache.
const LINE: usize = 64;

/// Memory that takes the place of other memory.
pub(super) struct Sweep(Vec<u8>);

impl Sweep {
    pub(super) fn new() -> Self {
        Self(vec![1; BYTES])
    }

    pub(super) fn caches(&mut self) {
        for line in self.0.chunks_mut(LINE) {
            line[0] = line[0].wrapping_add(1);
        }
        std::hint::black_box(&self.0);
    }
}
