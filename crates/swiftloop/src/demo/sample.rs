//! The sample session as it is inside the program: descriptions, and the rig after it was soaked.

use super::recordings;
use crate::demo::text::written;
use crate::shared::answer::Files;
use crate::shared::failure::Failure;
use crate::shared::output::print;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::rig::{PowerPlan, Rig};
use swiftloop_core::session::Session;
use swiftloop_core::soak::{Provenance, learn};
use swiftloop_files::import::project_archive;
use swiftloop_files::{FileError, Overwrite, rig_from, save, save_all, session_from, tables, with_profile};
use swiftloop_host::simulated::tidy_laptop;

/// The sample files: name and content.
const FILES: [(&str, &str); 2] = [
    ("rig.toml", include_str!("../../demo/rig.toml")),
    ("session.toml", include_str!("../../demo/session.toml")),
];

/// The way to Fay's loft as it was measured. (Two computers of ours, with an uneven line between them.)
const LINK: (&str, &str) = ("loft-link.json", include_str!("../../demo/loft-link.json"));

/// Writes what the rig names beside it into a folder: whoever reads the rig reads that, too.
pub fn write_beside(dir: &Path, overwrite: Overwrite) -> Result<(), Failure> {
    Ok(save(&dir.join(LINK.0), LINK.1.as_bytes(), overwrite)?)
}

/// The rig with a measured profile.
pub const SOAKED: &str = "rig-soaked.toml";

/// As they are named in commands.
pub fn files() -> Files {
    Files { rig: FILES[0].0.into(), session: FILES[1].0.into(), catalogue: None }
}

/// The rig after the desk box was measured through a cable.
pub const PROBED: &str = "rig-probed.toml";

/// The sample session after the desk box was measured.
pub fn opened_probed(dir: &Path) -> Result<(Rig, Session), Failure> {
    with_rig(dir, &probed_rig())
}

/// The rig with the round trip of the desk box at its shortest speed. (An interface that is not there was measured.)
fn probed_rig() -> String {
    const SPEEDS: &str = "buffers = { speeds = [\"brisk\", \"easy\", \"unhurried\", \"slow\"] }\n";
    let measured =
        "measured = [{ rate_hz = 48000, speed = \"brisk\", round_trip_frames = [263, 264, 266] }]\n";
    FILES[0].1.replace(SPEEDS, &format!("{SPEEDS}{measured}"))
}

/// The sample rig and session; what the rig names lies in a folder.
pub fn opened(dir: &Path) -> Result<(Rig, Session), Failure> {
    with_rig(dir, FILES[0].1)
}

/// The sample session on the laptop after it was soaked.
pub fn opened_soaked(dir: &Path) -> Result<(Rig, Session), Failure> {
    with_rig(dir, &soaked_rig(dir)?)
}

/// The sample session with what was weighed, as if their laptop were this computer.
#[cfg(target_os = "linux")]
pub fn opened_weighed(
    dir: &Path,
    known: &swiftloop_core::catalogue::Catalogue,
) -> Result<(Rig, Session), Failure> {
    let processor = quoted_text(&swiftloop_host::processor_name());
    let rig = FILES[0].1.replacen("[machine]\n", &format!("[machine]\nprocessor = {processor}\n"), 1);
    let rig = rig_from(&name_in(dir), &rig, tables())?;
    let (session, _) = swiftloop_files::session_weighed_from(FILES[1].0, FILES[1].1, &rig, tables(), known)?;
    Ok((rig, session))
}

/// A text in quotation marks, as JSON writes it and TOML reads it.
#[cfg(target_os = "linux")]
fn quoted_text(text: &str) -> String {
    serde_json::Value::from(text).to_string()
}

/// The rig as it is called where it lies.
fn name_in(dir: &Path) -> String {
    dir.join(FILES[0].0).display().to_string()
}

fn with_rig(dir: &Path, rig: &str) -> Result<(Rig, Session), Failure> {
    let rig = rig_from(&name_in(dir), rig, tables())?;
    let session = session_from(FILES[1].0, FILES[1].1, &rig, tables())?;
    Ok((rig, session))
}

