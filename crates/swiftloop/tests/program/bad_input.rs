//! Bad input: what is wrong, where, what to do; exit 2; nothing written; never a panic.

use crate::common::{Folder, at};
use proptest::prelude::*;

/// Plans after one edit of the demo's files and checks the complaint.
fn complaint(file: &str, from: &str, to: &str, expect: &[&str]) {
    let folder = Folder::with_demo();
    folder.edit(file, from, to);
    let before = folder.files();
    let answer = folder.run(&["plan", "rig.toml", "session.toml", "--svg", "picture.svg"]);
    assert_eq!(answer.code, 2, "{to}: {}{}", answer.out, answer.err);
    assert!(answer.out.is_empty(), "{to}: output beside an error");
    let flat = answer.err.split_whitespace().collect::<Vec<_>>().join(" ");
    for words in expect {
        assert!(flat.contains(words), "{to}: `{words}` is not in:\n{}", answer.err);
    }
    assert_eq!(folder.files(), before, "something was written");
    // The line itself is shown, with its number: one of those that were edited.
    let edited: Vec<&str> = to.lines().map(str::trim).filter(|l| !l.is_empty()).collect();
    let places = folder.read(file);
    let mut places = places.lines().enumerate().filter(|(_, l)| edited.iter().any(|e| l.contains(e)));
    let shown = places.any(|(n, _)| answer.err.contains(&format!("{file}:{}:", n + 1)));
    assert!(shown || edited.is_empty(), "{to}: no place in:\n{}", answer.err);
}

