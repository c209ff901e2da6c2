//! What was seen: noted, kept, learned from; and what cannot be true is refused with its line.

use crate::common::Folder;

const SEEN: &str = "# by hand, at the boathouse\nformat = \"swiftloop.notes/1\"\n\n[[note]]   # after the first evening\ndate = \"2026-11-20\"\n\
                    phase = \"mixing\"\ninterface = \"rack\"\ndriver = \"asio\"\nrate_hz = 48000\nbuffer = \"2048\"\nmeter = 35\n";

fn note<'a>(more: &[&'a str]) -> Vec<&'a str> {
    [&["note", "rig.toml", "session.toml"], more].concat()
}

#[test]
fn a_note_is_added_and_what_was_written_by_hand_stays() {
    let folder = Folder::with_demo();
    folder.write("notes.toml", SEEN);
    let done = folder.run(&note(&["--phase", "show", "--minutes", "90", "--dropouts", "0"]));
    assert_eq!(done.code, 0, "{}", done.err);
    assert!(done.out.contains("Noted.") && done.out.contains("2 notes"), "{}", done.out);
    let text = folder.read("notes.toml");
    assert!(text.starts_with(SEEN.trim_end()), "{text}");
    for words in ["phase = \"show\"", "minutes = 90", "dropouts = 0", "remedies = [\"low-delay:voice-comp\""]
    {
        assert!(text.contains(words), "{words} is missing in:\n{text}");
    }
    // The plan says what both changed.
    let plan = folder.run(&["plan", "rig.toml", "session.toml"]).out;
    assert!(plan.contains("What your 2 notes changed"), "{plan}");
    assert!(plan.contains("Your meter says the session costs"), "{plan}");
}

#[test]
fn one_reading_of_a_meter_scales_what_is_assumed() {
    let folder = Folder::with_demo();
    let told = |meter: &str| {
        folder.run(&note(&["--phase", "mixing", "--meter", meter, "--date", "2026-11-01"]));
        let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
        std::fs::remove_file(folder.path("notes.toml")).expect("noted");
        let words = plan["notes"]["told"][0].as_str().expect("words").to_string();
        assert!(words.contains("what its classes say"), "{words}");
        let figure = words.split_whitespace().find_map(|w| w.parse::<f64>().ok());
        figure.unwrap_or_else(|| panic!("no figure in {words}"))
    };
    let (half, whole) = (told("40"), told("80"));
    // Twice as busy costs twice as much, but for what is no plug-in.
    assert!((1.7..2.6).contains(&(whole / half)), "{half} {whole}");
}

#[test]
fn what_a_performer_felt_counts_and_contradictions_are_named() {
    let folder = Folder::with_demo_in_reach();
    let felt = |word: &str| {
        SEEN.replace("mixing", "tracking").replace("meter = 35", &format!("felt = {{ eli = \"{word}\" }}"))
    };
    folder.write("notes.toml", felt("late"));
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml"]).code, 0);
    // The same at the same setting cannot be fine.
    let again = felt("fine");
    let second = &again[again.find("[[note]]").expect("a note")..];
    folder.write("notes.toml", format!("{}\n{second}", felt("late")));
    let both = folder.run(&["plan", "rig.toml", "session.toml"]);
    assert_eq!(both.code, 2, "{}", both.out);
    assert!(both.err.contains("felt otherwise at the same setting in note 1"), "{}", both.err);
    assert!(both.err.contains("notes.toml:20:"), "{}", both.err);
    // What next to no rig foretells is named, and the plan goes on.
    let folder = Folder::with_demo();
    let many = folder.run(&note(&["--phase", "mixing", "--minutes", "30", "--dropouts", "900"]));
    let flat = many.out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(many.code == 0 && flat.contains("does not go with the others"), "{}", many.out);
}

