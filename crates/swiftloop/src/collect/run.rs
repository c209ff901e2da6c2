//! `collect`: the script that copies what another computer tells of itself.

use crate::collect::options::{CollectOptions, SystemOf};
use crate::shared::failure::Failure;
use crate::shared::output::{print, raw};
use crate::shared::page::{command, title, wrapped};
use std::process::ExitCode;
use swiftloop_files::{Overwrite, save};
use swiftloop_host::survey::{LINUX, MACOS, WINDOWS};

pub fn run(options: &CollectOptions) -> Result<ExitCode, Failure> {
    let (script, how) = match options.system {
        SystemOf::Linux => (LINUX, "sh collect.sh"),
        SystemOf::Windows => (WINDOWS, "powershell -ExecutionPolicy Bypass -File collect.ps1"),
        SystemOf::Macos => (MACOS, "sh collect.sh"),
    };
    let Some(file) = &options.out else { return raw(script.as_bytes()) };
    save(file, script.as_bytes(), Overwrite::forced(options.force))?;
    let mut text = wrapped(
        "",
        &format!(
            "Written to {}. It lists at its head what it reads, changes nothing and sends nothing: it leaves a folder \
             copy-NAME beside it.",
            file.display()
        ),
    );
    text.push_str(&title("On the other computer"));
    text.push_str(&command(how));
    text.push_str(&title("Then here"));
    text.push_str(&command("swiftloop check RIG SESSION copy-* --phase PHASE"));
    print(&text)
}