#[test]
fn every_wrong_line_gets_its_place_and_a_way_out() {
    let rig = |from, to, expect: &[&str]| complaint("rig.toml", from, to, expect);
    rig("cores = 4", "coers = 4", &["unknown key `coers`", "did you mean `cores`?"]);
    rig(
        "memory_gb = 16",
        "memory_mb = 16",
        &["unknown key `memory_mb`", "the unit is part of the key", "memory_gb"],
    );
    rig("rates_hz = [44100, 48000, 96000]", "rates_hz = [-48000]", &["-48000", "sample rate in hertz"]);
    rig("rates_hz = [44100, 48000, 96000]", "rates_hz = [0]", &["sample rate in hertz, such as 48000"]);
    rig("rates_hz = [44100, 48000, 96000]", "rates_hz = [\"48 kHz\"]", &["48 kHz", "the unit is in the key"]);
    rig("rates_hz = [44100, 48000, 96000]", "rates_hz = []", &["at least one rate"]);
    rig("core_speed = 1.3", "core_speed = nan", &["NaN", "expected"]);
    rig("core_speed = 1.3", "core_speed = inf", &["expected"]);
    rig("core_speed = 1.3", "paced_cost = [0, 1, 2]", &["how many times as dear"]);
    rig("core_speed = 1.3", "core_speed = \"fast\"", &["fast", "expected"]);
    rig("cores = 4", "cores = 0", &["from 1 to 1024 cores"]);
    rig("class = \"laptop\"", "class = \"toaster\"", &["no class of machine called `toaster`"]);
    rig("connection = \"thunderbolt\"", "connection = \"thunderbot\"", &["did you mean `thunderbolt`?"]);
    rig("model = \"asio\"", "model = \"aiso\"", &["driver model", "did you mean `asio`?"]);
    rig(
        "buffer_frames = 64,",
        "buffer_frames = 100,",
        &["does not offer the buffer `100`", "it offers: 32, 64"],
    );
    rig("in_frames = 19", "in_frames = [30, 19, 40]", &["rising order"]);
    rig(
        "buffers = { powers = [32, 2048] }",
        "buffers = { powers = [32, 2048], ms = [3] }",
        &["exactly one way"],
    );
    rig("buffers = { powers = [32, 2048] }", "buffers = { powers = [2048, 32] }", &["no buffer is offered"]);
    rig("sound = \"builtin\"", "sound = \"bultin\"", &["did you mean `builtin`?"]);
    rig("format = \"swiftloop.rig/1\"", "format = \"swiftloop.rig/2\"", &["version 2", "newer"]);
    rig(
        "format = \"swiftloop.rig/1\"",
        "format = \"swiftloop.session/1\"",
        &["this is a session file where a rig file belongs"],
    );
    rig("format = \"swiftloop.rig/1\"", "", &["`format` is missing", "swiftloop.rig/1"]);
    rig("cores = 4", "cores = 4 4", &["rig.toml:8"]);
    rig("model = \"asio\"", "model = \"ASOI\"", &["driver model", "did you mean `asio`?"]);
    rig("buffers = { powers = [32, 2048] }", "buffers = { powers = [48, 2048] }", &["48", "power"]);
    rig("rates_hz = [44100, 48000, 96000]", "rates_hz = 48000", &["write: rates_hz = [48000]"]);
    rig("open_inputs = 10", "open_inputs = 20", &["more inputs are open"]);

    let session = |from, to, expect: &[&str]| complaint("session.toml", from, to, expect);
    session("hears = [\"voice\"]", "hears = \"voice\"", &["write: hears = [\"voice\"]"]);
    session("cost = \"light\"", "cost = \"huge\"", &["light", "medium", "heavy", "extreme"]);
    session("to = \"singers\"", "to = \"singesr\"", &["no bus called `singesr`", "did you mean `singers`?"]);
    session("sends = [{ to = \"cue\" }]", "sends = [{ to = \"queue\" }]", &["no bus called `queue`"]);
    session(
        "hears = [\"voice\"]",
        "hears = [\"voce\"]",
        &["no track called `voce`", "did you mean `voice`?"],
    );
    session("hears = [\"voice\"]", "hears = [\"choir-1\"]", &["plays audio from disk"]);
    session("hears = [\"voice\"]", "hears = []", &["at least one track"]);
    session("id = \"singers\"", "id = \"singers\"\nto = \"singers\"", &["in a circle through bus `singers`"]);
    session("cost = \"light\"", "cost = \"lihgt\"", &["did you mean `light`?"]);
    session("cost = \"light\"", "cost = { per_call_ns = -5, per_frame_ns = 1 }", &["expected"]);
    session("oversampling = 2", "oversampling = 3", &["1, 2, 4, 8 or 16"]);
    session("kind = \"tracking\"", "kind = \"trakcing\"", &["did you mean `tracking`?"]);
    session("kind = \"tracking\"", "kind = \"tracking\"\ntarget_per_hour = 0", &["a target is above zero"]);
    session("kind = \"tracking\"", "kind = \"tracking\"\ntarget_per_hour = -1", &["a target is above zero"]);
    session("interfaces = [\"rack\"]", "interfaces = [\"rakc\"]", &["did you mean `rack`?"]);
    session("interfaces = [\"rack\"]", "interfaces = []", &["on no interface at all"]);
    session(
        "kind = \"tracking\"",
        "kind = \"tracking\"\ntarget_per_hour = 1e9",
        &["between a millionth and a million"],
    );
    session("cost = \"light\"", "cost = { per_call_ns = 5 }", &["expected a class"]);
    session(
        "cost = \"light\"",
        "cost = { per_call_ns = 5, per_frame_ns = 1, quiet = 7 }",
        &["expected a class"],
    );
    session(
        "cost = \"light\"",
        "cost = { per_call_ns = 5, per_frame_ns = 1, channels = 0 }",
        &["from 1 to 128"],
    );
    session(
        "cost = \"light\"",
        "cost = { per_call_ns = 5, per_frame_ns = 1, burst_ns = 900 }",
        &["a block of its own"],
    );
    session("cost = \"light\"", "cost = { per_call_ns = 5, per_frame_ns = 1e12 }", &["expected a class"]);
    session("precision = 64", "precision = 48", &["32 or 64 bits"]);
    session("id = \"fiddle\"", "id = \"voice\"", &["`voice` is taken"]);
    session("id = \"fiddle-eq\"", "id = \"voice-gate\"", &["two processors are called `voice-gate`"]);
    session("depth = 24", "depth = 20", &["16, 24 or 32 bits"]);
    session("low_delay_frames = 0", "low_delay_frames = 65", &["low-delay mode delays more"]);
    session("rate_hz = 48000", "rate_hz = 48000\nlimit_s = 3", &["unknown key `limit_s`"]);
    session("plays = \"voice\"", "plays = \"voise\"", &["did you mean `voice`?"]);
    session("keep = [\"voice-room\"", "keep = [\"voice-rom\"", &["did you mean `voice-room`?"]);
}