/// The rig after the machine was soaked. (A machine that is not there lived through it; its delays come from a seed.)
fn soaked_rig(dir: &Path) -> Result<String, Failure> {
    let about = Provenance {
        date: "2026-11-21".into(),
        power: Some(PowerPlan::Performance),
        clocks: Some("performance".into()),
        kernel: Some("made up".into()),
        realtime: true,
        ..Provenance::default()
    };
    let profile = learn(&tidy_laptop(200_000, 1911), &about)
        .ok_or_else(|| Failure::usage("the demo's soak heard too little", "please report this"))?;
    Ok(with_profile(&dir.join(FILES[0].0), FILES[0].1, tables(), &profile)?)
}

/// What the kernel did while the mix was played. (A computer of ours, on which packets were sent at certain times.)
/// The project of the folk session, as its software might describe it.
const PROJECT: &str = include_str!("../../demo/boathouse-project.xml");

/// The project as an archive saved for exchange.
pub fn boathouse() -> Vec<u8> {
    project_archive(PROJECT)
}

pub const TRACE: (&str, &str) = ("mixing.trace.txt", include_str!("../../demo/mixing.trace.txt"));

/// What their laptop tells of itself, as the script of `collect` copies it. (Made up.)
pub const LAPTOP: &str = "boathouse-laptop";
const LAPTOP_FILES: [(&str, &str); 7] = [
    ("system.json", include_str!("../../demo/computers/boathouse-laptop/windows/system.json")),
    ("sound.txt", include_str!("../../demo/computers/boathouse-laptop/windows/sound.txt")),
    ("power.txt", include_str!("../../demo/computers/boathouse-laptop/windows/power.txt")),
    ("asio.txt", include_str!("../../demo/computers/boathouse-laptop/windows/asio.txt")),
    ("devices.json", include_str!("../../demo/computers/boathouse-laptop/windows/devices.json")),
    ("drivers.json", include_str!("../../demo/computers/boathouse-laptop/windows/drivers.json")),
    ("programs.json", include_str!("../../demo/computers/boathouse-laptop/windows/programs.json")),
];

/// Writes the copy of the laptop into a folder.
pub fn write_laptop(dir: &Path, overwrite: Overwrite) -> Result<(), Failure> {
    let files = LAPTOP_FILES.map(|(name, content)| (name, content.to_string()));
    Ok(save_all(&dir.join(LAPTOP).join("windows"), &files, overwrite)?)
}

/// The session as its software saved it for others.
pub const ARCHIVE: &str = "boathouse.dawproject";

/// Writes all of it into a folder.
pub fn write(dir: &Path, force: bool) -> Result<ExitCode, Failure> {
    let overwrite = Overwrite::forced(force);
    let taken = recordings::NAMES
        .iter()
        .chain([&ARCHIVE, &TRACE.0, &LAPTOP, &LINK.0])
        .map(|name| dir.join(name))
        .find(|p| p.symlink_metadata().is_ok());
    if let (Overwrite::Refuse, Some(path)) = (overwrite, taken) {
        return Err(FileError::Exists { path }.into());
    }
    // What exists already is found before anything is written.
    for name in FILES.iter().map(|f| f.0).chain([PROBED, SOAKED]) {
        let path = dir.join(name);
        if overwrite == Overwrite::Refuse && path.symlink_metadata().is_ok() {
            return Err(FileError::Exists { path }.into());
        }
    }
    save_all(dir, &[(LINK.0, LINK.1.to_string())], overwrite)?;
    let [rig, session] = FILES.map(|(name, content)| (name, content.to_string()));
    save_all(dir, &[rig, session, (PROBED, probed_rig()), (SOAKED, soaked_rig(dir)?)], overwrite)?;
    save(&dir.join(ARCHIVE), &boathouse(), overwrite)?;
    save(&dir.join(TRACE.0), TRACE.1.as_bytes(), overwrite)?;
    write_laptop(dir, overwrite)?;
    recordings::write(dir, &recordings::NAMES, overwrite)?;
    let others: Vec<&str> =
        [PROBED, ARCHIVE, TRACE.0, LAPTOP, LINK.0].into_iter().chain(recordings::NAMES).collect();
    print(&written(dir, SOAKED, &others))
}