#[test]
fn impossible_notes_are_refused_with_their_line() {
    let folder = Folder::with_demo();
    for (from, to, line, says, todo) in [
        ("2026-11-20", "2031-01-01", 5, "has not come yet", "such as"),
        ("2026-11-20", "20.11.2026", 5, "is no date", "year-month-day"),
        ("\"mixing\"", "\"mixng\"", 6, "no phase called", "did you mean `mixing`?"),
        ("\"rack\"", "\"rak\"", 7, "no interface called", "did you mean `rack`?"),
        ("\"2048\"", "\"2000\"", 10, "does not offer the buffer", "it offers"),
        ("meter = 35", "meter = -3", 11, "does not show", "meter = 55"),
        ("meter = 35", "meter = 35\nmeter_peak = 20", 12, "less than the mean", "meter_peak = 80"),
        ("meter = 35", "minutes = 40", 11, "how many dropouts", "dropouts = 0"),
        ("meter = 35", "dropouts = 4", 11, "in what time", "minutes = 40"),
        ("meter = 35", "minutes = 1\ndropouts = 99999", 12, "more than a hundred a second", "dropouts = 2"),
        ("meter = 35", "felt = { bob = \"late\" }", 11, "no performer", "did you mean `bo`?"),
        ("meter = 35", "felt = { ada = \"slow\" }", 11, "unknown word", "late"),
        ("meter = 35", "metre = 35", 11, "unknown key", "`meter`"),
    ] {
        folder.write("notes.toml", SEEN.replace(from, to));
        let refused = folder.run(&["plan", "rig.toml", "session.toml"]);
        assert_eq!(refused.code, 2, "{to}: {}", refused.out);
        let place = format!("notes.toml:{line}:");
        assert!(refused.err.contains(&place), "{to}: {place} is not in\n{}", refused.err);
        let flat = refused.err.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(says) && flat.contains(todo), "{to}: {}", refused.err);
    }
}

#[test]
fn limits_in_the_wrong_order_are_refused_with_their_line() {
    let folder = Folder::with_demo_in_reach();
    let text = folder.read("session.toml");
    let line = text.lines().position(|l| l.starts_with("limit_ms")).expect("a limit") + 1;
    for (wrong, says) in
        [("[9, 6]", "the smaller one"), ("[6, 9, 12]", "one figure or two"), ("-4", "above zero")]
    {
        folder.write("session.toml", text.replace("limit_ms = [6, 9]", &format!("limit_ms = {wrong}")));
        let refused = folder.run(&["plan", "rig.toml", "session.toml"]);
        assert_eq!(refused.code, 2, "{wrong}");
        assert!(refused.err.contains(&format!("session.toml:{line}:")), "{wrong}: {}", refused.err);
        let flat = refused.err.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(says) && flat.contains("such as"), "{wrong}: {}", refused.err);
    }
    folder.write("session.toml", text.replace("limit_ms = [6, 9]", "limit_ms = 9"));
    assert_eq!(folder.run(&["plan", "rig.toml", "session.toml"]).code, 0);
}

#[test]
fn a_note_that_says_nothing_or_nonsense_is_refused_and_nothing_is_written() {
    let folder = Folder::with_demo();
    for (args, says) in [
        (&["--phase", "mixing"][..], "what was seen?"),
        (&["--phase", "mixing", "--felt", "ada"], "does not say what somebody felt"),
        (&["--phase", "mixing", "--felt", "ada=late"], "there is no performer in this phase"),
        (&["--phase", "mixing", "--minutes", "40"], "--dropouts"),
        (&["--phase", "mixing", "--meter", "0"], "does not show"),
        (&["--phase", "mixing", "--meter", "50", "--date", "2099-01-01"], "has not come yet"),
        (&["--phase", "mixing", "--meter", "50", "--buffer", "77"], "does not offer the buffer"),
        (&["--phase", "nothing", "--meter", "50"], "nothing"),
    ] {
        let refused = folder.run(&note(args));
        assert_eq!(refused.code, 2, "{args:?}: {}", refused.out);
        let flat = refused.err.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(flat.contains(says), "{args:?}: {}", refused.err);
        assert!(!folder.files().contains(&"notes.toml".into()), "{args:?}");
    }
}
