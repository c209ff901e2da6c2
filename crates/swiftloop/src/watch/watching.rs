//! Beside the take: a thread of ours that wakes at the real period, the server's own word on its xruns, and a look at the
//! computer every second. What happens goes to whoever wants to know. A server that goes away is waited for.

use crate::shared::failure::Failure;
use crate::shared::recorder::Flight;
use std::sync::atomic::Ordering::Relaxed;
use std::sync::atomic::{AtomicBool, AtomicU64};
use std::time::{Duration, Instant};
use swiftloop_core::in_effect::{Demand, Sample, Summary, WatchEvent, Watcher};
use swiftloop_core::soak::WorkPattern;
use swiftloop_host::jack::{Server, ServerError, told_of_xruns};
use swiftloop_host::soak::{SoakMeter, Task, soak, worked_ns};
use swiftloop_host::survey::Eye;
use swiftloop_measure::trace::TraceSpan;
use swiftloop_units::Micros;

const EVERY: Duration = Duration::from_secs(1);
/// Our own thread wakes no more often than so, in µs: at shorter periods at every second, third … one, each held to the real
/// period all the same. Being woken is what watching costs.
const AT_LEAST_US: f64 = 10_000.0;
/// A server that went away is looked for every so many looks.
const RETRY: u64 = 5;

/// What becomes of a watch.
pub struct Watched {
    pub summary: Summary,
    /// What we took ourselves, as a share of one core.
    pub own_share: f64,
    /// The server that told of its xruns.
    pub server: Option<&'static str>,
}

/// What a moment of a watch shows.
pub struct Moment<'a> {
    pub at_s: f64,
    pub events: &'a [WatchEvent],
    pub summary: &'a Summary,
    pub sample: &'a Sample,
}

/// What is known from stretch to stretch.
struct Eyes<'a> {
    demand: &'a Demand,
    begun: Instant,
    length: Duration,
    stop: &'a AtomicBool,
    eye: Eye,
    watcher: Watcher,
    flight: Option<Flight>,
    xruns: AtomicU64,
    /// Late blocks of the stretches before.
    late_before: u64,
    looked: Instant,
}

/// Watches until the time is over or somebody stops it; `tell` is told of every look.
pub fn watch(
    demand: &Demand,
    length: Duration,
    stop: &AtomicBool,
    trace: bool,
    tell: &mut dyn FnMut(&Moment<'_>),
) -> Result<Watched, Failure> {
    let flight = trace.then(Flight::begin).transpose()?;
    let worked = worked_ns();
    let begun = Instant::now();
    let mut eyes = Eyes {
        demand,
        begun,
        length,
        stop,
        eye: Eye::default(),
        watcher: Watcher::default(),
        flight,
        xruns: AtomicU64::new(0),
        late_before: 0,
        looked: begun,
    };
    let through_server = demand.server.is_some();
    let mut server = Server::connect("swiftloop-watch").ok().filter(|_| through_server);
    let kind = server.as_ref().map(Server::kind);
    if through_server && server.is_none() {
        return Err(Failure::machine(
            "the server that the plan goes through does not run, so there is nothing to watch",
            "start it, or look what is missing: swiftloop check, with the same files and phase",
        ));
    }
    while eyes.goes_on() {
        eyes.stretch(server.as_ref(), through_server, tell)?;
        if !eyes.goes_on() {
            break;
        }
        // The stretch ended before its time: the server went, or came back.
        server = Server::connect("swiftloop-watch").ok();
    }
    let seconds = begun.elapsed().as_secs_f64().max(1e-3);
    Ok(Watched {
        summary: eyes.watcher.summary().clone(),
        own_share: (worked_ns() - worked) as f64 / 1e9 / seconds,
        server: kind,
    })
}

impl Eyes<'_> {
    fn goes_on(&self) -> bool {
        !self.stop.load(Relaxed) && self.begun.elapsed() < self.length
    }

    /// Watches as long as the server is as it was: there, or not there.
    fn stretch(
        &mut self,
        server: Option<&Server>,
        wants_server: bool,
        tell: &mut dyn FnMut(&Moment<'_>),
    ) -> Result<(), Failure> {
        let real_us = self.demand.period_us();
        let every = (AT_LEAST_US / real_us).ceil().max(1.0);
        let period_us = real_us * every;
        let mut meter = SoakMeter::new(1);
        if let Some(flight) = &mut self.flight {
            flight.rung(TraceSpan::from_us(period_us));
            meter = meter.telling(flight.teller()?);
        }
        let left = self.length.saturating_sub(self.begun.elapsed()).as_secs_f64();
        let task = Task {
            period_ns: period_us * 1000.0,
            reserve: 1.0 / every,
            seconds: left.max(0.01),
            patterns: vec![WorkPattern { share: 1.0, work: vec![Micros::new(0.0)] }],
            frame_ns: 1.0,
        };
        let stop = self.stop;
        let mut looks = 0;
        let xruns = std::mem::take(&mut self.xruns);
        let mut lived = Ok(());
        let mut live = |own: &mut Self| {
            lived = soak(&task, &meter, stop, |meter, _| {
                if own.looked.elapsed() < EVERY {
                    return true;
                }
                own.looked = Instant::now();
                looks += 1;
                own.look(server, wants_server, meter, &xruns, tell);
                match server {
                    Some(server) => !server.is_gone(),
                    None => !(wants_server && looks % RETRY == 0 && is_back()),
                }
            })
            .map(drop);
        };
        match server {
            Some(server) => {
                let missed = || {
                    xruns.fetch_add(1, Relaxed);
                };
                match told_of_xruns(server, &missed, || live(self)) {
                    Ok(_) | Err(ServerError::Gone) => {}
                    Err(why) => {
                        return Err(Failure::machine(why.to_string(), "start it again and watch again"));
                    }
                }
            }
            None => live(self),
        }
        self.xruns = xruns;
        self.late_before += meter.misses();
        lived.map_err(|e| Failure::machine(e.to_string(), "close other programs and try again"))
    }

    fn look(
        &mut self,
        server: Option<&Server>,
        wants_server: bool,
        meter: &SoakMeter,
        xruns: &AtomicU64,
        tell: &mut dyn FnMut(&Moment<'_>),
    ) {
        let mut sample = self.eye.look();
        sample.at_s = self.begun.elapsed().as_secs_f64();
        sample.late = self.late_before + meter.misses();
        let here = server.filter(|s| !s.is_gone());
        if wants_server {
            sample.server = Some(here.is_some());
            sample.xruns = Some(xruns.load(Relaxed));
        }
        if let Some((server, (load, rate))) = here.and_then(|s| Some((s, s.glance()?))) {
            sample.load_percent = Some(load);
            sample.values.insert("rate", format!("{rate} Hz"));
            sample.values.insert("buffer", format!("{} frames", server.buffer()));
        }
        if let Some(flight) = &mut self.flight {
            flight.watch(meter.misses());
            sample.thief = flight.leads();
        }
        let events = self.watcher.look(&sample);
        tell(&Moment {
            at_s: sample.at_s,
            events: &events,
            summary: self.watcher.summary(),
            sample: &sample,
        });
    }
}

/// A server answers again.
fn is_back() -> bool {
    Server::connect("swiftloop-watch").is_ok()
}
