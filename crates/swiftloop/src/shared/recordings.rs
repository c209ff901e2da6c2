//! A recording held against what was played.

use crate::shared::failure::Failure;
use std::path::Path;
use swiftloop_files::{FileError, Recording};
use swiftloop_measure::listen;
use swiftloop_measure::listen::RecordingComparison;
use swiftloop_measure::listen::against::Failed;

/// What the recording changed.
pub fn against(
    recording: &Recording,
    original: &Recording,
    path: &Path,
) -> Result<RecordingComparison, Failure> {
    listen::compare(recording, original).map_err(|failed: Failed<FileError, FileError>| match failed {
        Failed::Recording(e) | Failed::Original(e) => e.into(),
        Failed::Refused(why) => Failure::refused(path.display(), &why),
    })
}
