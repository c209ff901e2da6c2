//! Made-up traces of which everything is known: a thread that is due at an even pace, holders that take the core in between.
//! The way of each late block, the blame that adds up to its lateness, and the counts of what would have been in time are
//! held against what was put in, and against brute force.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use swiftloop_measure::trace::{
    Activity, Core, Follower, HolderKind, Instant, LateBlock, LateMark, Left, Mark, Names, Pid, Priority,
    Resched, Thread, TraceEvent, TraceQuery, TraceSpan, TraceSummary, What, Who, fewest, rank,
};

const US: i64 = 1000;
const PERIOD: i64 = 1_333_000;

/// What is put into a block: the thread, and how long it keeps the core.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Put {
    /// A thread of a higher priority.
    Above(i64),
    /// A less important one, in the kernel.
    InKernel(i64),
    /// Deferred work of the network on top of a less important thread.
    Net(i64),
    /// A device's interrupt before the thread gets the core.
    Device(i64),
    /// Timers before ours in the same interrupt.
    Timers(i64),
    /// Interrupts are off in a thread whose time is counted.
    Off(i64),
    /// The same, and the time is not counted.
    Host(i64),
}

/// Writes events of one core.
struct Writer {
    names: Names,
    events: Vec<TraceEvent>,
    core: Core,
    now: i64,
    thread: Thread,
    resched: Resched,
}

impl Writer {
    fn new() -> Self {
        let mut names = Names::default();
        let thread = Thread { pid: Pid(50), name: names.of("browser [2] x") };
        Self { names, events: Vec::new(), core: Core(1), now: 1_000_000_000, thread, resched: Resched::No }
    }

    fn thread(&mut self, pid: u32, name: &str) -> Thread {
        Thread { pid: Pid(pid), name: self.names.of(name) }
    }

    fn tell(&mut self, what: What) {
        let interruptible = false;
        let (at, core, thread, resched) = (Instant(self.now), self.core, self.thread, self.resched);
        self.events.push(TraceEvent { at, core, thread, resched, interruptible, what });
    }

    fn switch(&mut self, to: Thread, from_priority: i16, to_priority: i16, left: Left) {
        self.tell(What::Switch {
            from_priority: Priority(from_priority),
            left,
            to,
            to_priority: Priority(to_priority),
        });
        (self.thread, self.resched) = (to, Resched::No);
    }

    fn enter(&mut self, activity: Activity) {
        self.tell(What::Enter(activity));
    }

    /// A block, late by what is put into it; what it was late by.
    fn block(&mut self, due: i64, put: Put) -> i64 {
        let browser = self.thread;
        let mixer = self.thread(900, "mixer");
        let timer = Activity::Interrupt(self.names.of("local_timer"));
        let wakeup = Activity::Timer(self.names.of("hrtimer_wakeup"));
        let crowd = Activity::Timer(self.names.of("timerfd_tmrproc"));
        let net = Activity::Soft(self.names.of("NET_RX"));
        let disk = Activity::Interrupt(self.names.of("nvme0q1 (irq 30)"));
        let above = self.thread(70, "capture");
        self.now = due - 400 * US;
        self.tell(What::Counted { pid: browser.pid, span: TraceSpan(0) });
        if let Put::Above(_) = put {
            self.now = due - 100 * US;
            self.switch(above, 120, 19, Left::Runnable);
        }
        self.now = due
            + match put {
                Put::Off(us) | Put::Host(us) => us * US,
                Put::Above(_) | Put::InKernel(_) | Put::Net(_) | Put::Device(_) | Put::Timers(_) => 2 * US,
            };
        self.enter(timer);
        if let Put::Off(_) = put {
            self.tell(What::Counted { pid: browser.pid, span: TraceSpan(self.now - due + 400 * US) });
        }
        if let Put::Host(us) = put {
            self.tell(What::Counted {
                pid: browser.pid,
                span: TraceSpan(self.now - due + 400 * US - us * US),
            });
        }
        if let Put::Timers(us) = put {
            for _ in 0..10 {
                self.enter(crowd);
                self.now += us * US / 10;
                self.tell(What::Exit(crowd));
            }
        }
        self.now += US;
        self.enter(wakeup);
        self.now += US;
        let (priority, target) = (Priority(29), self.core);
        self.tell(What::Waking { thread: mixer, priority, target });
        if !matches!(put, Put::Above(_)) {
            self.resched = Resched::Yes;
        }
        self.now += US;
        self.tell(What::Woken { thread: mixer, priority, target });
        self.tell(What::Exit(wakeup));
        self.now += US;
        self.tell(What::Exit(timer));
        match put {
            Put::InKernel(us) | Put::Above(us) => self.now += us * US,
            Put::Net(us) => {
                self.now += US;
                self.enter(net);
                self.now += us * US;
                self.tell(What::Exit(net));
            }
            Put::Device(us) => {
                self.enter(disk);
                self.now += us * US;
                self.tell(What::Exit(disk));
            }
            Put::Timers(_) | Put::Off(_) | Put::Host(_) => {}
        }
        self.now += US;
        let (priority, left) =
            if matches!(put, Put::Above(_)) { (19, Left::Waiting) } else { (120, Left::Runnable) };
        self.switch(mixer, priority, 29, left);
        self.now += 3 * US;
        let woke = self.now;
        self.now += 5 * US;
        let mark = LateMark {
            due: Instant(due),
            woke: Instant(woke),
            period: Some(TraceSpan(PERIOD)),
            ..LateMark::default()
        };
        self.tell(What::Mark(Box::new(Mark::Late(mark))));
        self.now += 100 * US;
        self.switch(browser, 29, 120, Left::Waiting);
        woke - due
    }

