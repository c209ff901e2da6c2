//! `survey` on made-up computers: what hurts on each, what a rig file gets, and that nothing of the user's is touched.

use crate::common::Folder;
use serde_json::Value;

fn computer(name: &str) -> String {
    swiftloop_fixtures::computer(name).display().to_string()
}

fn findings(survey: &Value) -> Vec<&str> {
    survey["findings"].as_array().unwrap().iter().map(|f| f["id"].as_str().unwrap()).collect()
}

#[test]
fn a_good_desktop_has_nothing_to_mend() {
    let folder = Folder::empty();
    let good = folder.json(&["survey", "--root", &computer("good-desktop")]);
    assert_eq!(findings(&good), Vec::<&str>::new());
    let card = &good["inventory"]["cards"][0];
    assert_eq!((card["connection"].as_str(), card["usb"]["hubs"].as_u64()), (Some("usb2"), Some(0)));
    assert_eq!(card["streams"][0]["open"]["period_frames"], 128);
    assert_eq!(card["streams"][0]["rates_hz"], serde_json::json!([44100, 48000, 88200, 96000]));
    assert_eq!(good["inventory"]["processor"]["cores"], 8);
    // Deep idle is there but switched off.
    assert_eq!(good["inventory"]["processor"]["idle"][3]["disabled"], true);
    let text = folder.run(&["survey", "--root", &computer("good-desktop")]);
    assert_eq!(text.code, 0);
    assert!(text.out.contains("Nothing was found that hurts audio"), "{}", text.out);
}

#[test]
fn a_bad_laptop_is_told_all_of_it_the_worst_first() {
    let folder = Folder::empty();
    let answer = folder.run(&["survey", "--root", &computer("bad-laptop"), "--json"]);
    assert_eq!(answer.code, 1);
    let bad: Value = serde_json::from_str(&answer.out).unwrap();
    let mut found = findings(&bad);
    assert_eq!(&found[..2], ["no-realtime", "memory"]);
    found.sort_unstable();
    assert_eq!(
        found,
        [
            "deep-idle",
            "forced",
            "governor",
            "heat",
            "limited-clock",
            "memory",
            "no-locked-memory",
            "no-realtime",
            "on-battery",
            "preemption",
            "rates-disagree",
            "realtime-share",
            "shared-interrupt",
            "usb-autosuspend",
            "usb-hub",
            "usb-slow"
        ]
    );
    for finding in bad["findings"].as_array().unwrap() {
        for key in ["what", "costs", "evidence", "cure", "risk", "undo"] {
            assert!(finding[key].as_str().is_some_and(|t| !t.is_empty()), "{finding}: {key}");
        }
    }
    // Each cure has the present value in its way back.
    let of = |id: &str| bad["findings"].as_array().unwrap().iter().find(|f| f["id"] == id).unwrap().clone();
    assert!(of("governor")["undo"].as_str().unwrap().contains("powersave"));
    assert!(of("limited-clock")["undo"].as_str().unwrap().contains("2800000"));
    assert!(of("deep-idle")["cure"].as_str().unwrap().contains("state[23]"));
    assert!(of("usb-hub")["what"].as_str().unwrap().contains("backup disk"));
    assert_eq!(bad["inventory"]["servers"][0]["forced_buffer_frames"], 2048);
    // A sensor that is not there is not the hottest place.
    assert_eq!(bad["inventory"]["power"]["hottest_c"], 93.0);
}

#[test]
fn a_command_to_copy_is_never_broken_within_a_word() {
    let folder = Folder::empty();
    let answer = folder.run_with(
        &["survey", "--root", &computer("bad-laptop"), "--full"],
        &[("COLUMNS", "60"), ("NO_COLOR", "1")],
    );
    assert!(answer.out.contains("/sys/devices/system/cpu/cpu*/cpufreq/scaling_governor\n"), "{}", answer.out);
    assert!(!answer.out.contains('\u{1b}'));
}

