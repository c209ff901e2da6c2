//! The manual: a page for the program and one for each command, from the same words as `--help`.

use crate::shared::failure::Failure;
use crate::shared::output::print;
use clap::Command;
use std::path::Path;
use std::process::ExitCode;
use swiftloop_files::{Overwrite, save_all};

/// The program's own page.
pub fn first(program: Command) -> std::io::Result<Vec<u8>> {
    let mut text = Vec::new();
    clap_mangen::Man::new(program).render(&mut text)?;
    Ok(text)
}

/// All pages, into a folder that is made where it is not there.
pub fn write(mut program: Command, folder: &Path, force: bool) -> Result<ExitCode, Failure> {
    program.build();
    let mut pages = Vec::new();
    pages_of(program, &mut pages)?;
    let named: Vec<(&str, String)> = pages.iter().map(|(name, text)| (name.as_str(), text.clone())).collect();
    save_all(folder, &named, Overwrite::forced(force))?;
    print(&format!(
        "{} pages in {}\n",
        named.len(),
        crate::shared::page::clean(&folder.display().to_string())
    ))
}

/// Of a command and of those below it; not of those that only the program itself calls.
fn pages_of(command: Command, pages: &mut Vec<(String, String)>) -> std::io::Result<()> {
    if command.is_hide_set() || command.get_name() == "help" {
        return Ok(());
    }
    for below in command.get_subcommands() {
        pages_of(below.clone(), pages)?;
    }
    let name = command.get_display_name().unwrap_or(command.get_name()).to_string();
    let mut text = Vec::new();
    clap_mangen::Man::new(command).render(&mut text)?;
    pages.push((format!("{name}.1"), String::from_utf8_lossy(&text).into_owned()));
    Ok(())
}
