//! The room in which rig files are changed: only the edit is in the file afterwards, whatever the file looked like, and
//! nothing is lost to another writer.

use std::fs;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::path::{Path, PathBuf};
use swiftloop_core::rig::{MeasuredTrip, Rig, WakeProfile};
use swiftloop_core::soak::{Provenance, Samples, ValueCounts, learn};
use swiftloop_files::{
    FileError, NewTrip, check_profile_fits, read_rig, save_profile, save_trips, tables, with_profile,
};
use swiftloop_units::{Block, Frames, Hz, Range};
use tempfile::TempDir;

const RIG: &str = "# mine\nformat = \"swiftloop.rig/1\"   # and a remark\n\n[machine]\ncores = 4 # four\nmemory_gb = 16\n\
                   disk_mb_per_s = 400\ndisk_free_gb = 90\n\n[[interface]]\nid = \"box\"\nconnection = \"usb2\"\n\n\
                   [[interface.driver]]\nmodel = \"alsa\"   # the usual\nrates_hz = [44100, 48000]\nbuffers = { powers = [32, 1024] }\n";

fn trip(buffer: u32, frames: f64) -> NewTrip {
    NewTrip {
        interface: "box".into(),
        driver: "ALSA".into(),
        trip: MeasuredTrip {
            blocks: None,
            rate_hz: Hz::new(48_000),
            buffer_frames: Some(Block::new(buffer)),
            speed: None,
            round_trip_frames: Range::spanning(
                Frames::new(frames - 0.4),
                Frames::new(frames),
                Frames::new(frames + 0.1),
            ),
        },
    }
}

fn profile(date: &str) -> WakeProfile {
    let mut random = fastrand::Rng::with_seed(5);
    let delays = (0..2000).map(|_| (5.0 - 20.0 * (1.0 - random.f64()).ln(), 1)).collect::<Vec<_>>();
    let heard = Samples { wakes: ValueCounts::new(delays), ..Samples::default() };
    learn(&heard, &Provenance { date: date.into(), ..Provenance::default() }).unwrap()
}

fn file(text: &str) -> (TempDir, PathBuf) {
    let dir = tempfile::tempdir().unwrap();
    let path = dir.path().join("rig.toml");
    fs::write(&path, text).unwrap();
    (dir, path)
}

fn rig(path: &Path) -> Rig {
    read_rig(path, tables()).unwrap_or_else(|e| panic!("{e:?}\n{}", fs::read_to_string(path).unwrap()))
}

/// Every line of `before` still stands, in order.
fn untouched(before: &str, after: &str) {
    let mut rest = after.lines();
    for line in before.lines() {
        assert!(rest.any(|l| l == line), "`{line}` is gone or moved:\n{after}");
    }
}

#[test]
fn measured_trips_join_a_rig_written_by_hand_without_touching_it() {
    for (form, entries) in [
        ("", 1),
        ("measured = [{ rate_hz = 48000, buffer_frames = 64, round_trip_frames = 200 }]  # old\n", 1),
        ("[[interface.driver.measured]]\nrate_hz = 44100\nbuffer_frames = 64\nround_trip_frames = 200\n", 2),
    ] {
        let (_dir, path) = file(&format!("{RIG}{form}"));
        save_trips(&path, tables(), &[trip(64, 232.4)]).unwrap();
        untouched(RIG, &fs::read_to_string(&path).unwrap());
        let rig = rig(&path);
        let measured = &rig.interface(0.into()).drivers[0].measured;
        assert_eq!(measured.len(), entries);
        let new = measured.iter().find(|m| m.rate_hz == Hz::new(48_000)).unwrap();
        assert!((new.round_trip_frames.typical().raw() - 232.4).abs() < 1e-3);
    }
    let (_dir, path) = file(RIG);
    let other = NewTrip { driver: "asio".into(), ..trip(64, 232.4) };
    assert!(matches!(save_trips(&path, tables(), &[other]), Err(FileError::Misfit { .. })));
    assert_eq!(fs::read_to_string(&path).unwrap(), RIG);
}

#[test]
fn a_machine_on_one_line_takes_a_profile() {
    let one_line = RIG.replace(
        "[machine]\ncores = 4 # four\nmemory_gb = 16\ndisk_mb_per_s = 400\ndisk_free_gb = 90\n",
        "machine = { cores = 4, memory_gb = 16, disk_mb_per_s = 400, disk_free_gb = 90 }\n",
    );
    let dotted =
        RIG.replace("[machine]\ncores = 4 # four\nmemory_gb", "machine.cores = 4\nmachine.memory_gb");
    let dotted = dotted.replace("\ndisk_", "\nmachine.disk_");
    for text in [one_line, dotted] {
        let (_dir, path) = file(&text);
        check_profile_fits(&path, tables()).unwrap();
        for date in ["2026-11-20", "2026-11-21"] {
            save_profile(&path, tables(), &profile(date)).unwrap();
        }
        let rig = rig(&path);
        assert_eq!(rig.machine.wake.as_ref().unwrap().date, "2026-11-21");
        assert_eq!(rig.machine.earlier_wake.len(), 1);
    }
}

#[test]
fn links_modes_line_ends_and_marks_stay() {
    let (dir, path) = file(&format!("\u{feff}{}", RIG.replace('\n', "\r\n")));
    fs::set_permissions(&path, fs::Permissions::from_mode(0o600)).unwrap();
    let link = dir.path().join("link.toml");
    symlink("rig.toml", &link).unwrap();
    save_profile(&link, tables(), &profile("2026-11-20")).unwrap();
    save_trips(&link, tables(), &[trip(64, 232.4)]).unwrap();
    assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
    assert_eq!(fs::metadata(&path).unwrap().mode() & 0o777, 0o600);
    let text = fs::read_to_string(&path).unwrap();
    assert!(text.starts_with('\u{feff}') && !text.replace("\r\n", "").contains('\n'), "{text:?}");
    assert!(rig(&path).machine.wake.is_some());
    assert_eq!(fs::read_dir(dir.path()).unwrap().count(), 2, "something was left behind");
}

#[test]
fn two_writers_at_once_lose_nothing() {
    let (_dir, path) = file(RIG);
    std::thread::scope(|scope| {
        for (buffer, frames) in [(64, 232.0), (128, 424.0), (256, 808.0), (512, 1576.0)] {
            let path = &path;
            scope.spawn(move || save_trips(path, tables(), &[trip(buffer, frames)]).unwrap());
        }
        scope.spawn(|| save_profile(&path, tables(), &profile("2026-11-20")).unwrap());
    });
    let rig = rig(&path);
    assert_eq!(rig.interface(0.into()).drivers[0].measured.len(), 4);
    assert!(rig.machine.wake.is_some());
}

#[test]
fn trips_that_contradict_those_in_the_file_are_refused_and_nothing_changes() {
    let (_dir, path) = file(RIG);
    save_trips(&path, tables(), &[trip(64, 232.4)]).unwrap();
    let before = fs::read_to_string(&path).unwrap();
    let refused = save_trips(&path, tables(), &[trip(256, 100.0)]);
    assert!(matches!(refused, Err(FileError::Misfit { .. })), "{refused:?}");
    assert_eq!(fs::read_to_string(&path).unwrap(), before);
}

#[test]
fn errors_are_in_lines_that_the_user_has() {
    let broken = RIG.replace("cores = 4", "coers = 4");
    let Err(FileError::Wrong { span: Some(span), .. }) =
        with_profile(Path::new("rig.toml"), &broken, tables(), &profile("2026-11-20"))
    else {
        panic!("a wrong key")
    };
    assert_eq!(&broken[span], "coers");
}