#[test]
fn a_cue_that_does_not_carry_the_performer_is_found() {
    complaint(
        "session.toml",
        "plays = \"voice\"",
        "plays = \"voice\"\ncue = \"strings\"",
        &["`strings` does not carry"],
    );
}

#[test]
fn files_that_are_no_descriptions() {
    let folder = Folder::with_demo();
    let plan = |rig: &str| folder.run(&["plan", rig, "session.toml"]);
    folder.write("empty.toml", "");
    folder.write("binary.toml", [0u8, 159, 146, 150]);
    folder.write("latin.toml", b"format = \"swiftloop.rig/1\"\nname = \"b\xf6at\"\n");
    std::fs::File::create(folder.path("huge.toml"))
        .and_then(|f| f.set_len(100_000_000))
        .expect("a sparse file");
    for (name, words) in [
        ("empty.toml", "the file is empty"),
        ("binary.toml", "binary file"),
        ("latin.toml", "line 2 is not UTF-8"),
        ("huge.toml", "100 MB large"),
        (".", "it is a folder"),
        ("nowhere.toml", "no such file"),
    ] {
        let answer = plan(name);
        assert_eq!(answer.code, 2, "{name}");
        assert!(answer.err.contains(words) && answer.err.contains("to do:"), "{name}: {}", answer.err);
    }
}

#[test]
fn a_rig_and_a_session_that_were_swapped_are_told_apart() {
    let folder = Folder::with_demo();
    let answer = folder.run(&["plan", "session.toml", "rig.toml"]);
    let flat = answer.err.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(answer.code == 2 && flat.contains("name the rig first, then the session"), "{flat}");
}

#[test]
fn words_that_everybody_understands_are_understood() {
    let folder = Folder::with_demo();
    for word in ["usb", "usb-c", "USB-C", "Thunderbolt"] {
        let answer = folder.run(&["try", "--driver", "ASIO", "--connection", word]);
        assert!(answer.code <= 1, "{word}: {}", answer.err);
    }
    folder.edit("rig.toml", "model = \"asio\"", "model = \"ASIO\"");
    let on = at("try", "rack", "overdub", &["--driver", "asio"]);
    assert!(folder.run(&on).code <= 1, "{}", folder.run(&on).err);
    let counted = "[[interface]]\nid = \"i\"\nconnection = \"usb\"\n[[interface.driver]]\nmodel = \"ALSA\"\nrates_hz = [48000]\n\
                   buffers = { blocks = { counts = [2, 3], frames = [128, 256] } }\n";
    assert_eq!(folder.run(&["new", "n", "--driver", "alsa"]).code, 0);
    let head = folder.read("n/rig.toml");
    let head = head.split("[[interface]]").next().expect("a machine");
    folder.write("n/rig.toml", format!("{head}{counted}"));
    for asked in ["3x256", "3*256", "3 × 256", "3 x 256"] {
        let answer =
            folder.run(&["try", "n/rig.toml", "n/session.toml", "--phase", "tracking", "--buffer", asked]);
        assert!(answer.code <= 1 && answer.out.contains("3 × 256"), "{asked}: {}", answer.err);
    }
}

#[test]
fn the_system_s_own_words_are_not_shown() {
    let folder = Folder::with_demo();
    for args in [
        &["plan", "no.toml", "session.toml"][..],
        &["plan", "rig.toml/x", "session.toml"],
        &["listen", "no.wav"],
        &["probe", "fit", "64=no.json"],
        &["plan", "rig.toml", "session.toml", "--svg", "no/x.svg"],
        &["new", "rig.toml/x"],
        &["soak", "--save", "no.toml"],
    ] {
        let answer = folder.run(args);
        assert!(answer.code == 2 && answer.err.contains("to do:"), "{args:?}: {}", answer.err);
        assert!(
            !answer.err.contains("os error") && !answer.err.contains("No such file or directory"),
            "{}",
            answer.err
        );
    }
}

