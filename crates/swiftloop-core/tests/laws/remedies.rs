//! Every kind of remedy: offered where it applies and nowhere else, does what it says, costs what the table says.

use crate::common::{EXACT_RIG, HZ, arrangement, context, rig, session, singer};
use swiftloop_core::plan::{Evaluation, PhaseProblem, Report, arranged, report};
use swiftloop_core::rig::Offered;
use swiftloop_units::Block;
use swiftloop_units::ids::RemedyId;

struct Tried {
    before: Report,
    after: Report,
    effort: u32,
}

/// All remedy ids of the first phase.
fn offered(rig_text: &str, session_text: &str) -> Vec<String> {
    let rig = rig(rig_text);
    let session = session(session_text, &rig);
    let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
    problem.question.remedies.iter().map(|r| r.id.clone()).collect()
}

/// The report without and with one remedy.
fn tried(rig_text: &str, session_text: &str, id: &str) -> Tried {
    let rig = rig(rig_text);
    let session = session(session_text, &rig);
    let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
    let index = problem.question.remedies.iter().position(|r| r.id == id).map(RemedyId::from);
    let index = index.unwrap_or_else(|| panic!("{id} is not offered: {:?}", offered(rig_text, session_text)));
    let evaluation = Evaluation::new(&problem, arrangement(&problem, 128, None, 4));
    let remedy = &problem.question.remedies[index];
    let row = crate::common::tables().remedy(remedy.kind);
    assert_eq!(remedy.effort, row.effort);
    assert!(remedy.id.starts_with(remedy.kind.as_str()), "{remedy:?}");
    Tried { before: report(&evaluation, &[]), after: report(&evaluation, &[index]), effort: remedy.effort }
}

/// How much of all work is left after a remedy on a voice with one heavy processor that has these keys.
fn work_left(keys: &str, id: &str) -> f64 {
    let t = tried(EXACT_RIG, &singer(&format!("{{ id = \"p\", cost = \"heavy\", {keys} }}"), ""), id);
    t.after.cue.total.raw() / t.before.cue.total.raw()
}

/// A track beside the singer.
fn beside(track: &str) -> String {
    singer("", "").replace("track = [", &format!("track = [{track}, "))
}

#[test]
fn work_falls_by_what_each_remedy_says() {
    // Heavy: 4 µs a call and 0.6 µs a frame make 80.8 µs of 128 frames; the rest of the graph is about 6 µs.
    assert!(work_left("oversampling = 1", "bypass:p") < 0.08);
    let halved = work_left("oversampling = 4", "less-oversampling:p");
    assert!((0.49..0.53).contains(&halved), "{halved}");
    let voices = work_left("kind = \"instrument\", voices = 10", "fewer-voices:p");
    assert!((0.5..0.56).contains(&voices), "{voices}");
    let draft = work_left("has_draft = true", "draft:p");
    assert!((0.6..0.64).contains(&draft), "{draft}");
    let off = work_left("state = \"off\"", "unload:p");
    assert!((0.3..0.6).contains(&off), "{off}");
    assert!(work_left("kind = \"analyser\"", "hide-view:p") < 0.08);
    let precise = work_left("oversampling = 1", "precision-32");
    assert!((precise - 0.88).abs() < 1e-9, "{precise}");
}

#[test]
fn remedies_are_not_offered_where_they_do_not_apply() {
    let ids =
        |keys: &str| offered(EXACT_RIG, &singer(&format!("{{ id = \"p\", cost = \"heavy\", {keys} }}"), ""));
    let lacks = |keys: &str, id: &str| assert!(!ids(keys).iter().any(|i| i == id), "{id} with {keys}");
    lacks("oversampling = 4, sensitive = true", "less-oversampling:p");
    lacks("oversampling = 1", "less-oversampling:p");
    lacks("has_draft = true, sensitive = true", "draft:p");
    lacks("voices = 1", "fewer-voices:p");
    lacks("state = \"unloaded\"", "bypass:p");
    lacks("state = \"off\"", "bypass:p");
    lacks("kind = \"instrument\"", "bypass:p");
    lacks("latency_frames = 64, low_delay_frames = 64", "low-delay:p");
    lacks("oversampling = 1", "print:voice"); // it is live
    lacks("oversampling = 1", "full-power"); // it has it
    assert!(!ids("oversampling = 1").iter().any(|i| i.starts_with("quit:") || i == "coarser-timeline"));
    // While finishing, every processor is wanted.
    let mixing = singer("{ id = \"p\", cost = \"heavy\" }", "{ id = \"m\", cost = \"heavy\" }")
        .replace("tracking", "mixing");
    assert!(
        !offered(EXACT_RIG, &mixing).iter().any(|i| i.starts_with("bypass-main") || i.starts_with("bypass"))
    );
    // An interface without direct monitoring offers none.
    assert!(
        !offered(&EXACT_RIG.replace("direct = \"plain\"", ""), &singer("", ""))
            .iter()
            .any(|i| i.starts_with("direct"))
    );
}

