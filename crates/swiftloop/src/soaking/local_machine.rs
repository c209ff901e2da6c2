//! This machine, as a climb puts it to work: through its backend, with a meter that shows it.

use super::backend::Backend;
use crate::failure::Failure;
use crate::views::soak::meter::Live;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use swiftloop_core::soak::{End, SoakMachine, Stretch, StretchResult};
use swiftloop_core::units::{Block, Hz, Seconds};
use swiftloop_host::soak::{Meter, Permission, Speed, Task};

/// This machine.
pub struct LocalMachine<'a> {
    pub backend: Backend,
    pub rate: Hz,
    pub reserve: f64,
    pub workers: usize,
    pub speed: Speed,
    pub stop: &'a AtomicBool,
    pub live: Live,
    /// Of the rung that is climbed.
    pub meter: Meter,
    /// What was granted at last.
    pub permission: Permission,
    /// By how much the wall clock was set meanwhile.
    pub clock_step_s: f64,
}

impl SoakMachine for LocalMachine<'_> {
    type Error = Failure;

    fn begin(&mut self, block: Block, longest: Seconds) {
        self.meter = Meter::new(self.workers);
        self.live.begin(
            &format!("{block} frames at {} Hz", self.rate),
            longest.raw(),
            block.period(self.rate).raw(),
        );
    }

    fn live(
        &mut self,
        stretch: Stretch<'_>,
        goes_on: &mut dyn FnMut(u64, Seconds) -> bool,
    ) -> Result<StretchResult, Failure> {
        let task = Task {
            period_ns: stretch.block.period(self.rate).raw() * 1000.0,
            reserve: self.reserve,
            seconds: stretch.length.raw(),
            patterns: stretch.patterns.to_vec(),
            section_ns: self.speed.section_ns,
        };
        // What is only listened to shows on no meter.
        let unseen = Meter::new(self.workers);
        let meter = if stretch.judged { &self.meter } else { &unseen };
        let (live, before) = (&mut self.live, meter.misses());
        let watch = |meter: &Meter, passed: f64| {
            live.show(stretch.judged.then_some(meter), passed, stretch.length.raw());
            goes_on(meter.misses() - before, Seconds::new(passed))
        };
        let (record, gone) = self.backend.soak(stretch.block, &task, meter, self.stop, watch)?;
        self.live.passed(if stretch.judged { record.seconds } else { 0.0 });
        self.clock_step_s += record.clock_step_s;
        self.permission = record.permission.clone();
        let end = match (gone, self.stop.load(Relaxed)) {
            (true, _) => End::Gone,
            (_, true) => End::Stopped,
            _ => End::Whole,
        };
        Ok(StretchResult {
            observed: record.observed(),
            heard: record.heard(),
            exec_us: record.exec_us(),
            end,
        })
    }
}
