//! `import`: a session read from where the software keeps it; into a new file, or into the one that is there.

use crate::import::options::ImportOptions;
use crate::import::text as view;
use crate::shared::failure::Failure;
use crate::shared::output::answer;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use swiftloop_files::import::{merged, read_source};
use swiftloop_files::{Overwrite, read_text, save};

pub fn run(options: &ImportOptions) -> Result<ExitCode, Failure> {
    let found = read_source(&options.source)?;
    let record = record_of(&options.into);
    let there = if options.force { None } else { text_of(&options.into)? };
    let last = if there.is_some() { text_of(&record)? } else { None };
    let merged =
        merged(&found, there.as_deref().map(|text| (options.into.as_path(), text)), last.as_deref())?;
    // Whichever is written first is harmless without the other: a session whose record is older takes the same changes once more; a
    // record without a session is written over.
    let session = || save(&options.into, merged.session.as_bytes(), Overwrite::Allow);
    let written = || save(&record, merged.written.as_bytes(), Overwrite::Allow);
    if there.is_some() {
        session().and_then(|()| written())?
    } else {
        written().and_then(|()| session())?
    }
    let imported = view::Imported {
        found: &found,
        merged: &merged,
        into: &options.into,
        rig: options.rig.as_deref(),
        is_new: there.is_none(),
    };
    answer(&options.shown, |detail| imported.show(detail), || imported.json())?;
    Ok(ExitCode::SUCCESS)
}

/// Where an import keeps what it wrote.
fn record_of(session: &Path) -> PathBuf {
    session.with_extension("imported.toml")
}

fn text_of(path: &Path) -> Result<Option<String>, Failure> {
    if path.symlink_metadata().is_err() {
        return Ok(None);
    }
    Ok(Some(read_text(path)?))
}
