//! Real processors, where they are installed: the tables of docs/accuracy.md. (.ci/run installs them.)

use super::kept::told_machine;
use super::weighed;
use crate::common::Folder;
use serde_json::Value;
use swiftloop_units::{Nanos, Range};

/// Real ones, where they are installed: late by the same in two runs, to the frame. Those whose costs differ by more than a fifth, and
/// beyond each other's ranges, are printed: a shared machine is too restless for more. (.ci/run installs them.)
#[test]
#[ignore = "needs cmt, swh-plugins, tap-plugins, caps and mda-lv2"]
fn real_ones_are_weighed_twice_alike() {
    let folder = Folder::empty();
    let (mut weighed, mut apart) = (0, Vec::new());
    for library in [
        "/usr/lib/ladspa/cmt.so",
        "/usr/lib/ladspa/caps.so",
        "/usr/lib/ladspa/fast_lookahead_limiter_1913.so",
        "/usr/lib/ladspa/sc4_1882.so",
        "/usr/lib/ladspa/gverb_1216.so",
        "/usr/lib/ladspa/tap_limiter.so",
        "/usr/lib/lv2/mda.lv2",
    ] {
        if !std::path::Path::new(library).exists() {
            swiftloop_fixtures::skipped(&format!("{library} is not installed"));
            continue;
        }
        let run = || -> Value {
            let answer = folder.run(&[
                "weigh",
                library,
                "--rates",
                "48000",
                "--floor",
                "f.json",
                "--catalogue",
                "c.toml",
                "--again",
                "--json",
            ]);
            assert!((0..=1).contains(&answer.code), "{library}: {}", answer.err);
            serde_json::from_str(&answer.out).expect("one JSON object")
        };
        let (first, second) = (run(), run());
        let all = |v: &Value| v["processors"].as_array().expect("a list").clone();
        for (a, b) in all(&first).iter().zip(&all(&second)) {
            assert_eq!(a["id"], b["id"]);
            // One that works on memory nobody filled gives numbers or none.
            if a["status"] != "weighed" || b["status"] != "weighed" {
                println!("{library} {}: {} {}", a["id"], a["why"], b["why"]);
                continue;
            }
            weighed += 1;
            let late = |v: &Value| v["delay"]["measured_frames"].as_f64();
            match (late(a), late(b)) {
                (Some(x), Some(y)) => assert!((x - y).abs() < 0.5, "{library} {}: {x} {y}", a["id"]),
                (x, y) => assert_eq!(x.is_some(), y.is_some(), "{library} {}", a["id"]),
            }
            // A call and 256 frames: low and high beside each other.
            let cost = |v: &Value, which: &str| {
                let of = |key: &str| v[key][which].as_f64().unwrap_or(f64::NAN);
                of("per_call_ns") + 256.0 * of("per_frame_ns")
            };
            let (x, y) = (cost(a, "typical"), cost(b, "typical"));
            let alike = (x / y).max(y / x) < 1.2
                || (cost(a, "low") <= cost(b, "high") && cost(b, "low") <= cost(a, "high"));
            if !alike {
                apart.push(format!("{} {x:.0} {y:.0}", a["id"]));
            }
        }
    }
    println!("{weighed} weighed twice; costs of {} not alike: {apart:?}", apart.len());
    assert!(weighed > 0 || apart.is_empty());
}

/// A call is as dear as 200 frames: told within a twentieth, in one run of the same machine.
#[test]
#[ignore = "times real work"]
fn the_ratio_of_call_and_frame_is_found() {
    let ratios: Vec<f64> = (0..5)
        .map(|_| {
            let one = weighed("work", "48000");
            let of = |key: &str| one[key]["typical"].as_f64().expect("a figure");
            of("per_call_ns") / of("per_frame_ns") / 200.0
        })
        .collect();
    println!("call beside frame, of what it is: {ratios:.3?}");
    let mut sorted = ratios;
    sorted.sort_by(f64::total_cmp);
    assert!((sorted[2] - 1.0).abs() < 0.05, "{sorted:?}");
}