    fn read(self) -> (TraceSummary, Names) {
        let mut follower = Follower::new(TraceQuery::default());
        for event in self.events {
            follower.event(event, &self.names);
        }
        (follower.told(&self.names), self.names)
    }
}

fn expected(put: Put) -> (HolderKind, &'static str) {
    match put {
        Put::Above(_) => (HolderKind::Priority, "capture"),
        Put::InKernel(_) => (HolderKind::KernelNotPreemptible, "browser [2] x"),
        Put::Net(_) => (HolderKind::SoftirqNet, "NET_RX"),
        Put::Device(_) => (HolderKind::HardInterrupt, "nvme0q1 (irq 30)"),
        Put::Timers(_) => (HolderKind::HardInterrupt, "local_timer: timerfd_tmrproc"),
        Put::Off(_) => (HolderKind::InterruptsOff, "browser [2] x"),
        Put::Host(_) => (HolderKind::Host, swiftloop_measure::trace::HOST),
    }
}

/// Ten thousand traces: the right thief, its time to the nanosecond and a few steps of the way beside it, blame that adds
/// up to the lateness exactly.
#[test]
fn blame_adds_up_and_goes_to_whoever_took_the_time() {
    let mut random = fastrand::Rng::with_seed(1905);
    for trace in 0..10_000 {
        let us = 160 + random.i64(0..3000);
        let puts = all_puts(us);
        let put = puts[trace % puts.len()];
        let mut writer = Writer::new();
        let due = 1_000_000_000 + 5_000_000 + random.i64(0..1_000_000);
        let late = writer.block(due, put);
        let (told, names) = writer.read();
        let block = &told.late[0];
        let context = || format!("trace {trace} {put:?} {:?}", block.holders);
        assert_eq!(block.took.0, late, "{}", context());
        assert_eq!(block.holders.iter().map(|h| h.took.0).sum::<i64>(), late, "{}", context());
        let (kind, name) = expected(put);
        assert_eq!((block.thief.kind, block.thief.name.as_str()), (kind, name), "{}", context());
        let most = block.holders.iter().map(|h| h.took.0).max().unwrap();
        assert!((most - us * US).abs() <= 12 * US, "{}", context());
        let stages: i64 = block.way.stages()[..5].iter().map(|s| s.expect("seen").0).sum();
        assert_eq!(stages, late, "{}", context());
        assert_eq!(names.get(block.thread.name), "mixer");
    }
}

fn made_up(random: &mut fastrand::Rng) -> Vec<LateBlock> {
    let mut writer = Writer::new();
    writer.block(1_005_000_000, Put::Net(500));
    let like = writer.read().0.late.remove(0);
    let kinds = [
        HolderKind::Priority,
        HolderKind::Softirq,
        HolderKind::HardInterrupt,
        HolderKind::Host,
        HolderKind::Unknown,
        HolderKind::OwnWork,
    ];
    (0..random.usize(1..12))
        .map(|_| {
            let holders: Vec<_> = (0..random.usize(0..6))
                .map(|n| {
                    let took = TraceSpan(random.i64(1..1000));
                    let who = Who { kind: kinds[n], name: format!("{}", random.u8(0..3)) };
                    swiftloop_measure::trace::Holder { who, took, extra: TraceSpan(random.i64(0..=took.0)) }
                })
                .collect();
            let took = TraceSpan(holders.iter().map(|h| h.took.0).sum::<i64>().max(1));
            let allowed = TraceSpan(random.i64(0..took.0.max(1)));
            LateBlock { took, allowed, by_deadline: true, holders, ..like.clone() }
        })
        .collect()
}

