//! One late block of every kind of thief, written by hand as the kernel writes it: the kind, the name and the time that each has to
//! get. Times are microseconds after the block was due.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod capture;

use capture::{BROWSER, Capture, DUE_US, IDLE, MIXER, idle, is, quiet};
use std::path::Path;
use swiftloop_files::trace::trace_from;
use swiftloop_measure::trace::{HOST, HolderKind, TraceQuery, TraceSpan};

#[test]
fn coarse_timers_and_other_deferred_work() {
    for (vector, kind, name) in [
        ("vec=1 [action=TIMER]", HolderKind::SoftirqTimer, "TIMER: neigh_periodic"),
        ("vec=4 [action=BLOCK]", HolderKind::Softirq, "BLOCK"),
        ("vec=2 [action=NET_TX]", HolderKind::SoftirqNet, "NET_TX: wlp2s0"),
        ("vec=9", HolderKind::Softirq, "RCU"),
    ] {
        let mut c =
            quiet().woken(2, BROWSER, 1).at(6, BROWSER, 1, ".Ns1.", &format!("softirq_entry: {vector}"));
        if kind == HolderKind::SoftirqTimer {
            c = c
                .at(
                    10,
                    BROWSER,
                    1,
                    ".Ns2.",
                    "timer_expire_entry: timer=00aa function=neigh_periodic now=1 baseclk=1",
                )
                .at(480, BROWSER, 1, ".Ns2.", "timer_expire_exit: timer=00aa");
        }
        if kind == HolderKind::SoftirqNet {
            c = c.at(
                300,
                BROWSER,
                1,
                ".Ns1.",
                "napi_poll: napi poll on napi struct 00ff for device wlp2s0 work 12 budget 64",
            );
        }
        let c = c
            .at(500, BROWSER, 1, ".Ns1.", &format!("softirq_exit: {vector}"))
            .switch(502, 1, (BROWSER, 120), "R", (MIXER, 29))
            .late(505);
        is(&c, kind, name, 494);
    }
}

