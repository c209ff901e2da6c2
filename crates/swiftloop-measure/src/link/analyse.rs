//! From packets to what is said of the way. The quickest packet sets the floor, and everything else is how much
//! later than that a packet is. What was sent and came back comes in (`exchange`), with what each packet carried and what is
//! allowed; [`Measured`] goes out.

use super::clocks::{ClockSample, clocks};
use super::exchange::{Exchange, PacketFate, Sorted};
use super::late::{Lateness, PerHourLate};
use super::measured::{
    BothWays, BufferRow, BySpare, Carried, CoursePoint, FORMAT, FigureRange, LineStretch, Measured, Own,
    TimeSpread, TrafficEffect,
};
use super::packet::Spare;
use super::receive::{Recommended, WINDOWS_S, following, shortest, with_spare};
use statrs::distribution::{Beta, ContinuousCDF};
use swiftloop_units::Seconds;

/// A way there or back: how late each packet was that was sent, in milliseconds; infinite where it never came.
#[derive(Debug, Clone, PartialEq)]
pub struct PacketDelays {
    /// When each was sent, in seconds.
    pub at_s: Vec<f64>,
    /// How late it was.
    pub late_ms: Vec<f64>,
}

impl PacketDelays {
    fn part(&self, which: &[bool], wanted: bool) -> Self {
        let keep = |k: &usize| which[*k] == wanted;
        Self {
            at_s: (0..self.at_s.len()).filter(keep).map(|k| self.at_s[k]).collect(),
            late_ms: (0..self.at_s.len()).filter(keep).map(|k| self.late_ms[k]).collect(),
        }
    }
}

/// Both ways apart, the clocks between them, and whether there was other traffic at each packet.
struct OneWayTimes {
    forth: PacketDelays,
    back: PacketDelays,
    trips_ms: Vec<f64>,
    loaded: (Vec<bool>, Vec<bool>),
    ppm: FigureRange,
    steps: u64,
}

fn apart(sorted: &Sorted) -> OneWayTimes {
    let mut ways = Vec::with_capacity(sorted.at.len());
    for (at, fate) in sorted.at.iter().zip(&sorted.fate) {
        if let PacketFate::Back { forth, back } = *fate {
            ways.push(ClockSample { at: *at as f64, forth: forth as f64, back: back as f64 });
        }
    }
    // Clocks of two computers may be decades apart: figures near zero keep their nanoseconds.
    let base = ways.first().map_or(0.0, |w| (w.forth - w.back) / 2.0);
    for w in &mut ways {
        w.forth -= base;
        w.back += base;
    }
    let clocks = clocks(&ways);
    let lateness = |of: &dyn Fn(usize) -> f64| {
        let all: Vec<f64> = (0..ways.len()).map(of).collect();
        let least = all.iter().copied().fold(f64::INFINITY, f64::min);
        all.into_iter().map(|x| (x - least) / 1e6).collect::<Vec<f64>>()
    };
    let forth = lateness(&|k| ways[k].forth - clocks.offset[k]);
    let back = lateness(&|k| ways[k].back + clocks.offset[k]);
    let mut one =
        (PacketDelays { at_s: vec![], late_ms: vec![] }, PacketDelays { at_s: vec![], late_ms: vec![] });
    let mut loaded = (Vec::new(), Vec::new());
    let mut k = 0;
    for ((at, fate), load) in sorted.at.iter().zip(&sorted.fate).zip(&sorted.loaded) {
        let (there, here) = match fate {
            PacketFate::Back { .. } => {
                k += 1;
                (Some(forth[k - 1]), Some(back[k - 1]))
            }
            PacketFate::LostForth => (Some(f64::INFINITY), None),
            // When it arrived there is not known: in time, as most do.
            PacketFate::LostBack => (None, Some(f64::INFINITY)),
            PacketFate::Lost => (Some(f64::INFINITY), Some(f64::INFINITY)),
        };
        let at = *at as f64 / 1e9;
        for (late, one, loaded) in [(there, &mut one.0, &mut loaded.0), (here, &mut one.1, &mut loaded.1)] {
            if let Some(late) = late {
                one.at_s.push(at);
                one.late_ms.push(late);
                loaded.push(*load);
            }
        }
    }
    let raw = |p: swiftloop_units::Ppm| p.raw();
    OneWayTimes {
        forth: one.0,
        back: one.1,
        trips_ms: ways.iter().map(|w| (w.forth + w.back) / 1e6).collect(),
        loaded,
        ppm: FigureRange {
            low: raw(clocks.ppm.low()),
            typical: raw(clocks.ppm.typical()),
            high: raw(clocks.ppm.high()),
        },
        steps: clocks.steps,
    }
}

