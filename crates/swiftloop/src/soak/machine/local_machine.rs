//! This machine, as a climb puts it to work: through its backend, with a meter that shows it.

use super::Chain;
use super::Watching;
use super::backend::Backend;
use crate::shared::failure::Failure;
#[cfg(target_os = "linux")]
use crate::shared::recorder::Flight;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use swiftloop_core::soak::{End, SoakMachine, SoakStretch, StretchResult};
#[cfg(target_os = "linux")]
use swiftloop_files::trace::TraceReading;
use swiftloop_host::soak::{Permission, SoakMeter, Speed, Task};
#[cfg(target_os = "linux")]
use swiftloop_measure::trace::TraceSpan;
use swiftloop_units::{Block, Hz, Seconds};

pub struct LocalMachine<'a> {
    pub backend: Backend,
    pub rate: Hz,
    pub reserve: f64,
    pub workers: usize,
    /// The session's own processors, where they are the work.
    #[cfg_attr(not(target_os = "linux"), allow(dead_code, reason = "processors run on Linux"))]
    pub chain: Option<&'a Chain>,
    pub speed: Speed,
    pub stop: &'a AtomicBool,
    pub live: &'a mut dyn Watching,
    /// Of the rung that is climbed.
    pub meter: SoakMeter,
    /// The recorder that looks into the kernel meanwhile.
    #[cfg(target_os = "linux")]
    pub flight: Option<Flight>,
    /// What it found, rung by rung; the last one is still open while it is climbed.
    #[cfg(target_os = "linux")]
    pub traced: Vec<(Block, TraceReading)>,
    #[cfg(target_os = "linux")]
    pub open: Option<Block>,
    /// What was granted at last.
    pub permission: Permission,
    /// By how much the wall clock was set meanwhile.
    pub clock_step_s: f64,
}

impl SoakMachine for LocalMachine<'_> {
    type Error = Failure;

    fn begin(&mut self, block: Block, longest: Seconds) {
        #[cfg(target_os = "linux")]
        self.end_rung();
        self.meter = SoakMeter::new(self.workers);
        #[cfg(target_os = "linux")]
        if let Some(flight) = &mut self.flight {
            flight.rung(TraceSpan::from_us(block.period(self.rate).raw()));
            self.open = Some(block);
            if let Ok(tell) = flight.teller() {
                self.meter = SoakMeter::new(self.workers).telling(tell);
            }
        }
        self.live.begin(
            &format!("{block} frames at {} Hz", self.rate),
            longest.raw(),
            block.period(self.rate).raw(),
        );
    }

    fn live(
        &mut self,
        stretch: SoakStretch<'_>,
        goes_on: &mut dyn FnMut(u64, Seconds) -> bool,
    ) -> Result<StretchResult, Failure> {
        #[cfg(target_os = "linux")]
        if let Some(chain) = self.chain {
            return self.live_chain(chain, stretch, goes_on);
        }
        let task = Task {
            period_ns: stretch.block.period(self.rate).raw() * 1000.0,
            reserve: self.reserve,
            seconds: stretch.length.raw(),
            patterns: stretch.patterns.to_vec(),
            frame_ns: self.speed.frame_ns,
        };
        // What is only listened to shows on no meter.
        let unseen = SoakMeter::new(self.workers);
        let meter = if stretch.judged { &self.meter } else { &unseen };
        let (live, before) = (&mut self.live, meter.misses());
        #[cfg(target_os = "linux")]
        let flight = &mut self.flight;
        let watch = |meter: &SoakMeter, passed: f64| {
            #[cfg(target_os = "linux")]
            if let Some(flight) = flight.as_mut().filter(|_| stretch.judged) {
                flight.watch(meter.misses());
                live.leads(flight.leads());
            }
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

#[cfg(target_os = "linux")]
impl LocalMachine<'_> {
    /// What the recorder found of the rung that is over.
    pub fn end_rung(&mut self) {
        if let (Some(flight), Some(block)) = (&mut self.flight, self.open.take()) {
            self.traced.push((block, flight.over(self.meter.misses())));
        }
    }

    /// A stretch with the session's own processors, in a process of their own.
    fn live_chain(
        &mut self,
        chain: &Chain,
        stretch: SoakStretch<'_>,
        goes_on: &mut dyn FnMut(u64, Seconds) -> bool,
    ) -> Result<StretchResult, Failure> {
        let program = crate::shared::environment::this_program()?;
        let task = chain.task(stretch.block, self.rate, self.reserve, stretch.length.raw());
        let (live, stop) = (&mut self.live, self.stop);
        let lived = swiftloop_host::weigh::soak_chain(&program, &task, |misses, passed| {
            live.show(None, passed, stretch.length.raw());
            !stop.load(Relaxed) && goes_on(misses, Seconds::new(passed))
        });
        let lived = lived.map_err(|(status, link)| {
            Failure::machine(
                format!("{} cannot be soaked: {}", chain.named(link), crate::shared::processors::told(&status)),
                "weigh it by itself (swiftloop weigh), and set its state to unloaded in the session to go on without it",
            )
        })?;
        self.live.passed(if stretch.judged { lived.observed.lasted.raw() } else { 0.0 });
        self.clock_step_s += lived.clock_step_s;
        self.permission = lived.permission;
        let end = if self.stop.load(Relaxed) { End::Stopped } else { End::Whole };
        Ok(StretchResult { observed: lived.observed, heard: lived.heard, exec_us: lived.exec_us, end })
    }
}