#[test]
fn usage_is_explained() {
    let folder = Folder::with_demo();
    let tried = |more: &[&str]| {
        let answer = folder.run(&[&["try", "rig.toml", "session.toml"], more].concat());
        assert_eq!(answer.code, 2, "{more:?}: {}", answer.out);
        answer.err.split_whitespace().collect::<Vec<_>>().join(" ")
    };
    let on = ["--interface", "rack", "--phase", "overdub"];
    let with = |more: &[&'static str]| tried(&[&on[..], more].concat());
    assert!(tried(&[]).contains("which interface?"));
    assert!(tried(&["--interface", "rakc"]).contains("did you mean `rack`?"));
    assert!(with(&["--buffer", "100"]).contains("it offers: 32, 64"));
    assert!(with(&["--rate", "88200"]).contains("does not offer 88200 Hz"));
    assert!(with(&["--rate=-1"]).contains("sample rate in hertz"));
    assert!(with(&["--workers", "0"]).contains("zero workers"));
    assert!(with(&["--workers", "64"]).contains("on 4 cores"));
    assert!(with(&["--remedy", "bypas-main:main-eq"]).contains("did you mean `bypass-main:main-eq`?"));
    assert!(with(&["--remedy", "print:voice"]).contains("no remedy `print:voice` applies"));
    assert!(with(&["--roll", "32"]).contains("larger than the device's block"));
    assert!(with(&["--performer", "bo"]).contains("these do: ada"));
    assert!(folder.run(&["try", "rig.toml"]).code == 2);
    assert!(folder.run(&["try", "--driver", "asoi"]).err.contains("did you mean `asio`?"));
    assert!(folder.run(&["try", "--driver", "mme", "--buffer", "16"]).err.contains("does not run below"));
    assert!(
        folder.run(&["try", "--driver", "alsa", "--buffer", "12.5"]).err.contains("block size in frames")
    );
    assert!(
        folder.run(&["try", "--driver", "alsa", "--remedy", "x"]).err.contains("needs a rig and a session")
    );
    assert!(
        folder
            .run(&["plan", "rig.toml", "session.toml", "--phase", "mixnig"])
            .err
            .contains("did you mean `mixing`?")
    );
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever happens to a byte of a good file: an answer or a complaint, never a panic (checked by `run`).
    #[test]
    fn damaged_files_never_panic(at in any::<prop::sample::Index>(), length in 0usize..40, junk in "[ -~\\n]{0,8}", which in any::<bool>()) {
        let folder = Folder::with_demo();
        let name = if which { "rig.toml" } else { "session.toml" };
        let text: Vec<char> = folder.read(name).chars().collect();
        let start = at.index(text.len());
        let end = (start + length).min(text.len());
        let damaged: String = text[..start].iter().copied().chain(junk.chars()).chain(text[end..].iter().copied()).collect();
        folder.write(name, damaged);
        let answer = folder.run(&["plan", "rig.toml", "session.toml"]);
        prop_assert!(answer.code == 0 || answer.code == 1 || (answer.code == 2 && answer.err.contains("to do:")), "{}", answer.err);
    }
}

/// It is the system's fault and not that of what was asked: exit 3, and what to do about it.
#[test]
fn where_there_is_no_room_for_files_that_pass_that_is_said() {
    let folder = Folder::with_demo();
    let nowhere = [("TMPDIR", "/nowhere/at/all")];
    let mut commands = vec![vec!["demo"]];
    if cfg!(target_os = "linux") {
        commands.push(vec!["weigh", "--session", "session.toml"]);
        commands.push(vec!["weigh", "any.so"]);
    }
    for command in commands {
        let before = folder.files();
        let answer = folder.run_with(&command, &nowhere);
        assert_eq!(answer.code, 3, "{command:?}: {}{}", answer.out, answer.err);
        let flat = answer.err.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains("no temporary files in /nowhere/at/all"), "{command:?}: {}", answer.err);
        assert!(flat.contains("TMPDIR"), "{command:?}: {}", answer.err);
        assert_eq!(folder.files(), before, "{command:?} wrote something");
    }
}