/// How far each lies from its nearest class, at 256 frames on the reference core; and how many lie within that class's range.
fn beside_classes(all: &[Value]) {
    let classes = &swiftloop_files::tables().cost;
    let (mut off, mut within) = (Vec::new(), 0);
    for p in all.iter().filter(|p| p["status"] == "weighed") {
        let at = &p["by_rate"][0];
        let typical = |key: &str| at[key]["typical"].as_f64();
        let (Some(call), Some(frame)) = (typical("per_call_ns"), typical("per_frame_ns")) else { continue };
        let yardstick = |key: &str| at["yardsticks"][key].as_f64().expect("a figure");
        let reference = (3.0 / yardstick("latency_ns") * 0.0625 / yardstick("throughput_ns")).sqrt();
        let channels = ["inputs", "outputs"].map(|way| p["channels"][way].as_u64().unwrap_or(0));
        let pairs = (channels[0].max(channels[1]) as f64 / 2.0).max(1.0);
        let took = ((call + 256.0 * frame) * reference / pairs).max(1.0);
        let of = |class: &swiftloop_core::tables::CostClass, pick: fn(Range<Nanos>) -> Nanos| {
            pick(class.per_call_ns).raw() + 256.0 * pick(class.per_frame_ns).raw()
        };
        let times =
            |class: &&swiftloop_core::tables::CostClass| (took / of(class, Range::typical)).ln().abs();
        let nearest = classes.iter().min_by(|a, b| times(a).total_cmp(&times(b))).expect("a class");
        off.push(times(&nearest).exp());
        within += u32::from((of(nearest, Range::low)..=of(nearest, Range::high)).contains(&took));
    }
    off.sort_by(f64::total_cmp);
    let at = |share: f64| off[((off.len() - 1) as f64 * share) as usize];
    println!(
        "{} processors: off by {:.1} from the nearest class in the middle, by {:.0} at 95 of 100; {:.0} of 100 within its range",
        off.len(),
        at(0.5),
        at(0.95),
        f64::from(within) / off.len() as f64 * 100.0
    );
}

/// Chains of real processors at the real period, beside what is predicted of them: the table of docs/accuracy.md.
#[test]
#[ignore = "takes some minutes and a calm machine; needs cmt, swh-plugins, tap-plugins, caps and mda-lv2"]
fn sums_of_real_chains() {
    let folder = Folder::empty();
    let mut libraries: Vec<String> = std::fs::read_dir("/usr/lib/ladspa")
        .map(|all| all.flatten().map(|e| e.path().display().to_string()).collect())
        .unwrap_or_default();
    libraries.sort();
    if libraries.is_empty() {
        swiftloop_fixtures::skipped("no processors are installed");
        return;
    }
    let mut args = vec!["weigh"];
    args.extend(libraries.iter().map(String::as_str));
    args.extend(["--rates", "48000", "--catalogue", "c.toml", "--floor", "f.json", "--json"]);
    let told: Value = serde_json::from_str(&folder.run(&args).out).expect("one JSON object");
    let is_effect = |p: &&Value| {
        let channels = |way: &str| p["channels"][way].as_u64().unwrap_or(0);
        let cost = p["per_call_ns"]["typical"].as_f64().zip(p["per_frame_ns"]["typical"].as_f64());
        let dear = cost.is_some_and(|(call, frame)| call + 256.0 * frame > 300.0);
        p["status"] == "weighed" && dear && (1..=2).contains(&channels("outputs")) && channels("inputs") <= 2
    };
    let all = told["processors"].as_array().expect("a list");
    beside_classes(all);
    let pool: Vec<&str> = all.iter().filter(is_effect).filter_map(|p| p["id"].as_str()).collect();
    let made = folder.run(&["new", "--driver", "alsa", "--rate", "48000", "--yes", "."]);
    assert_eq!(made.code, 0, "{}", made.err);
    let machine = told_machine(&folder.read("c.toml"));
    folder.edit("rig.toml", "[machine]", &format!("[machine]\nprocessor = \"{machine}\""));
    println!("chain  processors  block  predicted, µs           seen, µs  off");
    let (mut within, mut near, mut runs) = (0, 0, 0);
    for (chain, count) in [(1, 10), (2, 20), (3, 30)] {
        let mut random = fastrand::Rng::with_seed(100 + chain);
        let picked = random.choose_multiple(pool.iter(), count);
        let chain_of: String = picked.iter().map(|id| format!("{{ is = \"ladspa:{id}\" }},\n")).collect();
        folder.write(
            "s.toml",
            format!(
                "format = \"swiftloop.session/1\"\ntrack = [{{ id = \"a\", channels = 1, processor = [\n{chain_of}] }}]\n\
                 phase = [{{ kind = \"mixing\" }}]\n"
            ),
        );
        for block in ["64", "128", "512"] {
            let mut args = vec!["soak", "rig.toml", "s.toml", "--real", "--buffer", block, "--seconds", "5"];
            args.extend(["--catalogue", "c.toml", "--json"]);
            let value: Value = serde_json::from_str(&folder.run(&args).out).expect("one JSON object");
            let own = &value["own_processors"];
            let rung = &own["rungs"][0];
            let us = |v: &Value| v.as_f64().expect("a figure");
            let [low, typical, high] = ["low", "typical", "high"].map(|k| us(&rung["predicted_us"][k]));
            let seen = us(&rung["seen_us"]);
            println!(
                "{chain:5}  {:10}  {block:>5}  {typical:6.0} ({low:.0} to {high:.0})  {seen:8.0}  {:+.0} %",
                own["count"],
                (typical / seen - 1.0) * 100.0
            );
            runs += 1;
            within += u32::from((low..=high).contains(&seen));
            near += u32::from((typical / seen - 1.0).abs() < 0.25);
        }
    }
    println!("{within} of {runs} within the range, {near} within a quarter of what was expected");
    assert!(2 * within > runs);
}
