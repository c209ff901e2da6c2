//! Far sides in the plan, in a trial, on the sheet, in notes; and what distance forbids.

use crate::common::{Folder, at, choice};
use serde_json::Value;

const AT: [&str; 6] = ["rig.toml", "session.toml", "--interface", "rack", "--phase", "remote"];

fn together(c: &Value) -> Vec<&Value> {
    c["loops"].as_array().unwrap().iter().filter(|l| l["kind"] == "together").collect()
}

#[test]
fn the_plan_knows_the_whole_way_and_what_distance_forbids() {
    let folder = Folder::with_demo();
    let plan = folder.json(&[&["plan"], &AT[..]].concat());
    let remote = choice(&plan, "rack", "remote");
    let loops = together(remote);
    assert_eq!(loops.len(), 2, "Ada and Bo with the loft; the harbour is out of reach");
    for l in &loops {
        let names: Vec<&str> =
            l["legs"].as_array().unwrap().iter().filter_map(|g| g["name"].as_str()).collect();
        for leg in ["packet", "way over the network", "receive buffer", "listener's block"] {
            assert!(names.contains(&leg), "{names:?}");
        }
        let sum: f64 = l["legs"].as_array().unwrap().iter().filter_map(|g| g["typical_ms"].as_f64()).sum();
        assert!((sum - l["total"]["typical_ms"].as_f64().unwrap()).abs() < 1e-9);
        assert_eq!(l["far"], "loft");
    }
    let lines = remote["lines"].as_array().unwrap();
    assert_eq!((lines.len(), &lines[0]["holds"]), (1, &true.into()));
    let out = &remote["out_of_reach"][0];
    assert_eq!((&out["far"], out["floor_ms"].as_f64()), (&"harbour".into(), Some(48.0)));
    // What was asked for cannot all be had.
    assert_eq!(folder.run(&[&["plan"], &AT[..]].concat()).code, 1);
    folder.edit("session.toml", "far = [\"loft\", \"harbour\"]", "far = [\"loft\"]");
    assert_eq!(folder.run(&[&["plan"], &AT[..]].concat()).code, 0);
}

#[test]
fn what_the_plan_says_to_try_gives_the_same_line() {
    let folder = Folder::with_demo();
    // Two packets as long as this cannot be borne: the plan makes them smaller.
    folder.edit("rig.toml", "packet_frames = 256", "packet_frames = 1024\nchannels = 1");
    let plan = folder.json(&[&["plan"], &AT[..]].concat());
    let remote = choice(&plan, "rack", "remote");
    let remedies: Vec<&str> =
        remote["remedies"].as_array().unwrap().iter().filter_map(|r| r["id"].as_str()).collect();
    assert!(remedies.iter().any(|id| id.starts_with("smaller-packet:loft-")), "{remedies:?}");
    let s = &remote["setting"];
    let (driver, buffer) = (s["driver"].as_str().unwrap(), s["buffer_label"].as_str().unwrap());
    let mut args = vec!["--driver", driver, "--buffer", buffer];
    let roll = s["roll_frames"].to_string();
    if s["roll_frames"].is_number() {
        args.extend(["--roll", &roll]);
    }
    let is_setting = |id: &&&str| {
        !["roll", "reserve-core", "release-core", "device-blocks"].iter().any(|k| id.starts_with(k))
    };
    for id in remedies.iter().filter(is_setting) {
        args.extend(["--remedy", id]);
    }
    let tried = folder.json(&at("try", "rack", "remote", &args));
    assert_eq!(tried["setting"]["lines"], s["lines"]);
    assert_eq!(
        together(&tried).iter().map(|l| &l["total"]).collect::<Vec<_>>(),
        together(remote).iter().map(|l| &l["total"]).collect::<Vec<_>>()
    );
    let wrong = folder.run(&at("try", "rack", "remote", &["--remedy", "cable:loftt"]));
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("cable:loftt"), "{}", wrong.err);
}

#[test]
fn sheet_and_notes_know_the_far_side() {
    let folder = Folder::with_demo();
    let sheet = folder.run(&["sheet", "rig.toml", "session.toml"]);
    assert_eq!(sheet.code, 0, "{}", sheet.err);
    assert!(sheet.out.contains("Fay's loft") && sheet.out.contains("receive buffer"), "{}", sheet.out);
    let note = [&["note"], &AT[..], &["--felt", "ada@loft=late"]].concat();
    let noted = folder.run(&note);
    assert!(noted.code <= 1, "{}", noted.err);
    assert!(noted.out.contains("Ada notices less delay"), "{}", noted.out);
    assert!(folder.read("notes.toml").contains("\"ada@loft\" = \"late\""), "{}", folder.read("notes.toml"));
    let wrong = folder.run(&[&["note"], &AT[..], &["--felt", "ada@attic=late"]].concat());
    assert_eq!(wrong.code, 2);
    assert!(wrong.err.contains("loft"), "{}", wrong.err);
}

/// A rig and a session with nothing but one far side.
fn small(far: &str, more: &str) -> Folder {
    let folder = Folder::empty();
    folder.write(
        "rig.toml",
        format!(
            "format = \"swiftloop.rig/1\"\nmachine = {{ cores = 4, power = \"performance\", memory_gb = 16, disk_mb_per_s = 400, \
             disk_free_gb = 100 }}\n[[interface]]\nid = \"box\"\nconnection = \"usb2\"\ndriver = [{{ model = \"asio\", \
             rates_hz = [48000], buffers = {{ powers = [32, 512] }} }}]\n{far}\n"
        ),
    );
    folder.write(
        "session.toml",
        format!(
            "format = \"swiftloop.session/1\"\n[[track]]\nid = \"drum\"\nsource = \"live\"\n[[performer]]\nid = \"eli\"\n\
             plays = \"drums\"\nlimit_ms = 100\n[[phase]]\nkind = \"remote\"\nperformers = [\"eli\"]\n{more}\n"
        ),
    );
    folder
}

