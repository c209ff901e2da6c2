//! For tests: an allocator that counts what each thread asks of it.

use std::alloc::{GlobalAlloc, Layout, System};
use std::cell::Cell;

thread_local! {
    static ASKED: Cell<u64> = const { Cell::new(0) };
}

struct Counting;

#[global_allocator]
static ALLOCATOR: Counting = Counting;

fn count() {
    // A thread that is ending has no counter any more.
    let _ = ASKED.try_with(|n| n.set(n.get() + 1));
}

// SAFETY: everything is handed on to the system's allocator as it came.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        count();
        // SAFETY: as the caller of this allocator promises.
        unsafe { System.alloc(layout) }
    }
    unsafe fn dealloc(&self, at: *mut u8, layout: Layout) {
        count();
        // SAFETY: as the caller of this allocator promises.
        unsafe { System.dealloc(at, layout) }
    }
    unsafe fn realloc(&self, at: *mut u8, layout: Layout, size: usize) -> *mut u8 {
        count();
        // SAFETY: as the caller of this allocator promises.
        unsafe { System.realloc(at, layout, size) }
    }
}

/// What this thread has asked for so far: allocations, changes and releases.
pub fn asked() -> u64 {
    ASKED.with(Cell::get)
}

#[test]
fn what_is_asked_is_counted() {
    let before = asked();
    drop(std::hint::black_box(Box::new(7)));
    assert_eq!(asked(), before + 2);
}
