//! `survey`: read this computer or a copy of another, judge it, save what was found.

use crate::shared::failure::Failure;
use crate::shared::output::{answer, yes_or_no};
use crate::survey as view;
use crate::survey::options::SurveyOptions;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::survey::{Grade, findings};
use swiftloop_files::{Replace, save_surveyed, tables};
use swiftloop_host::look;
use swiftloop_host::survey::{is_copy, survey, survey_copy};

pub fn run(options: &SurveyOptions) -> Result<ExitCode, Failure> {
    let inventory = match &options.root {
        None => survey(),
        Some(root) if is_copy(root) => survey_copy(root),
        Some(root) => {
            return Err(Failure::usage(
                format!("{} holds no copy of a computer's files", root.display()),
                "make one on that computer with the script of: swiftloop collect linux|windows|macos",
            ));
        }
    };
    let disk_free_gb = options.root.is_none().then(|| look(Path::new(".")).disk_free_gb).flatten();
    let added = match &options.save {
        Some(path) if inventory.is_silent() => {
            return Err(Failure::machine(
                format!(
                    "no sound card and no server was found, so there is nothing to write into {}",
                    path.display()
                ),
                "connect the interface and look again, or begin with: swiftloop new",
            ));
        }
        Some(path) => {
            Some(save_surveyed(path, &inventory, disk_free_gb, &replaced(&options.replace), tables())?)
        }
        None => None,
    };
    let surveyed = view::Surveyed {
        inventory: &inventory,
        findings: findings(&inventory),
        root: options.root.as_deref(),
        saved: options.save.as_deref().zip(added.as_ref()),
    };
    let json = view::json(&surveyed)?;
    answer(&options.shown, |detail| view::show(&surveyed, detail), || json)?;
    if inventory.is_silent() {
        return Ok(ExitCode::from(3));
    }
    Ok(yes_or_no(surveyed.findings.iter().all(|f| f.grade != Grade::Severe)))
}

/// Which figures of an existing file give way.
fn replaced(keys: &[String]) -> Replace {
    match keys {
        [] => Replace::Nothing,
        keys if keys.iter().any(|k| k == "all") => Replace::All,
        keys => Replace::Keys(keys.to_vec()),
    }
}