#[test]
fn two_interfaces_at_two_rates_are_told() {
    let folder = Folder::empty();
    let two = folder.json(&["survey", "--root", &computer("two-interfaces")]);
    assert_eq!(findings(&two)[0], "rates-disagree");
    assert!(findings(&two).contains(&"two-clocks"));
    let rates: Vec<u64> =
        two["rates"].as_array().unwrap().iter().map(|r| r["rate_hz"].as_u64().unwrap()).collect();
    assert_eq!(rates, [48_000, 48_000, 44_100]);
    // A range of rates is those that are usual.
    assert_eq!(
        two["inventory"]["cards"][1]["streams"][0]["rates_hz"],
        serde_json::json!([22050, 32000, 44100, 48000])
    );
}

#[test]
fn without_sound_it_says_so_and_writes_nothing() {
    let folder = Folder::empty();
    let silent = folder.run(&["survey", "--root", &computer("no-sound")]);
    assert_eq!(silent.code, 3);
    assert!(silent.out.contains("No sound card and no audio server was found"), "{}", silent.out);
    let saving = folder.run(&["survey", "--root", &computer("no-sound"), "--save", "rig.toml"]);
    assert_eq!(saving.code, 3);
    assert!(saving.err.contains("nothing to write") && folder.files().is_empty(), "{}", saving.err);
}

#[test]
fn a_folder_that_is_no_computer_is_refused() {
    let folder = Folder::empty();
    for root in [".", "nowhere"] {
        let answer = folder.run(&["survey", "--root", root]);
        assert_eq!(answer.code, 2);
        assert!(answer.err.contains("holds no copy") && answer.err.contains("to do:"), "{}", answer.err);
    }
}

#[test]
fn what_is_written_can_be_planned_with() {
    for name in ["good-desktop", "bad-laptop", "two-interfaces"] {
        let folder = Folder::with_demo();
        let saved = folder.run(&["survey", "--root", &computer(name), "--save", "mine.toml"]);
        assert!(saved.code <= 1 && saved.out.contains("Written: mine.toml"), "{}{}", saved.out, saved.err);
        let text = folder.read("mine.toml");
        assert!(text.contains("# assumed") && text.contains("[[interface]]"), "{text}");
        let id = if name == "bad-laptop" { "box" } else { "rack" };
        folder.write(
            "session.toml",
            format!(
                "format = \"swiftloop.session/1\"\nname = \"one voice\"\n[deliver]\nrate_hz = 48000\ndepth = 24\n\
                 [[track]]\nid = \"voice\"\nsource = \"live\"\n[[phase]]\nkind = \"editing\"\ninterfaces = [\"{id}\"]\n"
            ),
        );
        let plan = folder.run(&["plan", "mine.toml", "session.toml"]);
        assert!(plan.code <= 1, "{name}: {}\n{text}", plan.err);
    }
}

#[test]
fn an_existing_rig_keeps_every_line_and_gets_what_is_missing() {
    let folder = Folder::with_demo();
    let before = folder.read("rig.toml");
    let saved = folder.run(&["survey", "--root", &computer("two-interfaces"), "--save", "rig.toml"]);
    assert!(saved.code <= 1, "{}", saved.err);
    let after = folder.read("rig.toml");
    let mut rest = after.lines();
    for line in before.lines() {
        assert!(rest.any(|l| l == line), "the line `{line}` is gone or moved");
    }
    // The rack is known by its id, the box is new; no figure of the user's was overwritten.
    assert!(saved.out.contains("interface box") && !saved.out.contains("interface rack"), "{}", saved.out);
    assert!(after.contains("cores = 4\n") && !after.contains("cores = 6"));
    assert!(folder.run(&["plan", "rig.toml", "session.toml"]).code <= 1, "it is a rig still");
    let again = folder.run(&["survey", "--root", &computer("two-interfaces"), "--save", "rig.toml"]);
    assert!(again.out.contains("Nothing was changed in rig.toml"), "{}", again.out);
    assert!(again.out.contains("machine.cores") && again.out.contains("--replace all"), "{}", again.out);
    assert_eq!(folder.read("rig.toml"), after);
}

#[test]
fn a_rig_that_is_wrong_is_refused_and_left_alone() {
    let folder = Folder::empty();
    folder.write("rig.toml", "format = \"swiftloop.rig/1\"\n[machine]\ncoers = 4\n");
    let answer = folder.run(&["survey", "--root", &computer("good-desktop"), "--save", "rig.toml"]);
    assert_eq!(answer.code, 2);
    assert!(answer.err.contains("rig.toml:3:1") && answer.err.contains("cores"), "{}", answer.err);
    assert_eq!(folder.read("rig.toml"), "format = \"swiftloop.rig/1\"\n[machine]\ncoers = 4\n");
}

