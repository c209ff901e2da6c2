//! Windows: timers of high resolution, the multimedia class scheduler, a working set that stays.

use super::{RealtimeSystem, plain};
use std::cell::Cell;
use std::ptr::null;
use windows_sys::Win32::Foundation::{CloseHandle, FILETIME, GetLastError, HANDLE, WAIT_OBJECT_0};
use windows_sys::Win32::System::Memory::{QUOTA_LIMITS_HARDWS_MIN_ENABLE, SetProcessWorkingSetSizeEx};
use windows_sys::Win32::System::Threading::{
    AVRT_PRIORITY_CRITICAL, AvRevertMmThreadCharacteristics, AvSetMmThreadCharacteristicsW,
    AvSetMmThreadPriority, CREATE_WAITABLE_TIMER_HIGH_RESOLUTION, CreateWaitableTimerExW, GetCurrentProcess,
    GetProcessTimes, INFINITE, SetWaitableTimer, TIMER_ALL_ACCESS, WaitForSingleObject,
};

pub(crate) struct Windows;

/// The timer of a thread.
struct Timer(HANDLE);

impl Timer {
    fn new() -> Option<Self> {
        // SAFETY: no name and no attributes are given, which the call allows.
        let timer = unsafe {
            CreateWaitableTimerExW(null(), null(), CREATE_WAITABLE_TIMER_HIGH_RESOLUTION, TIMER_ALL_ACCESS)
        };
        (!timer.is_null()).then_some(Self(timer))
    }

    /// Waits so long; whether that was granted.
    fn wait(&self, ns: u64) -> bool {
        // Below zero: from now on, in steps of 100 ns.
        let due = -i64::try_from(ns / 100).unwrap_or(i64::MAX);
        // SAFETY: the handle is a timer's for as long as `self` lives, and `due` is valid for the call.
        unsafe {
            SetWaitableTimer(self.0, &raw const due, 0, None, null(), 0) != 0
                && WaitForSingleObject(self.0, INFINITE) == WAIT_OBJECT_0
        }
    }
}

impl Drop for Timer {
    fn drop(&mut self) {
        // SAFETY: the handle is ours, and closed once.
        unsafe { CloseHandle(self.0) };
    }
}

thread_local! {
    static TIMER: Option<Timer> = Timer::new();
    /// This thread's place among those that play.
    static PLACE: Cell<HANDLE> = const { Cell::new(std::ptr::null_mut()) };
}

fn refusal() -> String {
    // SAFETY: it reads a number of this thread.
    let code = unsafe { GetLastError() };
    let text = std::io::Error::from_raw_os_error(code.cast_signed()).to_string();
    text.split(" (os error").next().unwrap_or_default().trim_end_matches('.').to_lowercase()
}

fn steps(time: FILETIME) -> u64 {
    u64::from(time.dwHighDateTime) << 32 | u64::from(time.dwLowDateTime)
}

impl RealtimeSystem for Windows {
    fn now_ns() -> u64 {
        plain::now_ns()
    }

    fn worked_ns() -> u64 {
        let mut all = [FILETIME { dwLowDateTime: 0, dwHighDateTime: 0 }; 4];
        let [begun, ended, kernel, user] = &mut all;
        // SAFETY: four places to write to, valid for the call.
        let told = unsafe {
            GetProcessTimes(
                GetCurrentProcess(),
                &raw mut *begun,
                &raw mut *ended,
                &raw mut *kernel,
                &raw mut *user,
            )
        };
        if told == 0 { plain::now_ns() } else { (steps(all[2]) + steps(all[3])) * 100 }
    }

    fn sleep_until(due_ns: u64) {
        let left = due_ns.saturating_sub(Self::now_ns());
        if left > 0 && !TIMER.with(|t| t.as_ref().is_some_and(|t| t.wait(left))) {
            plain::sleep(left);
        }
        // What is less than a step of the timer.
        while Self::now_ns() < due_ns {
            std::hint::spin_loop();
        }
    }

    fn realtime() -> Result<(), String> {
        let task: Vec<u16> = "Pro Audio\0".encode_utf16().collect();
        let mut index = 0;
        // SAFETY: the name ends with a zero, and `index` is valid for the call.
        let place = unsafe { AvSetMmThreadCharacteristicsW(task.as_ptr(), &raw mut index) };
        if place.is_null() {
            return Err(refusal());
        }
        PLACE.set(place);
        // SAFETY: the place was given to this thread just now.
        let raised = unsafe { AvSetMmThreadPriority(place, AVRT_PRIORITY_CRITICAL) };
        if raised == 0 { Err(refusal()) } else { Ok(()) }
    }

    fn ordinary() {
        let place = PLACE.replace(std::ptr::null_mut());
        if !place.is_null() {
            // SAFETY: the place was given to this thread, and is given back once.
            unsafe { AvRevertMmThreadCharacteristics(place) };
        }
    }

    fn lock() -> Result<(), String> {
        /// Bytes that stay, and those that there may be at the most.
        const LEAST: usize = 64 << 20;
        const MOST: usize = 1 << 30;
        // SAFETY: figures only.
        let held = unsafe {
            SetProcessWorkingSetSizeEx(GetCurrentProcess(), LEAST, MOST, QUOTA_LIMITS_HARDWS_MIN_ENABLE)
        };
        if held == 0 { Err(refusal()) } else { Ok(()) }
    }
}