/// How times spread; those that are infinite do not count.
#[must_use]
pub fn spread(times: &[f64]) -> TimeSpread {
    let mut all: Vec<f64> = times.iter().copied().filter(|t| t.is_finite()).collect();
    if all.is_empty() {
        return TimeSpread::default();
    }
    let last = all.len() - 1;
    let mut at = |share: f64| {
        let place = (((all.len() as f64) * share).ceil() as usize).saturating_sub(1).min(last);
        *all.select_nth_unstable_by(place, f64::total_cmp).1
    };
    TimeSpread { floor: at(0.0), p50: at(0.5), p90: at(0.9), p99: at(0.99), p999: at(0.999), max: at(1.0) }
}

/// A share with its interval (Clopper and Pearson 1934), where one event counts for `crowd`.
#[must_use]
pub fn share(events: u64, of: u64, crowd: f64) -> FigureRange {
    if of == 0 {
        return FigureRange { low: 0.0, typical: 0.0, high: 1.0 };
    }
    let crowd = crowd.max(1.0);
    let (k, n) = (events as f64 / crowd, of as f64 / crowd);
    let bound = |a: f64, b: f64, q: f64| Beta::new(a, b).map_or(0.0, |d| d.inverse_cdf(q));
    let low = if events == 0 { 0.0 } else { bound(k, n - k + 1.0, 0.025) };
    let high = if events == of { 1.0 } else { bound(k + 1.0, (n - k).max(1e-9), 0.975) };
    let typical = events as f64 / of as f64;
    FigureRange { low: low.min(typical), typical, high: high.max(typical) }
}

/// What was asked of a measurement.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LineMeasurement {
    /// What each packet carried.
    pub packet: Carried,
    /// Packets an hour that may be late or lost.
    pub allowed_per_hour: f64,
    /// What was sent beside while there was other traffic.
    pub load_kbit_s: f64,
}

/// Late packets with one buffer, as far as a measurement has come.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LateSoFar {
    /// Packets that came too late or never, on the worse of both ways.
    pub count: u64,
    pub time: Seconds,
}

/// How many packets came too late for a buffer so far, or never, on the worse of both ways.
#[must_use]
pub fn late_so_far(exchange: &Exchange, every_ms: f64, buffer_ms: f64) -> LateSoFar {
    let apart = apart(&exchange.sorted());
    let late = |way: &PacketDelays| way.late_ms.iter().filter(|l| **l > buffer_ms).count() as u64;
    let (forth, back) = (late(&apart.forth), late(&apart.back));
    let packets = apart.forth.late_ms.len().max(apart.back.late_ms.len());
    LateSoFar { count: forth.max(back), time: Seconds::new(packets as f64 * every_ms / 1000.0) }
}

/// All that is said of an exchange.
#[must_use]
pub fn analyse(exchange: &Exchange, asked: LineMeasurement, with: Own) -> Measured {
    let sorted = exchange.sorted();
    let apart = apart(&sorted);
    let quiet = Ways::of(&apart, false, asked.packet.every_ms);
    let any_load = sorted.loaded.iter().any(|l| *l);
    let loaded = any_load.then(|| Ways::of(&apart, true, asked.packet.every_ms));
    let receive_buffer = quiet.rows();
    let counts = LossCounts::of(&sorted.fate);
    let best = recommended(&receive_buffer, asked.allowed_per_hour).filter(|_| counts.back > 0);
    let variation = BothWays { forth: spread(&apart.forth.late_ms), back: spread(&apart.back.late_ms) };
    let seconds = sorted.at.last().map_or(0.0, |l| *l as f64 / 1e9);
    let follow = |window: &f64| {
        let of = |way: &PacketDelays| following(&way.at_s, &way.late_ms, *window);
        let (forth, back) = (of(&quiet.forth)?, of(&quiet.back)?);
        Some(if forth.late_per_hour > back.late_per_hour { forth } else { back })
    };
    let (stretches, course) = course(&sorted, &apart, seconds);
    Measured {
        format: FORMAT.into(),
        packet: asked.packet,
        with,
        sent: sorted.at.len() as u64,
        received: counts.back,
        seconds,
        loss: share(counts.lost(), counts.all(), counts.crowd),
        loss_by_way: sorted.seen.told_apart.then(|| BothWays {
            forth: share(counts.lost_forth, counts.all(), counts.crowd),
            back: share(counts.lost_back, counts.all() - counts.lost_forth, counts.crowd),
        }),
        loss_runs: counts.runs.clone(),
        round_trip_ms: spread(&apart.trips_ms),
        variation_ms: variation,
        reordered: sorted.seen.reordered,
        duplicates: sorted.seen.duplicates,
        strays: sorted.seen.strays,
        clock_ppm: apart.ppm,
        clock_steps: apart.steps,
        pauses: sorted.seen.pauses,
        carries_it: carries(&apart, &counts),
        with_load: loaded.as_ref().map(|loaded| TrafficEffect {
            kbit_s: asked.load_kbit_s,
            quiet_ms: worse(&quiet.forth.late_ms, &quiet.back.late_ms),
            loaded_ms: worse(&loaded.forth.late_ms, &loaded.back.late_ms),
            loss: {
                let lost = |f: &(&PacketFate, &bool)| *f.1 && !matches!(f.0, PacketFate::Back { .. });
                let all = sorted.loaded.iter().filter(|l| **l).count();
                let lost = sorted.fate.iter().zip(&sorted.loaded).filter(lost).count();
                share(lost as u64, all as u64, counts.crowd)
            },
        }),
        stretches,
        course,
        receive_buffer_with_load: loaded.as_ref().map(Ways::rows).unwrap_or_default(),
        crowd: quiet.crowd(),
        following: WINDOWS_S.iter().filter_map(follow).collect(),
        allowed_per_hour: asked.allowed_per_hour,
        recommended_ms: best.map(|b| b.ms),
        recommended_is_sure: best.is_some_and(|b| b.sure),
        receive_buffer,
        ..Measured::default()
    }
}

