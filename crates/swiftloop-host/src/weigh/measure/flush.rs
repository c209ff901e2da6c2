//! Whether numbers that are too small to be normal are taken for zero: audio software has the processor do so, since sums with them are
//! slow. Set for the thread that asks, until what was before is set again.

/// As it is while this lives; then as it was.
pub(super) struct Flush(Control);

impl Flush {
    /// Flushed to zero, or kept.
    pub(super) fn to_zero(on: bool) -> Self {
        let before = read();
        write(if on { before | BITS } else { before & !BITS });
        Self(before)
    }
}

impl Drop for Flush {
    fn drop(&mut self) {
        write(self.0);
    }
}

#[cfg(target_arch = "x86_64")]
mod machine {
    pub(super) type Control = u32;
    /// Results (bit 15) and operands (bit 6).
    pub(super) const BITS: Control = 1 << 15 | 1 << 6;

    pub(super) fn read() -> Control {
        let mut now: Control = 0;
        // SAFETY: stores the control word of this thread into a place of ours.
        unsafe { std::arch::asm!("stmxcsr [{}]", in(reg) &raw mut now, options(nostack)) };
        now
    }

    pub(super) fn write(to: Control) {
        // SAFETY: only bits that this processor has are set: the two above, and what was read.
        unsafe { std::arch::asm!("ldmxcsr [{}]", in(reg) &raw const to, options(nostack)) };
    }
}

#[cfg(target_arch = "aarch64")]
mod machine {
    pub(super) type Control = u64;
    pub(super) const BITS: Control = 1 << 24;

    pub(super) fn read() -> Control {
        let now: Control;
        // SAFETY: reads the control word of this thread.
        unsafe { std::arch::asm!("mrs {}, fpcr", out(reg) now, options(nomem, nostack)) };
        now
    }

    pub(super) fn write(to: Control) {
        // SAFETY: only a bit that this processor has is set, and what was read.
        unsafe { std::arch::asm!("msr fpcr, {}", in(reg) to, options(nomem, nostack)) };
    }
}

#[cfg(not(any(target_arch = "x86_64", target_arch = "aarch64")))]
mod machine {
    pub(super) type Control = u32;
    pub(super) const BITS: Control = 0;

    pub(super) fn read() -> Control {
        0
    }

    pub(super) fn write(_: Control) {}
}

use machine::{BITS, Control, read, write};

#[cfg(test)]
mod tests {
    use super::Flush;
    use std::hint::black_box;

    #[test]
    #[cfg(any(target_arch = "x86_64", target_arch = "aarch64"))]
    fn small_numbers_are_zero_only_while_it_is_asked_for() {
        let half = || black_box(black_box(f32::MIN_POSITIVE) * black_box(0.5));
        assert!(half() > 0.0);
        {
            let _flushed = Flush::to_zero(true);
            assert_eq!(half(), 0.0);
            {
                let _kept = Flush::to_zero(false);
                assert!(half() > 0.0);
            }
            assert_eq!(half(), 0.0);
        }
        assert!(half() > 0.0);
    }
}
