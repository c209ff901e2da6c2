//! Saving: the whole file or nothing, never over an existing one unless asked. Schemas fit the demo's shape.

use swiftloop_core::contradiction::DriverContradiction;
use swiftloop_files::{
    FileError, FileReason, Overwrite, rig_from, rig_schema, save, session_from, session_schema, tables,
};
use swiftloop_fixtures::sessions::{self, Size};
use swiftloop_units::Hz;

#[test]
fn an_existing_file_is_kept_unless_asked() {
    let dir = tempfile::tempdir().expect("a folder");
    let path = dir.path().join("rig.toml");
    save(&path, b"first", Overwrite::Refuse).expect("new");
    assert!(matches!(save(&path, b"second", Overwrite::Refuse), Err(FileError::Exists { .. })));
    assert_eq!(std::fs::read(&path).expect("still there"), b"first");
    save(&path, b"third", Overwrite::Allow).expect("asked for");
    assert_eq!(std::fs::read(&path).expect("replaced"), b"third");
    let names = std::fs::read_dir(dir.path()).expect("a folder").count();
    assert_eq!(names, 1, "a temporary file was left behind");
}

#[test]
fn what_is_there_already_just_so_is_no_error_where_that_is_meant() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("probe.wav");
    save(&path, b"sound", Overwrite::RefuseOther).unwrap();
    save(&path, b"sound", Overwrite::RefuseOther).unwrap();
    for other in [&b"other"[..], b"longer than it", b""] {
        assert!(matches!(save(&path, other, Overwrite::RefuseOther), Err(FileError::Exists { .. })));
    }
    assert!(matches!(save(&path, b"sound", Overwrite::Refuse), Err(FileError::Exists { .. })));
    assert!(matches!(save(folder.path(), b"", Overwrite::RefuseOther), Err(FileError::Exists { .. })));
    assert_eq!(std::fs::read(&path).unwrap(), b"sound");
}

#[test]
fn what_cannot_be_written_leaves_nothing() {
    let dir = tempfile::tempdir().expect("a folder");
    let missing = dir.path().join("no").join("rig.toml");
    let error = save(&missing, b"x", Overwrite::Refuse).expect_err("no such folder");
    assert!(matches!(error, FileError::Unwritable { .. }));
    assert!(save(dir.path(), b"x", Overwrite::Allow).is_err());
    assert_eq!(std::fs::read_dir(dir.path()).expect("a folder").count(), 0);
}

#[test]
fn generated_files_of_any_size_are_read() {
    for tracks in [1, 10, 77] {
        let size = Size { tracks, processors: 3, interfaces: 2, phases: 7, remedies: 5 };
        let size = Size { tracks: size.tracks.max(3), ..size };
        let rig = rig_from("rig", &sessions::rig(size), tables()).expect("a rig");
        let session = session_from("session", &sessions::session(size), &rig, tables()).expect("a session");
        assert_eq!((rig.interfaces.len(), session.tracks.len(), session.phases.len()), (2, size.tracks, 7));
    }
}

#[test]
fn schemas_know_the_keys_and_refuse_others() {
    for (schema, keys) in [
        (rig_schema(), &["format", "machine", "interface", "place", "program", "far", "meeting"][..]),
        (session_schema(), &["format", "deliver", "engine", "track", "bus", "main", "performer", "phase"]),
    ] {
        let known = schema["properties"].as_object().expect("properties");
        assert_eq!(known.len(), keys.len() + 1, "{:?}", known.keys()); // and name
        assert!(keys.iter().all(|k| known.contains_key(*k)));
        assert_eq!(schema["additionalProperties"], false);
    }
}

#[test]
fn errors_say_where() {
    let place = |text: &str| match rig_from("rig.toml", text, tables()) {
        Err(FileError::Wrong { span: Some(span), reason, .. }) => (text[span].to_string(), reason),
        other => panic!("{other:?}"),
    };
    let machine = "[machine]\ncores = 4\nmemory_gb = 8\ndisk_mb_per_s = 100\ndisk_free_gb = 10\n";
    let rig = |more: &str| format!("format = \"swiftloop.rig/1\"\n{machine}{more}");
    let interface = "[[interface]]\nid = \"a\"\nconnection = \"usb2\"\n";
    assert_eq!(place(&rig(&format!("{interface}colour = 3\n"))).0, "colour");
    assert_eq!(place(&rig(&format!("{interface}[[interface.driver]]\nmodel = \"x\"\nrates_hz = [48000]\nbuffers = {{ powers = [32, 64] }}\n"))).0, "\"x\"");
    let driver =
        "[[interface.driver]]\nmodel = \"asio\"\nrates_hz = [48000]\nbuffers = { powers = [32, 64] }\n";
    let wrong = format!(
        "{interface}{driver}measured = [{{ rate_hz = 44100, buffer_frames = 64, round_trip_frames = 9 }}]\n"
    );
    let (bytes, reason) = place(&rig(&wrong));
    let not_offered =
        DriverContradiction::RateNotOffered { rate: Hz::new(44_100), offered: vec![Hz::new(48_000)] };
    let told = matches!(&reason, FileReason::Contradicts(why) if **why == not_offered.into());
    assert!(bytes.contains("44100") && told, "{bytes} {reason:?}");
    assert_eq!(place(&rig(&format!("{interface}{driver}{interface}{driver}"))).0, "\"a\"");
    let (_, unclosed) = place("format = \"swiftloop.rig/1\"\nx = [1, 2\n");
    assert!(matches!(unclosed, FileReason::Said { what, help } if !what.is_empty() && !help.is_empty()));
}