impl Measured {
    /// The same where so many packets an hour may be late or lost.
    #[must_use]
    pub fn allowing(self, allowed_per_hour: f64) -> Self {
        let best = recommended(&self.receive_buffer, allowed_per_hour).filter(|_| self.received > 0);
        Self {
            allowed_per_hour,
            recommended_ms: best.map(|b| b.ms),
            recommended_is_sure: best.is_some_and(|b| b.sure),
            ..self
        }
    }
}

/// The shortest buffer that does for both ways.
#[must_use]
pub fn recommended(rows: &[BufferRow], allowed_per_hour: f64) -> Option<Recommended> {
    shortest(rows.iter().map(|r| (r.ms, r.late_per_hour)), allowed_per_hour)
}

/// The worse of both, by what 999 of 1000 stay below.
fn worse(forth: &[f64], back: &[f64]) -> TimeSpread {
    let (forth, back) = (spread(forth), spread(back));
    if forth.p999 > back.p999 { forth } else { back }
}

/// Both ways with what each kind of spare packets does.
struct Ways {
    forth: PacketDelays,
    back: PacketDelays,
    each: [[Lateness; 3]; 2],
}

impl Ways {
    fn of(apart: &OneWayTimes, loaded: bool, every_ms: f64) -> Self {
        let forth = apart.forth.part(&apart.loaded.0, loaded);
        let back = apart.back.part(&apart.loaded.1, loaded);
        let each = [&forth, &back].map(|way| {
            let hours = way.late_ms.len() as f64 * every_ms / 3.6e6;
            Spare::ALL.map(|spare| Lateness::of(&with_spare(&way.late_ms, every_ms, spare), hours))
        });
        Self { forth, back, each }
    }

    fn crowd(&self) -> f64 {
        self.each[0][0].crowd().max(self.each[1][0].crowd())
    }

    /// Every length of the buffer, up to where a longer one brings nothing more.
    fn rows(&self) -> Vec<BufferRow> {
        let by_spare = |side: usize, ms: f64| {
            let of = |k: usize| self.each[side][k].per_hour(ms);
            BySpare { none: of(0), parity: of(1), twice: of(2) }
        };
        let mut rows = Vec::new();
        for ms in super::late::lengths() {
            let (forth, back) = (by_spare(0, ms), by_spare(1, ms));
            let late_per_hour: PerHourLate = forth.none.max(back.none);
            rows.push(BufferRow { ms, late_per_hour, forth, back });
        }
        // No length is worse than a shorter one: where the count gives way to the tail it might look so.
        for k in 1..rows.len() {
            let before = rows[k - 1];
            let least = |now: PerHourLate, was: PerHourLate| now.with(was, f64::min);
            let row = &mut rows[k];
            row.late_per_hour = least(row.late_per_hour, before.late_per_hour);
            for (now, was) in [(&mut row.forth, before.forth), (&mut row.back, before.back)] {
                now.none = least(now.none, was.none);
                now.parity = least(now.parity, was.parity);
                now.twice = least(now.twice, was.twice);
            }
        }
        let same = |a: &BufferRow, b: &BufferRow| BufferRow { ms: a.ms, ..*b } == *a;
        while rows.len() > 2 && same(&rows[rows.len() - 2], &rows[rows.len() - 1]) {
            rows.pop();
        }
        rows
    }
}