#[test]
fn strange_files_are_missing_figures_never_a_panic() {
    let folder = Folder::empty();
    let put = |name: &str, text: &[u8]| {
        let path = folder.path("odd").join(name);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    };
    put(
        "proc/asound/cards",
        b" x [A]: B - c\n 7 [Odd            ]: \xff\xfe - odd \x1b[31m card\n  at irq \n 8 [",
    );
    put("proc/asound/card7/usbbus", b"999999999999/x");
    put("proc/asound/card7/pcmp/sub0/hw_params", b"rate: -3\n");
    put("proc/asound/card7/pcm3p/sub0/hw_params", b"rate: 99999999999\nperiod_size: 0\n");
    put("proc/meminfo", b"MemTotal: many kB\nMemAvailable: -1 kB\n");
    put("proc/self/limits", b"Max realtime priority\n");
    put("sys/devices/system/cpu/cpu0/cpufreq/scaling_max_freq", b"NaN\n");
    put("sys/class/thermal/thermal_zone0/temp", b"inf\n");
    put("pipewire.json", b"[{\"type\": 3}]");
    let answer = folder.run(&["survey", "--root", "odd", "--save", "rig.toml", "--full"]);
    assert!(answer.code <= 1, "{}", answer.err);
    assert!(answer.out.contains("pipewire.json is not its JSON dump"), "{}", answer.out);
    assert!(folder.read("rig.toml").contains("memory_gb = 8             # assumed"));
}

#[test]
fn a_file_that_says_otherwise_is_compared_line_by_line_and_changed_only_where_asked() {
    let folder = Folder::empty();
    let root = computer("good-desktop");
    let survey = |more: &[&str]| {
        folder.run(&[&["survey", "--root", root.as_str(), "--save", "rig.toml"], more].concat())
    };
    assert_eq!(survey(&[]).code, 0);
    let whole = folder.read("rig.toml");
    let mine = whole
        .replace("cores = 8\n", "cores = 4          # mine\n")
        .replace("rates_hz = [44100, 48000, 88200, 96000]", "rates_hz = [48000]");
    let without_channels: String =
        mine.lines().filter(|l| !l.starts_with("channels")).map(|l| format!("{l}\n")).collect();
    assert!(without_channels != whole && without_channels.contains("# mine"));
    folder.write("rig.toml", without_channels);
    let told = survey(&["--json"]);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    let differences = told["saved"]["differences"].as_array().unwrap();
    let keys: Vec<&str> = differences.iter().map(|d| d["key"].as_str().unwrap()).collect();
    assert!(
        keys.contains(&"machine.cores") && keys.contains(&"interface.rack.driver.alsa.rates_hz"),
        "{keys:?}"
    );
    assert!(differences.iter().all(|d| d["replaced"] == false), "{told}");
    assert_eq!(told["saved"]["added"][0], "interface.rack.channels");
    assert!(folder.read("rig.toml").contains("cores = 4          # mine"), "nothing is changed unasked");
    // What people choose, and what passes, is no difference.
    assert!(!keys.iter().any(|k| k.ends_with("class") || k.ends_with("name")), "{keys:?}");

    let wrong = survey(&["--replace", "machine.core"]);
    assert!(wrong.code == 2 && wrong.err.contains("--replace machine.cores"), "{}", wrong.err);
    let one = survey(&["--replace", "machine.cores"]);
    assert!(one.out.contains("Replaced in rig.toml: machine.cores"), "{}", one.out);
    let now = folder.read("rig.toml");
    assert!(now.contains("cores = 8          # mine") && now.contains("rates_hz = [48000]"), "{now}");
    survey(&["--replace", "all"]);
    let last = survey(&["--json"]);
    let last: Value = serde_json::from_str(&last.out).unwrap();
    assert_eq!(last["saved"]["differences"].as_array().map(Vec::len), Some(0), "{last}");
    assert_eq!(folder.run(&["survey", "--root", root.as_str(), "--replace", "all"]).code, 2);
}