#[test]
fn what_helps_on_the_line_is_proposed() {
    let plan = |far: &str, more: &str| {
        let folder = small(far, more);
        let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
        choice(&plan, "box", "remote").clone()
    };
    let ids = |c: &Value| -> Vec<String> {
        c["remedies"].as_array().unwrap().iter().filter_map(|r| Some(r["id"].as_str()?.to_string())).collect()
    };
    let wireless = "[[far]]\nid = \"loft\"\ndistance_km = 100\nline = \"glass\"\nwireless = true\n";
    assert!(ids(&plan(wireless, "")).contains(&"cable:loft".into()), "{:?}", ids(&plan(wireless, "")));
    let busy = "[[far]]\nid = \"loft\"\ndistance_km = 100\nline = \"glass\"\nother_traffic = true\n";
    assert!(ids(&plan(busy, "")).contains(&"quiet-line:loft".into()));
    // Stereo does not go through, mono does.
    let narrow = "[[far]]\nid = \"loft\"\ndistance_km = 100\nline = \"glass\"\nup_kbit_s = 1300\n";
    assert!(ids(&plan(narrow, "")).contains(&"mono:loft".into()), "{:?}", ids(&plan(narrow, "")));
    let roundabout = "[[meeting]]\nid = \"mill\"\nkm = 900\n[[meeting]]\nid = \"quay\"\nkm = 60\n[[far]]\nid = \"loft\"\n\
                      distance_km = 100\nline = \"glass\"\nthrough = \"mill\"\nmeets = [{ at = \"mill\", km = 900 }, { at = \"quay\", km = 50 }]\n";
    let through = plan(roundabout, "");
    assert!(ids(&through).contains(&"straight-way:mill".into()), "{:?}", ids(&through));
    // A fast piece bears less.
    let fails = |more: &str| together(&plan(busy, more))[0]["fails_from_ms"].as_f64().unwrap();
    assert!(
        fails("tempo_bpm = 170") < fails("tempo_bpm = 100")
            && fails("tempo_bpm = 100") < fails("tempo_bpm = 60")
    );
    assert_eq!(fails("together_ms = [11, 13]"), 13.0);
}

#[test]
fn what_a_far_side_cannot_be_is_told_with_its_place() {
    let base = "[[far]]\nid = \"loft\"\n";
    for (far, said) in [
        (base.to_string(), "nothing says how far"),
        (format!("{base}distance_km = -3\n"), "kilometres"),
        (format!("{base}distance_km = 100\nline = \"glas\"\n"), "glass"),
        (format!("{base}distance_km = 100\nthrough = \"mill\"\n"), "mill"),
        (format!("{base}distance_km = 100\ndepth = 20\n"), "16, 24 or 32"),
        (format!("{base}distance_km = 100\nchannels = 0\n"), "1 to 64"),
        (format!("{base}distance_km = 100\npacket_frames = 3\n"), "8 to 4800"),
        (format!("{base}distance_km = 100\nspare = \"thrice\"\n"), "twice"),
        (format!("{base}distance_km = 100\ntheirs = {{ driver = \"azio\" }}\n"), "asio"),
        (format!("{base}distance_km = 100\nrig = \"theirs.toml\"\n"), "theirs.toml"),
        (format!("{base}link = \"nowhere.json\"\n"), "nowhere.json"),
        (format!("{base}distance_km = 100\n{base}distance_km = 7\n"), "two far sides"),
    ] {
        let answer = small(&far, "").run(&["plan", "rig.toml", "session.toml"]);
        assert_eq!(answer.code, 2, "{far}: {}", answer.out);
        assert!(answer.err.contains(said) && answer.err.contains("rig.toml:"), "{far}: {}", answer.err);
    }
    let answer = small(&format!("{base}distance_km = 100\n"), "far = [\"lofft\"]").run(&[
        "plan",
        "rig.toml",
        "session.toml",
    ]);
    assert!(answer.code == 2 && answer.err.contains("did you mean `loft`"), "{}", answer.err);
}

#[test]
fn a_rig_of_theirs_counts_as_it_is_described() {
    let with = |theirs: &str| {
        let folder =
            small(&format!("[[far]]\nid = \"loft\"\ndistance_km = 100\nline = \"glass\"\n{theirs}"), "");
        folder.write(
            "theirs.toml",
            "format = \"swiftloop.rig/1\"\nmachine = { cores = 4, memory_gb = 16, disk_mb_per_s = 400, disk_free_gb = 100 }\n\
             [[interface]]\nid = \"attic\"\ndriver = [{ model = \"asio\", rates_hz = [48000], buffers = { powers = [32, 512] }, \
             measured = [{ rate_hz = 48000, buffer_frames = 64, round_trip_frames = 300 }] }]\n",
        );
        let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
        let legs = together(choice(&plan, "box", "remote"))[0]["legs"].clone();
        let theirs = legs
            .as_array()
            .unwrap()
            .iter()
            .find(|l| l["name"].as_str().unwrap().starts_with("their"))
            .cloned();
        theirs.unwrap()
    };
    let file = with("rig = \"theirs.toml\"\ntheirs = { buffer_frames = 64 }\n");
    let plain = with("theirs = { driver = \"mme\", buffer_frames = 512 }\n");
    assert!(file["typical_ms"].as_f64() < Some(6.25), "{file}");
    assert!(plain["typical_ms"].as_f64() > Some(20.0), "{plain}");
}