/// How many came back and were lost, and in runs of which length.
struct LossCounts {
    back: u64,
    lost_forth: u64,
    lost_back: u64,
    lost_somewhere: u64,
    runs: Vec<(u64, u64)>,
    crowd: f64,
}

impl LossCounts {
    fn of(fate: &[PacketFate]) -> Self {
        let is = |wanted: PacketFate| fate.iter().filter(|f| **f == wanted).count() as u64;
        let back = fate.iter().filter(|f| matches!(f, PacketFate::Back { .. })).count() as u64;
        let mut runs = std::collections::BTreeMap::new();
        let mut run = 0u64;
        for lost in fate.iter().map(|f| !matches!(f, PacketFate::Back { .. })).chain([false]) {
            if lost {
                run += 1;
            } else if run > 0 {
                *runs.entry(run).or_insert(0u64) += 1;
                run = 0;
            }
        }
        let (sum, squares) =
            runs.iter().fold((0.0, 0.0), |(s, q), (l, n)| (s + (l * n) as f64, q + (l * l * n) as f64));
        Self {
            back,
            lost_forth: is(PacketFate::LostForth),
            lost_back: is(PacketFate::LostBack),
            lost_somewhere: is(PacketFate::Lost),
            runs: runs.into_iter().collect(),
            crowd: if sum > 0.0 { squares / sum } else { 1.0 },
        }
    }

    fn lost(&self) -> u64 {
        self.lost_forth + self.lost_back + self.lost_somewhere
    }

    fn all(&self) -> u64 {
        self.back + self.lost()
    }
}

/// A line that is too slow lets packets wait ever longer, and then drops them.
fn carries(apart: &OneWayTimes, counts: &LossCounts) -> bool {
    const LOST: f64 = 0.02;
    const GROWS_MS: f64 = 5.0;
    let thirds = |late: &[f64]| {
        let third = late.len() / 3;
        let (first, last) = (spread(&late[..third]), spread(&late[late.len() - third..]));
        last.p50 - first.p50 > GROWS_MS.max(3.0 * (first.p90 - first.p50))
    };
    let grows = thirds(&apart.forth.late_ms) || thirds(&apart.back.late_ms);
    counts.back > 0 && (counts.lost() as f64) < LOST * counts.all() as f64 && !grows
}

/// Points of the course, and stretches of a minute or a tenth of the whole.
const POINTS: f64 = 240.0;
const STRETCHES: f64 = 10.0;

fn course(sorted: &Sorted, apart: &OneWayTimes, seconds: f64) -> (Vec<LineStretch>, Vec<CoursePoint>) {
    let bin = |count: f64| {
        let n = count.max(1.0);
        move |at_s: f64| (((at_s / seconds.max(1e-9)) * n) as usize).min(n as usize - 1)
    };
    let points_n = POINTS.min(sorted.at.len() as f64).max(1.0);
    let stretches_n = STRETCHES.min((seconds / 2.0).floor()).max((seconds / 60.0).floor()).clamp(1.0, 120.0);
    let (point, stretch) = (bin(points_n), bin(stretches_n));
    let mut points: Vec<CoursePoint> = (0..points_n as usize)
        .map(|k| CoursePoint { at_s: (k as f64 + 0.5) * seconds / points_n, ..CoursePoint::default() })
        .collect();
    let mut late: Vec<Vec<f64>> = vec![Vec::new(); stretches_n as usize];
    for (way, is_forth) in [(&apart.forth, true), (&apart.back, false)] {
        for (at, l) in way.at_s.iter().zip(&way.late_ms).filter(|(_, l)| l.is_finite()) {
            let p = &mut points[point(*at)];
            let place = if is_forth { &mut p.forth_ms } else { &mut p.back_ms };
            *place = place.max(*l);
            late[stretch(*at)].push(*l);
        }
    }
    let mut stretches: Vec<LineStretch> = late
        .iter()
        .enumerate()
        .map(|(k, all)| LineStretch {
            from_s: k as f64 * seconds / stretches_n,
            floor_ms: f64::INFINITY,
            p99_ms: spread(all).p99,
            lost: 0,
        })
        .collect();
    let mut k = 0;
    for (at, fate) in sorted.at.iter().zip(&sorted.fate) {
        let at = *at as f64 / 1e9;
        let s = &mut stretches[stretch(at)];
        if matches!(fate, PacketFate::Back { .. }) {
            s.floor_ms = s.floor_ms.min(apart.trips_ms[k]);
            k += 1;
        } else {
            s.lost += 1;
            points[point(at)].lost += 1;
        }
    }
    stretches.retain(|s| s.floor_ms.is_finite());
    (stretches, points)
}
