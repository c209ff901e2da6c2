//! A remedy equals the session edited by hand: random sessions, every remedy that can be written down as an edit.

use crate::common::{EXACT_RIG, HZ, arrangement, context};
use crate::common::{rig_from, session_from};
use swiftloop_core::plan::{Evaluation, PhaseProblem, Report, report};
use swiftloop_core::rig::Rig;
use swiftloop_core::session::Session;
use toml::{Table, Value};

fn described(random: &mut fastrand::Rng) -> Table {
    let costs = ["light", "medium", "heavy", "extreme"];
    let mut number = 0;
    let mut processors = |random: &mut fastrand::Rng, instrument: bool| {
        let count = random.usize(0..4) + usize::from(instrument);
        let all: Vec<String> = (0..count)
            .map(|i| {
                number += 1;
                let kind = if instrument && i == 0 { "instrument" } else { ["effect", "effect", "analyser"][random.usize(0..3)] };
                let state = if random.f64() < 0.2 { "off" } else { "active" };
                let block = if random.f64() < 0.2 { ", internal_block = 300" } else { "" };
                format!(
                    "{{ id = \"p{number}\", kind = \"{kind}\", cost = \"{}\", oversampling = {}, latency_frames = {}, low_delay_frames = 8, state = \"{state}\"{block} }}",
                    costs[random.usize(0..4)],
                    [1, 1, 2, 4][random.usize(0..4)],
                    random.u32(8..600),
                )
            })
            .collect();
        all.join(", ")
    };
    let tracks: Vec<String> = (0..random.usize(2..9))
        .map(|i| {
            let source = ["disk", "disk", "instrument"][random.usize(0..3)];
            let flag = ["", "", "muted = true, ", "unused = true, "][random.usize(0..4)];
            format!(
                "{{ id = \"t{i}\", source = \"{source}\", {flag}channels = {}, memory_gb = {}, processor = [{}] }}",
                [1, 2, 6][random.usize(0..3)],
                random.u32(0..5),
                processors(random, source == "instrument"),
            )
        })
        .collect();
    let text = format!(
        "format = \"swiftloop.session/1\"\ndeliver = {{ rate_hz = 48000 }}\nengine = {{ precision = 64, ticks_per_quarter = {} }}\n\
         track = [{{ id = \"voice\", source = \"live\", processor = [{}] }}, {}]\nmain = {{ processor = [{}] }}\n\
         performer = [{{ id = \"ada\", plays = \"voice\", listens = \"headphones\", hears = [\"voice\"], mic_m = 0, needs_software = true }}]\n\
         phase = [{{ kind = \"tracking\", performers = [\"ada\"] }}]\n",
        [960, 3840][random.usize(0..2)],
        processors(random, false),
        tracks.join(", "),
        processors(random, false),
    );
    text.parse().expect("a table")
}

fn chains(session: &mut Table) -> Vec<&mut Vec<Value>> {
    let mut all = Vec::new();
    for (key, value) in session.iter_mut() {
        match (key.as_str(), value) {
            ("track", Value::Array(tracks)) => {
                all.extend(tracks.iter_mut().filter_map(|t| t.get_mut("processor")?.as_array_mut()));
            }
            ("main", main) => all.extend(main.get_mut("processor").and_then(Value::as_array_mut)),
            _ => {}
        }
    }
    all
}

/// Changes a processor.
fn processor(session: &mut Table, id: &str, edit: impl Fn(&mut Table)) {
    for chain in chains(session) {
        for p in chain.iter_mut().filter_map(Value::as_table_mut) {
            if p["id"].as_str() == Some(id) {
                edit(p);
            }
        }
    }
}

fn track<'a>(session: &'a mut Table, id: &str) -> &'a mut Table {
    let tracks = session["track"].as_array_mut().expect("tracks");
    let found = tracks.iter_mut().filter_map(Value::as_table_mut).find(|t| t["id"].as_str() == Some(id));
    found.expect("the track")
}

fn silence(p: &mut Table) {
    p.insert("state".into(), "unloaded".into());
}

