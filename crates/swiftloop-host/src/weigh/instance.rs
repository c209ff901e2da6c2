//! An instance of foreign code, ended as both C standards ask: stopped, then cleaned up.

use std::ffi::c_void;

/// What such code knows its instance by.
pub(super) type Handle = *mut c_void;
/// A function that only wants the instance.
pub(super) type InstanceCall = Option<unsafe extern "C" fn(Handle)>;

/// An instance, with what ends it.
pub(super) struct Instance {
    pub handle: Handle,
    pub stop: InstanceCall,
    pub end: InstanceCall,
}

impl Drop for Instance {
    fn drop(&mut self) {
        for end in [self.stop, self.end].into_iter().flatten() {
            // SAFETY: the handle is used no more.
            unsafe { end(self.handle) };
        }
    }
}
