//! Up the rungs. The machine is listened to in short stretches between those that are judged: what is predicted for a
//! block comes from the stretches in between, so that it can be wrong, and so that a noisy minute strikes both alike.

use super::means::Means;
use super::work::{Patterns, Plan};
use crate::cli::Soak;
use crate::failure::Failure;
use crate::views::soak_meter::Live;
use hdrhistogram::Histogram;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use swiftloop_core::risk::{Dropouts, RiskModel, WakeSet};
use swiftloop_core::soak::{Circumstances, Counts, Decision, Heard, Observed, Rung, learn};
use swiftloop_core::units::Block;
use swiftloop_files::tables;
use swiftloop_host::soak::{Meter, Permission, Record, Speed, Task, WorkerRecord};

/// Seconds of a stretch, listened to or judged: of one length, so that what builds up within a stretch (the system's own
/// limit on real-time threads, heat) strikes both alike.
const STRETCH_S: f64 = 2.0;
/// A rung of a ladder is given up as undecided after so many times the seconds asked for.
const PATIENCE: f64 = 3.0;
/// Fewer blocks say too little about the pace at one block.
const FEWEST_PACES: u64 = 200;

/// A climb: one rung or a ladder of them.
pub struct Climb<'a> {
    options: &'a Soak,
    plan: &'a Plan,
    means: &'a mut Means,
    stop: &'a AtomicBool,
    pub speed: Speed,
    /// What was only listened to: predictions come from it.
    pub heard: Heard,
    /// What was judged.
    pub judged: Heard,
    pub permission: Option<Permission>,
    pub clock_step_s: f64,
    /// The server went away in the middle.
    pub gone: bool,
}

impl<'a> Climb<'a> {
    pub fn new(
        options: &'a Soak,
        plan: &'a Plan,
        means: &'a mut Means,
        stop: &'a AtomicBool,
        speed: Speed,
    ) -> Self {
        let (heard, judged) = (Heard::default(), Heard::default());
        Self {
            options,
            plan,
            means,
            stop,
            speed,
            heard,
            judged,
            permission: None,
            clock_step_s: 0.0,
            gone: false,
        }
    }

    /// Soaks every block, on a ladder up to the first that holds.
    pub fn up(&mut self) -> Result<Vec<Rung>, Failure> {
        let mut rungs = Vec::new();
        for &block in &self.plan.blocks {
            if self.over() {
                break;
            }
            let Some(rung) = self.rung(block)? else { break };
            let holds = rung.decision == Decision::Holds;
            rungs.push(rung);
            if holds {
                break;
            }
        }
        Ok(rungs)
    }

    fn over(&self) -> bool {
        self.stop.load(Relaxed) || self.gone
    }

    /// One block, in stretches, until the time is over or (on a ladder) the answer is known. Nothing when it was stopped
    /// before anything was judged.
    fn rung(&mut self, block: Block) -> Result<Option<Rung>, Failure> {
        let patterns = self.plan.patterns(block, self.speed.factor());
        let question = super::question(self.options, self.plan);
        let period_us = block.period(self.plan.rate).0;
        let asked = self.options.seconds * if self.options.ladder { PATIENCE } else { 1.0 };
        // Very large blocks: some of them at least, and several in every stretch.
        let longest = asked.max(8.0 * period_us / 1e6);
        let stretch = |seconds: f64| seconds.max(4.0 * period_us / 1e6);
        let meter = Meter::new(patterns.first().map_or(1, |p| p.1.len()));
        let title = format!("{block} frames at {} Hz", self.plan.rate);
        let mut live = Live::new(&title, longest, period_us);
        let mut observed = Observed { blocks: 0, late: 0, runs: 0, seconds: 0.0 };
        let (mut here, mut judged) = (Heard::default(), Heard::default());
        let (mut wake_us, mut exec_us) = (Counts::default(), Counts::default());
        let ladder = self.options.ladder;
        let known = |o: &Observed| question.answer(o.misses(), o.seconds / 3600.0) != Decision::Undecided;
        // A remainder too short for two blocks would bring none, again and again.
        let enough = longest - (2.0 * period_us / 1e6).max(0.02);
        while !self.over() && observed.seconds < enough && !(ladder && known(&observed)) {
            let left = longest - observed.seconds;
            let listened = self.soak(
                block,
                &patterns,
                stretch(STRETCH_S).min(left),
                &Meter::new(meter.look().len()),
                |_, _| {
                    live.tick();
                    true
                },
            )?;
            hear(&mut here, &listened);
            if self.over() {
                break;
            }
            let before = observed;
            let record =
                self.soak(block, &patterns, stretch(STRETCH_S).min(left), &meter, |meter, passed| {
                    let now = Observed {
                        runs: meter.misses(),
                        late: 0,
                        seconds: before.seconds + passed,
                        ..before
                    };
                    live.show(meter, now.seconds);
                    // A known answer ends a rung of a ladder before its time.
                    !(ladder && known(&now))
                })?;
            if self.gone {
                // What a dying server does to its clients says nothing about the machine.
                break;
            }
            hear(&mut judged, &record);
            let of = |which: fn(&WorkerRecord) -> &Histogram<u64>| {
                record.workers.iter().map(|w| counts(which(w))).fold(Counts::default(), |sum, c| sum.with(&c))
            };
            wake_us = wake_us.with(&of(|w| &w.wake));
            exec_us = exec_us.with(&of(|w| &w.exec));
            observed = Observed {
                blocks: observed.blocks + record.blocks,
                late: observed.late + record.late_blocks,
                runs: observed.runs + record.runs,
                seconds: observed.seconds + record.seconds,
            };
        }
        live.clear();
        let predicted = self.predict(&here, block, &patterns);
        self.heard = self.heard.with(here);
        self.judged = std::mem::take(&mut self.judged).with(judged);
        let decision = question.answer(observed.misses(), observed.seconds / 3600.0);
        let rate = self.plan.rate;
        Ok((observed.blocks > 0).then_some(Rung {
            block,
            rate,
            decision,
            observed,
            wake_us,
            exec_us,
            predicted,
        }))
    }