/// What would have been in time without each holder, and the fewest that are enough together: by trying all sets.
#[test]
fn counts_of_what_would_be_cured_are_those_of_brute_force() {
    let mut random = fastrand::Rng::with_seed(7);
    for _ in 0..3000 {
        let blocks = made_up(&mut random);
        let ranking = rank(&blocks);
        for r in &ranking.all {
            let count = blocks.iter().filter(|b| {
                let taken: i64 = b.holders.iter().filter(|h| h.who == r.who).map(|h| h.extra.0).sum();
                r.who.kind != HolderKind::Unknown
                    && b.holders.iter().any(|h| h.who == r.who)
                    && b.took.0 - taken <= b.allowed.0
            });
            assert_eq!(r.cured, count.count() as u64, "{r:?}");
            assert!(r.interval.0 <= r.cured as f64 && r.interval.1 >= r.cured as f64);
        }
        let mut together = 0;
        for b in &blocks {
            let able: Vec<_> = b.holders.iter().filter(|h| h.who.kind != HolderKind::Unknown).collect();
            let least = (1u32..1 << able.len())
                .filter(|set| {
                    let taken: i64 =
                        (0..able.len()).filter(|n| set & (1 << n) != 0).map(|n| able[n].extra.0).sum();
                    b.took.0 - taken <= b.allowed.0
                })
                .map(u32::count_ones)
                .min();
            assert_eq!(fewest(b).len() as u32, least.unwrap_or(0));
            together += u64::from(least.is_some_and(|n| n > 1));
        }
        assert_eq!(ranking.together.iter().map(|t| t.cured).sum::<u64>(), together);
        let sorted = ranking.all.windows(2).all(|w| w[0].cured >= w[1].cured);
        assert!(sorted);
    }
}

/// Lost events, and a clock that goes back: nobody is named, nothing is told across.
#[test]
fn what_was_not_seen_is_nobodys_fault() {
    let mut writer = Writer::new();
    writer.block(1_005_000_000, Put::InKernel(900));
    let place = writer.events.iter().position(|e| matches!(e.what, What::Woken { .. })).unwrap();
    let at = TraceEvent { what: What::Lost(17), ..writer.events[place + 2].clone() };
    writer.events.insert(place + 2, at);
    let (told, _) = writer.read();
    assert_eq!((told.lost, told.late[0].lost, told.late[0].thief.kind), (17, true, HolderKind::Unknown));
    assert_eq!(told.late[0].holders.iter().map(|h| h.took.0).sum::<i64>(), told.late[0].took.0);

    let mut writer = Writer::new();
    writer.block(2_005_000_000, Put::Net(500));
    writer.now = 1_000_000_000;
    writer.block(1_005_000_000, Put::Net(600));
    let (told, _) = writer.read();
    assert_eq!((told.clock_jumps, told.late.len()), (1, 2));
    assert!(told.late.iter().all(|b| b.thief.kind == HolderKind::SoftirqNet), "{:?}", told.late);
}

/// A mark of another clock is not used, and one that cannot be read is counted.
#[test]
fn marks_that_do_not_fit_are_counted() {
    let mut writer = Writer::new();
    writer.block(1_005_000_000, Put::Net(500));
    let far =
        LateMark { due: Instant(9_000_000_000_000), woke: Instant(9_000_000_500_000), ..LateMark::default() };
    writer.tell(What::Mark(Box::new(Mark::Late(far))));
    writer.tell(What::Mark(Box::new(Mark::Unreadable)));
    let (told, _) = writer.read();
    assert_eq!((told.marks, told.apart, told.unreadable, told.late.len()), (3, 1, 1, 1));
}

/// Without marks a thread is followed by its name: by the timers it sets, or by its pace.
#[test]
fn a_named_thread_is_followed_by_its_timers_or_its_pace() {
    for by_timer in [true, false] {
        let mut writer = Writer::new();
        let mut late = 0;
        for n in 0..40 {
            let due = 1_005_000_000 + n * PERIOD;
            let put = if n == 20 { Put::InKernel(700) } else { Put::InKernel(1) };
            let by = writer.block(due, put);
            late = late.max(by);
            let at = writer.events.iter().rposition(|e| matches!(e.what, What::Mark(_))).unwrap();
            writer.events[at].what =
                if by_timer { What::TimerSet(Instant(due + PERIOD)) } else { What::Other };
        }
        let mut follower = Follower::new(TraceQuery {
            thread: Some("mixer".into()),
            period: Some(TraceSpan(PERIOD)),
            ..TraceQuery::default()
        });
        let names = writer.names.clone();
        writer.events.drain(..).for_each(|e| follower.event(e, &names));
        let told = follower.told(&names);
        assert_eq!((told.late.len(), told.blocks), (1, 40), "{by_timer}");
        assert_eq!(told.late[0].thief.name, "browser [2] x");
        // By its pace a block is due when it usually comes: some microseconds after the timer.
        assert!((told.late[0].took.0 - late).abs() < 20 * US, "{:?} {late}", told.late[0].took);
    }
}

