//! Whole sessions, from their file to the dropouts that are said, held against the small worlds: what each node takes is added
//! up here from the file's figures, a scheduler works through the block, and the block is put on a time line of interruptions.

use crate::common::tables;
use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, session};
use crate::simulate::{scheduler, spread, timeline};
use swiftloop_core::plan::{Evaluation, PhaseProblem, Report, report};
use swiftloop_core::rig::PowerPlan;

/// A session as its file says it, and as a block of the scheduler's.
struct Made {
    text: String,
    block: scheduler::Block,
}

/// Some tracks into buses into the main output, each with processors that take so many ns a call and a frame.
fn made(random: &mut fastrand::Rng, frames: f64) -> Made {
    let (tracks, buses) = (random.usize(2..24), random.usize(0..4));
    let assume = &tables().assume;
    let (mut takes, mut feeds, mut number) = (Vec::new(), Vec::new(), 0);
    let mut chain = |random: &mut fastrand::Rng| {
        let mut list = String::new();
        let mut us =
            assume.node_overhead_ns.raw() / 1e3 + frames * assume.plain_track_per_frame_ns.raw() / 1e3;
        for _ in 0..random.usize(0..4) {
            let (call, frame, times) =
                (random.u32(100..9000), random.u32(5..900), [1, 1, 2][random.usize(0..3)]);
            list += &format!(
                "{{ id = \"p{number}\", oversampling = {times}, cost = {{ per_call_ns = {call}, per_frame_ns = {frame} }} }},"
            );
            us += (f64::from(call) + f64::from(frame * times) * frames) / 1e3;
            number += 1;
        }
        (list, us)
    };
    let mut text = String::from(
        "format = \"swiftloop.session/1\"\ndeliver = { rate_hz = 48000 }\nengine = { ticks_per_quarter = 96 }\n\
         phase = [{ kind = \"tracking\", performers = [\"ada\"] }]\n\
         [[performer]]\nid = \"ada\"\nplays = \"voice\"\nlistens = \"headphones\"\nhears = [\"t0\"]\nmic_m = 0\n",
    );
    for t in 0..tracks {
        let to = random.usize(0..=buses);
        let (list, us) = chain(random);
        let name = if to == buses { "main".into() } else { format!("b{to}") };
        let source = if t == 0 { "live" } else { "disk" };
        text += &format!(
            "[[track]]\nid = \"t{t}\"\nsource = \"{source}\"\nchannels = 2\nto = \"{name}\"\nprocessor = [{list}]\n"
        );
        takes.push(us);
        feeds.push(vec![tracks + to]);
    }
    for b in 0..buses {
        let (list, us) = chain(random);
        text += &format!("[[bus]]\nid = \"b{b}\"\nprocessor = [{list}]\n");
        takes.push(us);
        feeds.push(vec![tracks + buses]);
    }
    let (list, us) = chain(random);
    text += &format!("[main]\nprocessor = [{list}]\n");
    takes.push(us);
    feeds.push(Vec::new());
    Made { text, block: scheduler::Block { takes, feeds } }
}

/// What the program says of a session without remedies.
fn said(rig_text: &str, text: &str, block: u32, workers: u32) -> Report {
    let rig = rig(rig_text);
    let session = session(text, &rig);
    let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
    report(&Evaluation::new(&problem, arrangement(&problem, block, None, workers)), &[])
}

#[test]
fn whole_sessions_take_as_long_and_break_as_often_as_in_the_small_worlds() {
    const BLOCKS: u64 = 150_000;
    let mut random = fastrand::Rng::with_seed(12);
    let mut ratios = Vec::new();
    let (mut compared, mut tried) = (0, 0);
    while ratios.len() < 200 {
        tried += 1;
        let frames: u32 = [32, 64, 128, 256][random.usize(0..4)];
        let workers = random.u32(1..5);
        let made = made(&mut random, f64::from(frames));
        let period = f64::from(frames) / 48_000.0 * 1e6;
        let timeline_us = tables().assume.timeline_us_per_kilotick.raw() * 0.096;
        let reference = scheduler::done_at(&made.block, workers as usize) + timeline_us;
        let class = tables().machine_class("laptop").unwrap().under(PowerPlan::Performance);
        // A core as fast as it takes to be busy for most of the block; a laptop's runs at a share of what it could.
        let share = class.speed.raw();
        let speed = reference / share / (period * (0.3 + 0.67 * random.f64().sqrt()));
        if !(0.02..=50.0).contains(&speed) {
            continue;
        }
        let rig_text = EXACT_RIG
            .replace("cores = 4", &format!("cores = 4\ncore_speed = {speed}\nclass = \"laptop\""))
            .replace("blocks_out = 2", &format!("blocks_out = {}", random.u32(1..4)));
        let report = said(&rig_text, &made.text, frames, workers);
        let work = report.cue.makespan.raw();
        assert!(
            (work * speed * share / reference - 1.0).abs() < 1e-9,
            "{} {}\n{}",
            work * speed,
            reference,
            made.text
        );
        compared += 1;
        let per_block = report.dropouts.typical.raw() / (3.6e9 / period);
        if per_block * (BLOCKS as f64) < 60.0 {
            continue;
        }
        let world = timeline::World {
            period,
            work,
            reserve: report.cue.deadline.raw() / period,
            median: class.median_us.typical().raw(),
            threshold: class.threshold_us.raw(),
            share: class.tail_share.typical().raw(),
            shape: class.shape.typical().raw(),
            scale: class.scale_us.typical().raw(),
            variation: class.variation.typical().raw(),
        };
        let seen = timeline::dropouts(&world, BLOCKS, random.u64(..));
        if seen * (BLOCKS as f64) >= 30.0 {
            ratios.push(per_block / seen);
        }
        assert!(tried < 5000, "only {} of {tried} broke often enough", ratios.len());
    }
    let [low, middle, high] = spread(ratios);
    assert!(low > 0.6 && high < 1.6 && (0.9..1.1).contains(&middle), "{low} {middle} {high}");
    println!("{compared} sessions; of 200 that break, said over simulated {low:.2} to {high:.2}");
}