    /// What the risk model says of a block: wake-ups from all that was heard up to now, pace from `here` if that is enough.
    fn predict(&self, here: &Heard, block: Block, patterns: &Patterns) -> Dropouts {
        let mut heard = self.heard.with(here.clone());
        if here.pace.total() >= FEWEST_PACES {
            heard.pace = here.pace.clone();
            heard.pace_by_second.clone_from(&here.pace_by_second);
        }
        let machine = self.plan.rig.as_ref().map(|r| &r.machine);
        let wake = match learn(&heard, &Circumstances::default()) {
            Some(profile) => WakeSet::measured(&profile),
            // Cut short before anything could be learned: the class of machine has to do.
            None => WakeSet::of_class(
                machine.map_or("desktop", |m| m.class.as_str()),
                machine.map_or_else(Default::default, |m| m.power),
                tables(),
            ),
        };
        // Each worker can be late: their chances add up.
        let each: Vec<(f64, f64)> =
            patterns.iter().flat_map(|(share, us)| us.iter().map(move |us| (*share, *us))).collect();
        let period_us = block.period(self.plan.rate).0;
        RiskModel { period_us, reserve: self.plan.reserve, wake: &wake }.counted(&each)
    }

    fn soak(
        &mut self,
        block: Block,
        patterns: &Patterns,
        seconds: f64,
        meter: &Meter,
        watch: impl FnMut(&Meter, f64) -> bool,
    ) -> Result<Record, Failure> {
        let task = Task {
            period_ns: block.period(self.plan.rate).0 * 1000.0,
            reserve: self.plan.reserve,
            seconds,
            patterns: patterns.clone(),
            section_ns: self.speed.section_ns,
        };
        let (record, gone) = self.means.soak(block, &task, meter, self.stop, watch)?;
        self.gone |= gone;
        self.clock_step_s += record.clock_step_s;
        self.permission = Some(record.permission.clone());
        Ok(record)
    }
}

/// Adds what a record holds.
fn hear(heard: &mut Heard, record: &Record) {
    for worker in &record.workers {
        let slow = worker.slow.iter().map(|s| (s.block, s.ns as f64 / 1000.0)).collect();
        *heard = std::mem::take(heard).with(Heard {
            wakes: counts(&worker.wake),
            slow,
            pace: counts(&worker.ratio),
            pace_by_second: worker.pace_by_second().collect(),
        });
    }
}

/// A histogram's values in thousandths: nanoseconds become microseconds, thousandths whole ones.
fn counts(histogram: &Histogram<u64>) -> Counts {
    let value = |v: u64| histogram.median_equivalent(v) as f64 / 1000.0;
    Counts::new(histogram.iter_recorded().map(|v| (value(v.value_iterated_to()), v.count_at_value())))
}