fn all_puts(us: i64) -> [Put; 7] {
    [
        Put::Above(us),
        Put::InKernel(us),
        Put::Net(us),
        Put::Device(us),
        Put::Timers(us),
        Put::Off(us),
        Put::Host(us),
    ]
}

fn told_of(events: Vec<TraceEvent>, names: &Names) -> TraceSummary {
    let mut follower = Follower::new(TraceQuery::default());
    events.into_iter().for_each(|e| follower.event(e, names));
    follower.told(names)
}

/// "Would have been in time without it" is what happens when it does not come: the same block with next to nothing of the
/// thief is no later than is allowed, and with a little of it less late by just that.
#[test]
fn what_would_have_been_is_what_is_without_the_thief() {
    for us in [300, 900, 2600] {
        for (put, without) in all_puts(us).into_iter().zip(all_puts(2)) {
            let late = |put| {
                let mut writer = Writer::new();
                writer.block(1_005_000_000, put);
                writer.read().0.late.remove(0)
            };
            let (with, without) = (late(put), late(without));
            assert!(with.took.0 > PERIOD / 10 && fewest(&with).len() == 1, "{put:?} {:?}", with.holders);
            assert!(without.took.0 <= PERIOD / 10, "{put:?} {:?}", without.holders);
            let taken = with.holders.iter().find(|h| h.who == with.thief).map_or(0, |h| h.extra.0);
            let rest = with.took.0 - taken;
            assert!((rest - without.took.0).abs() <= 14 * US, "{put:?}: {rest} and {}", without.took.0);
        }
    }
}

/// When everything happens an hour later, only the instants change.
#[test]
fn an_hour_later_says_the_same() {
    const HOUR: i64 = 3_600_000_000_000;
    for put in all_puts(700) {
        let told = |later: i64| {
            let mut writer = Writer::new();
            writer.now += later;
            writer.block(1_005_000_000 + later, put);
            writer.read().0
        };
        let (now, then) = (told(0), told(HOUR));
        let (a, b) = (&now.late[0], &then.late[0]);
        assert_eq!(
            (&a.holders, &a.thief, a.grew, a.way.stages()),
            (&b.holders, &b.thief, b.grew, b.way.stages())
        );
        assert_eq!(b.way.due.since(a.way.due), TraceSpan(HOUR));
    }
}

/// What other cores do in the meantime is nobody's fault.
#[test]
fn other_cores_change_nothing() {
    let mut random = fastrand::Rng::with_seed(3);
    for put in all_puts(700) {
        let mut writer = Writer::new();
        writer.block(1_005_000_000, put);
        let alone = told_of(writer.events.clone(), &writer.names);
        let mut busy = writer.events.clone();
        let (first, last) = (busy[0].at.0, busy[busy.len() - 1].at.0);
        let tick = Activity::Interrupt(writer.names.of("local_timer"));
        let other = Thread { pid: Pid(33), name: writer.names.of("indexer") };
        for n in 0..200u16 {
            let at = random.i64(first..last);
            let what = if n % 2 == 0 { What::Enter(tick) } else { What::Exit(tick) };
            let place = busy.partition_point(|e| e.at.0 <= at);
            let core = Core(2 + n / 2 % 3);
            let (resched, interruptible) = (Resched::No, true);
            busy.insert(
                place,
                TraceEvent { at: Instant(at), core, thread: other, resched, interruptible, what },
            );
        }
        let among = told_of(busy, &writer.names);
        assert_eq!(alone.late[0].holders, among.late[0].holders, "{put:?}");
        assert_eq!(alone.late[0].thief, among.late[0].thief);
    }
}

/// The order of late blocks does not matter, and twice the blocks cure twice as many.
#[test]
fn a_ranking_is_of_the_blocks_and_not_of_their_order() {
    let mut random = fastrand::Rng::with_seed(11);
    for _ in 0..300 {
        let mut blocks = made_up(&mut random);
        let once = rank(&blocks);
        random.shuffle(&mut blocks);
        assert_eq!(rank(&blocks), once);
        let twice = rank(&[blocks.clone(), blocks].concat());
        for (a, b) in once.all.iter().zip(&twice.all) {
            assert_eq!((&a.who, 2 * a.cured, 2 * a.late_blocks), (&b.who, b.cured, b.late_blocks));
            // The more was seen, the surer.
            let (few, many) = (a.interval.1 - a.interval.0, (b.interval.1 - b.interval.0) / 2.0);
            assert!(many <= few + 1e-9, "{few} {many}");
        }
    }
}
