//! Two clocks. Ways there and back, each measured from one clock to the other, come in; how much faster theirs runs and the
//! variation of both ways without that go out. A packet that met no queue took the same time as any other such,
//! so the lowest edge of the ways there rises as their clock gains, and that of the ways back falls: half the difference of
//! the edges is the clocks', what is left is the line's.

use swiftloop_units::stats::median;
use swiftloop_units::{Ppm, Range};

/// What is said of the clocks.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct ClockEstimate {
    /// How much faster theirs runs.
    pub ppm: Range<Ppm>,
    /// How often one of them was set to another time meanwhile.
    pub steps: u64,
    /// For each packet the difference of the clocks, in nanoseconds.
    pub offset: Vec<f64>,
}

/// A packet that came back.
#[derive(Debug, Clone, Copy)]
pub(super) struct ClockSample {
    /// When it was sent, in nanoseconds after the first.
    pub at: f64,
    /// There, by two clocks.
    pub forth: f64,
    /// Back, by two clocks.
    pub back: f64,
}

/// Edges are looked for in windows of this length, or of so many packets; and there are no more windows than this.
const WINDOW_NS: f64 = 0.5e9;
const WINDOW_PACKETS: usize = 40;
const WINDOWS: usize = 400;
/// A difference that jumps by more than this, beyond what queues explain, is a clock that was set. (A clock that is slewed, by
/// 500 parts in a million at the most, gains 0.25 ms in a window.)
const STEP_NS: f64 = 0.6e6;

/// The edge of one window.
#[derive(Debug, Clone, Copy)]
struct Edge {
    from: usize,
    at: f64,
    /// Half the difference of the lowest ways there and back.
    offset: f64,
    /// Their sum: the shortest round trip, if both were one packet's.
    trip: f64,
    segment: usize,
    /// A clock was set within it: its lowest ways there and back are not of one time.
    mixed: bool,
}

/// What is said of the clocks of packets in the order in which they were sent.
pub(super) fn clocks(ways: &[ClockSample]) -> ClockEstimate {
    let mut edges = edges(ways);
    let steps = mark_steps(&mut edges);
    let (slope, doubt) = slope(&edges);
    let offset = offsets(ways, &edges, slope);
    let ppm = |s: f64| Ppm::new((s * 1e6).clamp(-1e6, 1e6));
    ClockEstimate { ppm: Range::spanning(ppm(slope - doubt), ppm(slope), ppm(slope + doubt)), steps, offset }
}

fn edges(ways: &[ClockSample]) -> Vec<Edge> {
    let (Some(first), Some(last)) = (ways.first(), ways.last()) else { return Vec::new() };
    let length = WINDOW_NS.max((last.at - first.at) / WINDOWS as f64);
    let mut edges = Vec::new();
    let mut from = 0;
    while from < ways.len() {
        let end = ways[from].at + length;
        let mut to = from + 1;
        while to < ways.len() && (ways[to].at < end || to - from < WINDOW_PACKETS) {
            to += 1;
        }
        // What would be left for a last window of its own joins this one.
        if ways.len() - to < WINDOW_PACKETS {
            to = ways.len();
        }
        edges.push(edge(&ways[from..to], from));
        from = to;
    }
    edges
}

fn edge(ways: &[ClockSample], from: usize) -> Edge {
    let least = |of: fn(&ClockSample) -> f64| ways.iter().map(of).fold(f64::INFINITY, f64::min);
    let (forth, back) = (least(|w| w.forth), least(|w| w.back));
    // The moment is that of the shortest ways, as far as both agree.
    let moment = |of: fn(&ClockSample) -> f64| {
        ways.iter().min_by(|a, b| of(a).total_cmp(&of(b))).map_or(0.0, |w| w.at)
    };
    let at = f64::midpoint(moment(|w| w.forth), moment(|w| w.back));
    Edge { from, at, offset: (forth - back) / 2.0, trip: forth + back, segment: 0, mixed: false }
}

/// Numbers the stretches between steps of a clock.
fn mark_steps(edges: &mut [Edge]) -> u64 {
    let usual = median(edges.iter().map(|e| e.trip));
    let spread = median(edges.iter().map(|e| (e.trip - usual).abs()));
    for e in edges.iter_mut() {
        e.mixed = e.trip < usual - 6.0 * spread - STEP_NS;
    }
    let floor = floor(edges);
    let mut before: Option<Edge> = None;
    let mut segment = 0;
    for e in edges.iter_mut() {
        if !e.mixed {
            if let Some(last) = before {
                let queues = (e.trip - floor).max(0.0) + (last.trip - floor).max(0.0);
                if (e.offset - last.offset).abs() > STEP_NS + queues {
                    segment += 1;
                }
            }
            before = Some(*e);
        }
        e.segment = segment;
    }
    segment as u64
}

/// The shortest round trip that any window shows.
fn floor(edges: &[Edge]) -> f64 {
    edges.iter().filter(|e| !e.mixed).map(|e| e.trip).fold(f64::INFINITY, f64::min)
}

