//! Advice: every warning comes when it is due, and goes when what it asks for is done.

use crate::common::{EXACT_RIG, HZ, context, rig, session, singer};
use swiftloop_core::advice::{Warning, recording_mb_per_minute, slow_on_live_path, warnings};
use swiftloop_core::rig::{Offered, Setting};
use swiftloop_units::{Block, Frames};

fn codes(rig_text: &str, session_text: &str) -> Vec<&'static str> {
    let rig = rig(rig_text);
    let session = session(session_text, &rig);
    let buffer = rig.interfaces[0].drivers[0].buffers.offered(HZ).remove(0);
    let setting = Setting { interface: 0.into(), driver: 0.into(), rate: HZ, buffer };
    warnings(&context(&rig, &session), &setting, 0.into()).iter().map(Warning::code).collect()
}

/// `code` comes with the edited files and not without.
fn due(code: &str, rig_edit: (&str, &str), session_edit: (&str, &str)) {
    let (plain_rig, plain_session) = (EXACT_RIG.to_string(), singer("", ""));
    assert!(
        plain_rig.contains(rig_edit.0) && plain_session.contains(session_edit.0),
        "{code}: nothing to edit"
    );
    let calm = codes(&plain_rig, &plain_session);
    assert!(!calm.contains(&code), "{code} without cause: {calm:?}");
    let edited = codes(
        &plain_rig.replace(rig_edit.0, rig_edit.1),
        &plain_session.replace(session_edit.0, session_edit.1),
    );
    assert!(edited.contains(&code), "{code} is missing: {edited:?}");
}

const SAME: (&str, &str) = ("", "");

#[test]
fn a_good_rig_and_session_have_nothing_to_warn_of() {
    assert!(codes(EXACT_RIG, &singer("", "")).is_empty());
}

#[test]
fn warnings_come_when_due() {
    let rate =
        "[[place]]\nname = \"panel\"\nkind = \"panel\"\ninterface = \"box\"\nrate_hz = 44100\n[[interface]]";
    due("rate-disagrees", ("[[interface]]", rate), SAME);
    due("two-clocks", ("id = \"box\"", "id = \"box\"\ndevices = \"separate\""), SAME);
    due("power-plan", ("\"performance\"", "\"balanced\""), SAME);
    due("hub", ("id = \"box\"", "id = \"box\"\nhub = true"), SAME);
    due("not-for-playing", ("model = \"jack\"", "model = \"mme\""), SAME);
    due("open-channels", ("id = \"box\"", "id = \"box\"\nchannels = { inputs = 16, outputs = 2 }"), SAME);
    due(
        "unlabelled-speed",
        ("buffers = { powers = [32, 2048] }", "buffers = { speeds = [\"brisk\"] }"),
        SAME,
    );
    due(
        "disk-space",
        ("disk_free_gb = 100", "disk_free_gb = 0.1"),
        ("kind = \"tracking\"", "kind = \"tracking\", minutes = 60"),
    );
    due("depth-not-offered", ("model = \"jack\"", "model = \"jack\"\ndepths = [16]"), SAME);
    due("memory", ("memory_gb = 16", "memory_gb = 2"), SAME);
    due("heard-twice", SAME, ("\"headphones\"", "\"direct\""));
    due(
        "main-delays",
        SAME,
        (
            "main = { processor = [",
            "main = { processor = [{ id = \"l\", latency_frames = 9, cost = \"light\" }",
        ),
    );
    due("muted-computes", SAME, ("id = \"voice\",", "id = \"voice\", muted = true,"));
    due(
        "off-but-loaded",
        SAME,
        ("main = { processor = [", "main = { processor = [{ id = \"l\", state = \"off\" }"),
    );
    due("network-not-counted", SAME, ("kind = \"tracking\"", "kind = \"remote\""));
    let program = "[[program]]\nid = \"capture\"\nsound = \"box\"\n[[interface]]";
    let exclusive =
        EXACT_RIG.replace("[[interface]]\n", &format!("{program}\n")).replace("\"jack\"", "\"alsa\"");
    assert!(codes(&exclusive, &singer("", "")).contains(&"locked-out"));
    assert!(!codes(&exclusive.replace("\"alsa\"", "\"pipewire\""), &singer("", "")).contains(&"locked-out"));
}

#[test]
fn what_is_cured_is_not_warned_of() {
    let separate =
        EXACT_RIG.replace("id = \"box\"", "id = \"box\"\ndevices = \"separate\"\nclock = \"word-clock\"");
    assert!(codes(&separate, &singer("", "")).is_empty());
    let silent = singer("", "")
        .replace("\"headphones\"", "\"direct\"")
        .replace("id = \"voice\",", "id = \"voice\", monitor = \"never\",");
    assert!(codes(EXACT_RIG, &silent).is_empty());
    let measured = EXACT_RIG.replace(
        "buffers = { powers = [32, 2048] }",
        "buffers = { speeds = [\"brisk\"] }\nmeasured = [{ rate_hz = 48000, speed = \"brisk\", round_trip_frames = 300 }]",
    );
    assert!(codes(&measured, &singer("", "")).is_empty());
}

#[test]
fn the_live_path_lists_the_worst_first() {
    let rig = rig(EXACT_RIG);
    let session = session(
        &singer(
            r#"{ id = "a", latency_frames = 30, cost = "light" }, { id = "b", latency_frames = 900, low_delay_frames = 64, cost = "light" }"#,
            r#"{ id = "c", latency_frames = 200, cost = "light" }"#,
        ),
        &rig,
    );
    let all = slow_on_live_path(&context(&rig, &session), 0.into(), HZ);
    let told: Vec<(&str, f64, Option<Frames>, bool)> = all
        .iter()
        .map(|p| (session.processor(p.processor).id.as_str(), p.latency.raw(), p.low_delay, p.over_threshold))
        .collect();
    assert_eq!(
        told,
        [("b", 900.0, Some(Frames::new(64.0)), true), ("c", 200.0, None, true), ("a", 30.0, None, false)]
    );
}

#[test]
fn a_minute_of_recording_is_channels_times_rate_times_depth() {
    let rig = rig(EXACT_RIG);
    let session = session(&singer("", "").replace("id = \"voice\",", "id = \"voice\", channels = 2,"), &rig);
    let setting =
        Setting { interface: 0.into(), driver: 0.into(), rate: HZ, buffer: Offered::plain(Block::new(64)) };
    let mb = recording_mb_per_minute(&context(&rig, &session), &setting, &session.phases[0]);
    assert!((mb - 2.0 * 48_000.0 * 3.0 * 60.0 / 1e6).abs() < 1e-9);
}