#[test]
fn delay_falls_by_what_each_remedy_says() {
    let frames = |t: &Tried| (t.before.slowest().raw() - t.after.slowest().raw()) * 48.0;
    let voice = "{ id = \"p\", latency_frames = 500, low_delay_frames = 100, cost = \"light\" }";
    let main = "{ id = \"m\", latency_frames = 300, cost = \"light\" }";
    for (id, gain) in [("low-delay:p", 400.0), ("bypass:p", 500.0), ("bypass-main:m", 300.0)] {
        let t = tried(EXACT_RIG, &singer(voice, main), id);
        assert!((frames(&t) - gain).abs() < 1e-6, "{id}: {}", frames(&t));
        assert!(t.effort >= 1);
    }
}

#[test]
fn tracks_are_printed_disabled_removed() {
    let instrument = "{ id = \"i\", source = \"instrument\", memory_gb = 2, processor = [{ id = \"a\", kind = \"instrument\", cost = \"extreme\" }, { id = \"b\", cost = \"heavy\" }] }";
    let print = tried(EXACT_RIG, &beside(instrument), "print:i");
    let dry = tried(EXACT_RIG, &beside(instrument), "print-dry:i");
    assert!(
        print.after.cue.total.raw() < dry.after.cue.total.raw()
            && dry.after.cue.total.raw() < print.before.cue.total.raw()
    );
    assert!(print.after.streams.raw() > print.before.streams.raw(), "a print is read from disk");
    let muted =
        "{ id = \"x\", source = \"disk\", muted = true, processor = [{ id = \"a\", cost = \"heavy\" }] }";
    let disabled = tried(EXACT_RIG, &beside(muted), "disable-muted:x");
    assert!(disabled.after.cue.total.raw() < disabled.before.cue.total.raw() / 5.0);
    let unused = muted.replace("muted", "unused");
    assert!(tried(EXACT_RIG, &beside(&unused), "remove-unused:x").after.cue.total.raw() < 10.0);
    // A return that nothing feeds computes all the same.
    let bus = singer("", "").replace(
        "track = [",
        "bus = [{ id = \"return\", processor = [{ id = \"r\", cost = \"heavy\" }] }]\ntrack = [",
    );
    assert!(tried(EXACT_RIG, &bus, "remove-unused:return").after.cue.total.raw() < 10.0);
}

#[test]
fn ten_copies_are_one_on_a_send() {
    let tracks: Vec<String> = (0..10)
        .map(|i| format!("{{ id = \"x{i}\", source = \"disk\", processor = [{{ id = \"r{i}\", cost = \"heavy\", same_as = \"hall\" }}] }}"))
        .collect();
    let t = tried(EXACT_RIG, &beside(&tracks.join(", ")), "share-send:hall");
    let left = (t.before.cue.total.raw() - t.after.cue.total.raw()) / (0.9 * t.before.cue.total.raw());
    assert!((0.9..=1.0).contains(&left), "{left}");
    // The path through any sender still passes the one that is left, and the bus that it sits on now.
    let longer = t.after.cue.critical_path.raw() - t.before.cue.critical_path.raw();
    assert!(longer > 0.0 && longer < 2.0, "{longer}");
}

#[test]
fn the_machine_is_quieted() {
    let slow = EXACT_RIG.replace("\"performance\"", "\"saving\"")
        + "[[program]]\nid = \"browser\"\nload = 0.2\nmemory_gb = 4\n[[program]]\nid = \"film\"\nload = 0.1\ncan_quit = false\n";
    let heavy = singer("{ id = \"p\", cost = \"extreme\" }", "");
    let power = tried(&slow, &heavy, "full-power");
    assert!(
        (power.after.cue.total.raw() / power.before.cue.total.raw() - 0.7).abs() < 1e-9,
        "saving leaves 0.7 of the speed"
    );
    let quit = tried(&slow, &heavy, "quit:browser");
    // A program of lower priority takes no time away; it crowds caches and memory.
    let ratio = quit.after.cue.total.raw() / quit.before.cue.total.raw();
    assert!((ratio - 1.01 / 1.03).abs() < 1e-9, "{ratio}");
    // One that plays sound itself has our priority: all four cores work for the session.
    let plays = slow.replace("load = 0.2", "load = 0.2\nsound = \"box\"");
    let quit = tried(&plays, &heavy, "quit:browser");
    let ratio = quit.after.cue.total.raw() / quit.before.cue.total.raw();
    assert!((ratio - 0.8 * 1.01 / 1.03).abs() < 1e-9, "{ratio}");
    assert!(!offered(&slow, &heavy).contains(&"quit:film".to_string()));
    let fine = heavy.replace("deliver =", "engine = { ticks_per_quarter = 9600 }\ndeliver =");
    let coarser = tried(EXACT_RIG, &fine, "coarser-timeline");
    assert!((coarser.before.cue.total.raw() - coarser.after.cue.total.raw() - 4.0 * 8.64).abs() < 1e-6);
}