/// The common slope of all stretches by least squares, from edges whose round trip is near the shortest; and its doubt (two
/// standard errors).
fn slope(edges: &[Edge]) -> (f64, f64) {
    let trips = median(edges.iter().map(|e| e.trip));
    let floor = floor(edges);
    let good = |e: &&Edge| !e.mixed && e.trip <= floor + 2.0 * (trips - floor) + 1e3;
    let mut used: Vec<&Edge> = edges.iter().filter(good).collect();
    let mut fitted = fit(&used);
    // Without edges that lie far off.
    for _ in 0..3 {
        let Some(line) = &fitted else { break };
        let residual = |e: &Edge| (e.offset - line.at(e)).abs();
        let usual = median(used.iter().map(|e| residual(e)));
        let kept: Vec<&Edge> = used.iter().copied().filter(|e| residual(e) <= 4.0 * usual + 1e3).collect();
        if kept.len() == used.len() || kept.len() < 4 {
            break;
        }
        used = kept;
        fitted = fit(&used);
    }
    match fitted {
        Some(line) => (line.slope, line.doubt(&used)),
        // Nothing can be said: any crystal of a computer is possible.
        None => (0.0, 100e-6),
    }
}

/// A line for each stretch, all with one slope.
struct Lines {
    slope: f64,
    /// Mean moment and mean offset of each stretch.
    centres: Vec<(f64, f64)>,
    spread: f64,
}

impl Lines {
    fn at(&self, e: &Edge) -> f64 {
        let (at, offset) = self.centres[e.segment];
        offset + self.slope * (e.at - at)
    }

    fn doubt(&self, used: &[&Edge]) -> f64 {
        let free = used.len().saturating_sub(1 + self.centres.len()).max(1) as f64;
        let residuals: Vec<f64> = used.iter().map(|e| e.offset - self.at(e)).collect();
        let variance = residuals.iter().map(|r| r * r).sum::<f64>() / free;
        // Neighbours err together: what they have in common makes fewer of them.
        let together = residuals.windows(2).map(|w| w[0] * w[1]).sum::<f64>()
            / residuals.iter().map(|r| r * r).sum::<f64>().max(1e-9);
        let together = together.clamp(0.0, 0.9);
        let fewer = (1.0 + together) / (1.0 - together);
        // Timestamps themselves are no better than this.
        const STAMPS_NS: f64 = 200.0;
        2.0 * ((variance * fewer + STAMPS_NS * STAMPS_NS) / self.spread.max(1.0)).sqrt()
    }
}

fn fit(used: &[&Edge]) -> Option<Lines> {
    let segments = used.iter().map(|e| e.segment + 1).max()?;
    let mut sums = vec![(0.0, 0.0, 0.0); segments];
    for e in used {
        let sum = &mut sums[e.segment];
        *sum = (sum.0 + e.at, sum.1 + e.offset, sum.2 + 1.0);
    }
    let centres: Vec<(f64, f64)> =
        sums.iter().map(|(at, offset, n): &(f64, f64, f64)| (at / n.max(1.0), offset / n.max(1.0))).collect();
    let (mut above, mut below) = (0.0, 0.0);
    for e in used {
        let (at, offset) = centres[e.segment];
        above += (e.at - at) * (e.offset - offset);
        below += (e.at - at) * (e.at - at);
    }
    (used.len() >= 4 && below > 0.0).then(|| Lines { slope: above / below, centres, spread: below })
}

/// The difference of the clocks at each packet: the slope of all, and what each stretch lies at. A packet of a window in which
/// a clock was set belongs to that side to which it is nearer.
fn offsets(ways: &[ClockSample], edges: &[Edge], slope: f64) -> Vec<f64> {
    let segments = edges.last().map_or(0, |e| e.segment + 1);
    let level = |segment: usize| {
        let here = |e: &&Edge| e.segment == segment && !e.mixed;
        median(edges.iter().filter(here).map(|e| e.offset - slope * e.at))
    };
    let levels: Vec<f64> = (0..segments).map(level).collect();
    let mut all = Vec::with_capacity(ways.len());
    for (k, edge) in edges.iter().enumerate() {
        let end = edges.get(k + 1).map_or(ways.len(), |next| next.from);
        let beside = [k.checked_sub(1).map(|b| edges[b].segment), edges.get(k + 1).map(|n| n.segment)];
        for way in &ways[edge.from..end] {
            let own = |segment: usize| levels[segment] + slope * way.at;
            let off = |segment: usize| ((way.forth - way.back) / 2.0 - own(segment)).abs();
            let near = beside
                .into_iter()
                .flatten()
                .filter(|s| *s != edge.segment)
                .min_by(|a, b| off(*a).total_cmp(&off(*b)))
                .filter(|s| off(*s) < off(edge.segment));
            all.push(own(near.unwrap_or(edge.segment)));
        }
    }
    all
}