#[test]
fn a_device_s_line_is_named_with_its_driver() {
    let c = quiet()
        .at(-50, BROWSER, 1, "d.h..", "irq_handler_entry: irq=31 name=i915 (pipe A)")
        .at(700, BROWSER, 1, "d.h..", "irq_handler_exit: irq=31 ret=handled")
        .woken(701, BROWSER, 1)
        .switch(706, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late(709);
    is(&c, HolderKind::HardInterrupt, "i915 (pipe A) (irq 31)", 700);
    assert_eq!(c.block().grew.word(), "due_to_interrupt");
}

#[test]
fn many_short_ones_back_to_back_add_up() {
    let mut c = quiet().woken(2, BROWSER, 1);
    for n in 0..20 {
        let at = 6 + n * 30;
        c = c.at(at, BROWSER, 1, "dNh..", "irq_handler_entry: irq=31 name=xhci").at(
            at + 28,
            BROWSER,
            1,
            "dNh..",
            "irq_handler_exit: irq=31 ret=handled",
        );
    }
    let c = c.switch(610, 1, (BROWSER, 120), "R", (MIXER, 29)).late(613);
    is(&c, HolderKind::HardInterrupt, "xhci (irq 31)", 560);
}

#[test]
fn an_idle_core_is_deep_asleep_or_taken_away() {
    let asleep = |state: u8, us: i64| {
        idle()
            .at(-890, IDLE, 1, "d..1.", &format!("cpu_idle: state={state} cpu_id=1"))
            .at(us, IDLE, 1, "d..1.", "cpu_idle: state=4294967295 cpu_id=1")
            .woken(us + 1, IDLE, 1)
            .switch(us + 5, 1, (IDLE, 120), "R", (MIXER, 29))
            .late(us + 8)
    };
    is(&asleep(3, 400), HolderKind::Idle, "idle state 3", 401);
    // A light sleep cannot explain that, nor a deep one three milliseconds.
    is(&asleep(1, 400), HolderKind::Host, HOST, 401);
    is(&asleep(3, 3000), HolderKind::Host, HOST, 3001);
}

#[test]
fn time_that_nobody_counted_went_outside() {
    let with_count = |counted_us: i64| {
        quiet()
            .at(2045, BROWSER, 1, "d.h..", "local_timer_entry: vector=236")
            .at(
                2046,
                BROWSER,
                1,
                "d.h..",
                &format!("sched_stat_runtime: comm=browser pid=50 runtime={} [ns]", counted_us * 1000),
            )
            .at(2047, BROWSER, 1, "d.h..", "local_timer_exit: vector=236")
            .woken(2048, BROWSER, 1)
            .switch(2053, 1, (BROWSER, 120), "R", (MIXER, 29))
            .late(2056)
    };
    is(&with_count(900), HolderKind::Host, HOST, 2045);
    is(&with_count(2945), HolderKind::InterruptsOff, "browser", 2045);
    // Nothing is counted at all: after two milliseconds of silence it is likely, before that nobody is named.
    let silent = |us: i64| {
        quiet().woken(us, BROWSER, 1).switch(us + 5, 1, (BROWSER, 120), "R", (MIXER, 29)).late(us + 8)
    };
    is(&silent(2500), HolderKind::Host, HOST, 2500);
    assert_eq!(silent(600).block().thief.kind, HolderKind::Unknown);
    // Interrupts could come, and the timer's did not.
    let open = quiet()
        .at(20, BROWSER, 1, "..s1.", "softirq_entry: vec=7 [action=SCHED]")
        .at(22, BROWSER, 1, "..s1.", "softirq_exit: vec=7 [action=SCHED]")
        .woken(600, BROWSER, 1)
        .switch(605, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late(608);
    is(&open, HolderKind::Host, HOST, 578);
}

#[test]
fn between_the_core_and_its_first_step_nothing_of_its_own_takes_long() {
    let c = quiet().woken(2, BROWSER, 1).switch(6, 1, (BROWSER, 120), "R", (MIXER, 29)).late(906);
    is(&c, HolderKind::Host, HOST, 900);
}

#[test]
fn pages_that_are_not_there() {
    // A page that comes from a disk: asleep in the middle of the block.
    let c = quiet()
        .woken(2, BROWSER, 1)
        .switch(6, 1, (BROWSER, 120), "R", (MIXER, 29))
        .at(10, MIXER, 1, "d....", "page_fault_user: address=0x1 ip=0x2 error_code=0x6")
        .at(30, MIXER, 1, ".....", "block_rq_issue: 254,0 R 4096")
        .switch(40, 1, (MIXER, 29), "D", (BROWSER, 120))
        .at(2000, BROWSER, 1, "d.h..", "irq_handler_entry: irq=30 name=nvme0q1")
        .at(2002, BROWSER, 1, "d.h2.", "sched_waking: comm=mixer pid=70 prio=29 target_cpu=001")
        .at(2003, BROWSER, 1, "dNh3.", "sched_wakeup: comm=mixer pid=70 prio=29 target_cpu=001")
        .at(2005, BROWSER, 1, "dNh..", "irq_handler_exit: irq=30 ret=handled")
        .switch(2008, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late(2012);
    is(&c, HolderKind::PageFault, "mixer", 1982);
    // Many that only have to be made: one after another in its work.
    let mut c = quiet().woken(2, BROWSER, 1).switch(6, 1, (BROWSER, 120), "R", (MIXER, 29));
    for n in 0..100 {
        c = c.at(20 + n * 15, MIXER, 1, "d....", "page_fault_user: address=0x1 ip=0x2 error_code=0x6");
    }
    let done = (DUE_US + 1620) * 1000;
    let deadline = (DUE_US + 1333) * 1000;
    let c = c.late_by(10, &format!(" done={done} deadline={deadline} work_ns=100000"));
    is(&c, HolderKind::PageFault, "mixer", 1510);
}

#[test]
fn its_own_work_too_long_and_preempted_work() {
    let more = |done_us: i64| {
        let ns = |us: i64| (DUE_US + us) * 1000;
        format!(" done={} deadline={} work_ns=700000", ns(done_us), ns(1333))
    };
    let c =
        quiet().woken(2, BROWSER, 1).switch(6, 1, (BROWSER, 120), "R", (MIXER, 29)).late_by(10, &more(1900));
    is(&c, HolderKind::OwnWork, "mixer", 1894);
    assert_eq!((c.block().grew.word(), c.block().late().us()), ("running_to_done", 567.0));
    // The work is as usual, but somebody came in between.
    let c = quiet()
        .woken(2, BROWSER, 1)
        .switch(6, 1, (BROWSER, 120), "R", (MIXER, 29))
        .switch(300, 1, (MIXER, 29), "R+", ("capture-40", 9))
        .switch(1300, 1, ("capture-40", 9), "S", (MIXER, 29))
        .late_by(10, &more(1800));
    is(&c, HolderKind::Priority, "capture", 1000);
}

#[test]
fn a_less_important_thread_that_has_what_ours_needs() {
    let c = quiet()
        .woken(2, BROWSER, 1)
        .switch(6, 1, (BROWSER, 120), "R", (MIXER, 29))
        .switch(12, 1, (MIXER, 29), "S", (BROWSER, 120))
        .at(800, "scanner-61", 0, "d..2.", "sched_waking: comm=mixer pid=70 prio=29 target_cpu=001")
        .at(802, "scanner-61", 0, "d..3.", "sched_wakeup: comm=mixer pid=70 prio=29 target_cpu=001")
        .switch(806, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late(809);
    is(&c, HolderKind::Lock, "scanner", 788);
}

#[test]
fn a_thread_that_ours_is_woken_by_is_followed_to_whoever_held_that_one_up() {
    // The server wakes the mixer, and was itself held up by a capture of the screen.
    let c = quiet()
        .switch(-500, 0, ("server-80", 24), "S", ("capture-40", 9))
        .at(5, "capture-40", 0, "d.h2.", "sched_waking: comm=server pid=80 prio=24 target_cpu=000")
        .at(6, "capture-40", 0, "d.h3.", "sched_wakeup: comm=server pid=80 prio=24 target_cpu=000")
        .switch(900, 0, ("capture-40", 9), "S", ("server-80", 24))
        .at(930, "server-80", 0, "d..2.", "sched_waking: comm=mixer pid=70 prio=29 target_cpu=001")
        .at(931, "server-80", 0, "d..3.", "sched_wakeup: comm=mixer pid=70 prio=29 target_cpu=001")
        .switch(935, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late(938);
    is(&c, HolderKind::Priority, "capture", 894);
}

#[test]
fn moved_from_core_to_core() {
    let c = quiet()
        .woken(2, BROWSER, 1)
        .switch(6, 1, (BROWSER, 120), "R", ("migration/1-15", -1))
        .at(
            300,
            "migration/1-15",
            1,
            "d..3.",
            "sched_migrate_task: comm=mixer pid=70 prio=29 orig_cpu=1 dest_cpu=0",
        )
        .switch(305, 0, (BROWSER, 120), "R", (MIXER, 29))
        .late(309);
    is(&c, HolderKind::Migration, "migration/1", 294);
}

#[test]
fn a_limit_shows_by_who_is_let_first() {
    // The core goes idle although the mixer waits.
    let c = quiet()
        .woken(2, BROWSER, 1)
        .switch(8, 1, (BROWSER, 120), "S", (IDLE, 120))
        .switch(9000, 1, (IDLE, 120), "R", (MIXER, 29))
        .late(9004);
    is(&c, HolderKind::RtThrottle, "the limit for mixer", 8998);
    // An ordinary thread among others only waits its turn.
    let fair =
        c.0.replace("prio=29", "prio=120")
            .replace("swapper/1", "files")
            .replace("next_pid=0", "next_pid=51")
            .replace("prev_pid=0", "prev_pid=51");
    assert_eq!(Capture(fair.replace("files-0", "files-51")).block().thief.kind, HolderKind::Priority);
}

#[test]
fn a_core_that_idles_may_not_tell_of_the_change_to_a_thread() {
    // As some kernels do: nothing between the timer's end and the thread's own mark.
    let c = idle().woken(390, IDLE, 1).late(396);
    let block = c.block();
    assert_eq!(block.way.scheduled.map(|t| t.0 / 1000 - DUE_US), Some(393));
    assert!(block.way.stages().iter().all(Option::is_some), "{:?}", block.way);
}

#[test]
fn two_holders_that_only_matter_together() {
    let c = quiet()
        .woken(2, BROWSER, 1)
        .at(6, BROWSER, 1, "dNh..", "irq_handler_entry: irq=31 name=xhci")
        .at(106, BROWSER, 1, "dNh..", "irq_handler_exit: irq=31 ret=handled")
        .at(106, BROWSER, 1, ".Ns1.", "softirq_entry: vec=4 [action=BLOCK]")
        .at(206, BROWSER, 1, ".Ns1.", "softirq_exit: vec=4 [action=BLOCK]")
        .switch(207, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late(290);
    let told = c.read().told;
    assert!(told.ranking.all.iter().all(|r| r.cured == 0), "{:?}", told.ranking);
    let names: Vec<&str> = told.ranking.together[0].all.iter().map(|w| w.name.as_str()).collect();
    assert_eq!((names, told.ranking.together[0].cured), (vec!["xhci (irq 31)", "BLOCK"], 1));
}

#[test]
fn a_large_page_before_the_first_step_is_the_page_s() {
    let c = quiet()
        .woken(2, BROWSER, 1)
        .switch(6, 1, (BROWSER, 120), "R", (MIXER, 29))
        .at(9, MIXER, 1, "d....", "page_fault_user: address=0x1 ip=0x2 error_code=0x6")
        .late(709);
    is(&c, HolderKind::PageFault, "mixer", 700);
}

#[test]
fn an_ordinary_thread_whose_group_used_up_its_time() {
    // Another one of the same importance runs; the group's own timer gives the mixer its time back.
    let c = quiet()
        .woken(2, BROWSER, 1)
        .at(8000, BROWSER, 1, "d.h..", "local_timer_entry: vector=236")
        .at(
            8001,
            BROWSER,
            1,
            "d.h..",
            "hrtimer_expire_entry: hrtimer=00bb function=sched_cfs_period_timer now=1",
        )
        .at(8004, BROWSER, 1, "dNh..", "hrtimer_expire_exit: hrtimer=00bb")
        .at(8005, BROWSER, 1, "dNh..", "local_timer_exit: vector=236")
        .switch(8008, 1, (BROWSER, 120), "R", (MIXER, 120))
        .late(8011);
    let c = Capture(c.0.replace("prio=29", "prio=120"));
    is(&c, HolderKind::RtThrottle, "the limit for mixer", 8006);
}

#[test]
fn a_clock_that_is_low_is_to_blame_for_work_that_takes_longer() {
    let ns = |us: i64| (DUE_US + us) * 1000;
    let c = Capture::default()
        .at(-5000, BROWSER, 1, "d....", "cpu_frequency: state=3200000 cpu_id=1")
        .at(-3000, BROWSER, 1, "d....", "cpu_frequency: state=1600000 cpu_id=1")
        .switch(-900, 1, (MIXER, 29), "S", (BROWSER, 120))
        .woken(2, BROWSER, 1)
        .switch(6, 1, (BROWSER, 120), "R", (MIXER, 29))
        .late_by(10, &format!(" done={} deadline={} work_ns=900000", ns(1806), ns(1333)));
    is(&c, HolderKind::Idle, "its clock at 1600 of 3200 MHz", 900);
}

#[test]
fn events_lost_on_a_core_that_does_not_matter_change_nothing() {
    let lines = quiet().woken(2, BROWSER, 1).at(
        300,
        "files-51",
        0,
        "d..2.",
        "sched_stat_runtime: comm=files pid=51 runtime=9 [ns]",
    );
    let lines = lines.switch(502, 1, (BROWSER, 120), "R", (MIXER, 29)).late(505);
    let at = lines.0.find("        files-51").expect("its line");
    let elsewhere = Capture(format!("{}CPU:0 [LOST 9 EVENTS]\n{}", &lines.0[..at], &lines.0[at..]));
    is(&elsewhere, HolderKind::KernelNotPreemptible, "browser", 497);
    assert_eq!(elsewhere.read().told.lost, 9);
    let here = Capture(elsewhere.0.replace("CPU:0", "CPU:1"));
    assert_eq!((here.block().thief.kind, here.block().lost), (HolderKind::Unknown, true));
}

#[test]
fn a_named_thread_is_followed_also_where_its_coming_is_not_told() {
    // As on kernels that do not tell of the change from an idle core: forty blocks, the last one woken late.
    let mut c = Capture::default();
    for n in 0..40 {
        let due = n * 1333;
        let wakes = due + if n == 39 { 700 } else { 2 };
        let set = format!(
            "hrtimer_start: hrtimer=00aa function=hrtimer_wakeup expires={} mode=ABS",
            (DUE_US + due + 1333) * 1000
        );
        c = c.woken(wakes, IDLE, 1).at(wakes + 100, MIXER, 1, "d..1.", &set).switch(
            wakes + 103,
            1,
            (MIXER, 29),
            "S",
            (IDLE, 120),
        );
    }
    let question = TraceQuery {
        thread: Some("mixer".into()),
        period: Some(TraceSpan::from_us(1333.0)),
        ..TraceQuery::default()
    };
    let told = trace_from(c.0.as_bytes(), Path::new("made.txt"), &question).expect("a trace").told;
    assert_eq!((told.blocks, told.late.len()), (40, 1), "{:?}", told.late);
    assert!((told.late[0].took.us() - 703.0).abs() < 5.0, "{:?}", told.late[0]);
}

#[test]
fn figures_as_large_as_they_can_be_are_only_figures() {
    let far = 9_000_000_000_000_000_000i64;
    let text = format!(
        "CPU:1 [LOST 18446744073709551615 EVENTS]\nCPU:1 [LOST 18446744073709551615 EVENTS]\n\
         # entries-in-buffer/entries-written: 1/18446744073709551615   #P:2\n\
         # entries-in-buffer/entries-written: 1/18446744073709551615   #P:2\n\
         mixer-70 [001] d..2. 8999999999.000000: cpu_frequency: state=4000000 cpu_id=1\n\
         mixer-70 [001] d..2. 8999999999.100000: cpu_frequency: state=1 cpu_id=1\n\
         mixer-70 [001] d..2. 8999999999.200000: sched_stat_runtime: comm=mixer pid=70 runtime=9223372036854775807 [ns]\n\
         mixer-70 [001] ...1. 9000000000.000000: tracing_mark_write: swiftloop late due=0 woke={far} done={far} deadline=1\n\
         mixer-70 [001] ...1. 9000000000.000001: tracing_mark_write: swiftloop late due=0 woke={far} done={far} deadline=1\n"
    );
    let told =
        trace_from(text.as_bytes(), Path::new("made.txt"), &TraceQuery::default()).expect("a trace").told;
    assert_eq!((told.late.len(), told.lost), (2, u64::MAX));
    assert!(told.late.iter().all(|b| b.holders.iter().map(|h| h.took.0).sum::<i64>() == b.took.0));
}