#[test]
fn memory_that_runs_out_breaks_and_printing_a_large_instrument_cures_it() {
    let small = EXACT_RIG.replace("memory_gb = 16", "memory_gb = 6");
    let large = "{ id = \"i\", source = \"instrument\", memory_gb = 5, processor = [{ id = \"a\", kind = \"instrument\", cost = \"light\" }] }";
    let t = tried(&small, &beside(large), "print:i");
    assert!(t.before.from_memory.typical.raw() > 100.0);
    assert_eq!(t.after.from_memory.typical.raw(), 0.0);
}

#[test]
fn a_disk_that_cannot_keep_up_breaks() {
    let many: Vec<String> =
        (0..80).map(|i| format!("{{ id = \"x{i}\", source = \"disk\", channels = 2 }}")).collect();
    let text = beside(&many.join(", "));
    let at = |mb: &str| {
        let rig_text = EXACT_RIG.replace("disk_mb_per_s = 400", &format!("disk_mb_per_s = {mb}"));
        tried(&rig_text, &text, "precision-32").before
    };
    // 161 channels × 48 000 × 3 bytes = 23.2 MB/s.
    assert!((at("400").streams.raw() - 161.0 * 0.144).abs() < 1e-9);
    assert!(at("400").from_disk.typical.raw() < 1e-6);
    // A seventh of the sound does not come: half a second of it is used up in some four.
    assert!(at("20").from_disk.typical.raw() > 900.0);
    // As long as it keeps up, how busy it is makes no difference.
    assert_eq!(at("24").from_disk, at("400").from_disk);
}

#[test]
fn what_rests_while_silent_lightens_the_mean_block_and_not_the_worst() {
    let track = |rests: bool, tail: f64| {
        beside(&format!(
            "{{ id = \"x\", source = \"disk\", sounding = 0.25, processor = [{{ id = \"a\", cost = \"extreme\", rests = {rests}, tail_s = {tail} }}] }}"
        ))
    };
    let at = |rests, tail| tried(EXACT_RIG, &track(rests, tail), "precision-32").before.cue;
    let (always, resting, tail) = (at(false, 0.0), at(true, 0.0), at(true, 8.0));
    assert_eq!(always.guaranteed.raw(), resting.guaranteed.raw());
    assert!(resting.mean.raw() < always.mean.raw() * 0.5);
    // A tail as long as a phrase doubles the time it computes.
    assert!(tail.mean.raw() > resting.mean.raw() * 1.5 && tail.mean.raw() < always.mean.raw());
}

#[test]
fn what_lies_in_the_arrangement_is_a_remedy_too() {
    let rig_file = rig(EXACT_RIG);
    let text = singer("", "")
        .replace("deliver =", "engine = { renders_ahead = true, roll_frames = [512, 1024] }\ndeliver =");
    let session_file = session(&text, &rig_file);
    let b = context(&rig_file, &session_file);
    let problem = PhaseProblem::new(b, 0.into(), 0.into(), HZ);
    let ids = |roll, workers, extra| {
        let mut a = arrangement(&problem, 64, roll, workers);
        a.setting.buffer = Offered { count: Some(3), extra_blocks: extra, ..Offered::plain(Block::new(64)) };
        arranged(&b, problem.question.phase, &a).into_iter().map(|r| (r.id, r.effort)).collect::<Vec<_>>()
    };
    assert_eq!(ids(None, 4, false), []);
    assert_eq!(ids(Some(512), 4, false), [("roll:512".to_string(), 1)]);
    assert_eq!(
        ids(Some(1024), 3, true),
        [("roll:1024".into(), 2), ("reserve-core".into(), 1), ("device-blocks:3".into(), 1)]
    );
}