/// The session as somebody would edit it; nothing when the remedy is no edit of the session.
fn edited(session: &Table, remedy: &str) -> Option<Table> {
    let mut s = session.clone();
    let (kind, target) = remedy.split_once(':').unwrap_or((remedy, ""));
    match kind {
        "unload" | "bypass" | "bypass-main" | "hide-view" => processor(&mut s, target, silence),
        "low-delay" => processor(&mut s, target, |p| {
            p.insert("latency_frames".into(), p["low_delay_frames"].clone());
        }),
        "less-oversampling" => processor(&mut s, target, |p| {
            let half = p["oversampling"].as_integer().expect("a number") / 2;
            p.insert("oversampling".into(), half.into());
        }),
        "disable-muted" | "remove-unused" => {
            track(&mut s, target).insert("disabled".into(), true.into());
        }
        "precision-32" => {
            s["engine"].as_table_mut().expect("the engine").insert("precision".into(), 32.into());
        }
        "coarser-timeline" => {
            s["engine"].as_table_mut().expect("the engine").insert("ticks_per_quarter".into(), 960.into());
        }
        "print" | "print-dry" => {
            let t = track(&mut s, target);
            let instrument = t["source"].as_str() == Some("instrument");
            if instrument {
                t.insert("source".into(), "disk".into());
                t.insert("memory_gb".into(), 0.into());
            }
            let chain = t["processor"].as_array_mut().expect("processors");
            let gone = if kind == "print" { chain.len() } else { 1 };
            for p in chain.iter_mut().take(gone).filter_map(Value::as_table_mut) {
                silence(p);
                if p["kind"].as_str() == Some("instrument") {
                    p.insert("kind".into(), "effect".into());
                }
            }
        }
        _ => return None,
    }
    Some(s)
}

fn open(session: &Table, rig: &Rig) -> Session {
    let text = toml::to_string(session).expect("text");
    session_from(&text, rig).unwrap_or_else(|e| panic!("{e:?}\n{text}"))
}

fn figures(r: &Report) -> [f64; 9] {
    [
        r.cue.total.raw(),
        r.cue.critical_path.raw(),
        r.cue.makespan.raw(),
        r.cue.guaranteed.raw(),
        r.dropouts.typical.raw(),
        r.streams.raw(),
        r.from_memory.typical.raw(),
        r.loops[0].total.typical().raw(),
        r.from_disk.typical.raw(),
    ]
}

#[test]
fn a_remedy_equals_the_session_edited_by_hand() {
    let rig = rig_from(&EXACT_RIG.replace("memory_gb = 16", "memory_gb = 8")).expect("a rig");
    let mut random = fastrand::Rng::with_seed(9);
    let mut compared = std::collections::BTreeMap::<String, usize>::new();
    for _ in 0..200 {
        let table = described(&mut random);
        let session = open(&table, &rig);
        let problem = PhaseProblem::new(context(&rig, &session), 0.into(), 0.into(), HZ);
        let evaluation = Evaluation::new(&problem, arrangement(&problem, 128, None, 4));
        for (id, remedy) in problem.question.remedies.iter_enumerated() {
            let Some(edit) = edited(&table, &remedy.id) else { continue };
            let remedied = figures(&report(&evaluation, &[id]));
            let by_hand = open(&edit, &rig);
            let other = PhaseProblem::new(context(&rig, &by_hand), 0.into(), 0.into(), HZ);
            let edited = figures(&report(&Evaluation::new(&other, arrangement(&other, 128, None, 4)), &[]));
            for (i, (a, b)) in remedied.iter().zip(edited).enumerate() {
                // Work that is taken away leaves rounding behind, and an integral may take other steps for it.
                let hair = if i == 4 { 2e-3 } else { 1e-6 };
                let near = (a - b).abs() <= hair * a.abs().max(b.abs()) + 1e-9;
                assert!(
                    near,
                    "{}: figure {i}: {a} against {b}\n{}",
                    remedy.id,
                    toml::to_string(&table).unwrap()
                );
            }
            *compared.entry(remedy.kind.as_str().into()).or_default() += 1;
        }
    }
    let all: usize = compared.values().sum();
    assert!(all > 1000 && compared.len() >= 11, "{compared:?}");
}
