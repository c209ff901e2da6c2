//! `sheet`: a page for each phase, on the terminal or in a file, for one computer or several.

use crate::shared::answer::quoted;
use crate::shared::failure::Failure;
use crate::shared::in_effect::PlanInEffect;
use crate::shared::lookup::unknown;
use crate::shared::options::Place;
use crate::shared::output::print;
use crate::shared::page::{command, paint, title, wrapped};
use crate::sheet::options::SheetOptions;
use crate::sheet::pdf::print_to_pdf;
use crate::sheet::{Sheet, html, markdown, text};
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::in_effect::{Settings, kinds_of};
use swiftloop_files::{Overwrite, holds_settings, save};

enum Form {
    Html,
    Markdown,
    Text,
}

pub fn run(options: &SheetOptions) -> Result<ExitCode, Failure> {
    let form = options.out.as_deref().map(form).transpose()?;
    let computers = computers(options)?;
    let several = computers.len() > 1;
    let name = computers.iter().map(|c| c.1.session.as_str()).find(|n| !n.is_empty());
    let sheet =
        Sheet { title: name.unwrap_or("What to set").to_string(), kinds: kinds_of(&computers), several };
    if let Some(file) = &options.pdf {
        if file.symlink_metadata().is_ok() && !options.force {
            return Err(swiftloop_files::FileError::Exists { path: file.clone() }.into());
        }
        print_to_pdf(&html(&sheet), file)?;
    }
    let (Some(file), Some(form)) = (&options.out, form) else {
        return match &options.pdf {
            Some(pdf) => print(&written(pdf, &sheet, options)),
            None => print(&(text(&sheet) + &next(&sheet, options))),
        };
    };
    let content = match form {
        Form::Html => html(&sheet),
        Form::Markdown => markdown(&sheet),
        Form::Text => anstream::adapter::strip_str(&paint(&text(&sheet))).to_string(),
    };
    save(file, content.as_bytes(), Overwrite::forced(options.force))?;
    print(&written(file, &sheet, options))
}

fn written(file: &Path, sheet: &Sheet<'_>, options: &SheetOptions) -> String {
    let pages: usize = sheet.kinds.iter().map(|k| k.settings.phases.len()).sum();
    let pages = crate::shared::page::counted(pages, "page", "pages");
    wrapped("", &format!("{pages} written to {}.", file.display())) + &next(sheet, options)
}

/// The check before the first take.
fn next(sheet: &Sheet<'_>, options: &SheetOptions) -> String {
    let mut text = String::new();
    let first = sheet.kinds.first().and_then(|k| k.settings.phases.first());
    if let Some(d) = first {
        // Of several computers the first; the session, where there is one, comes last.
        let own = match options.files.as_slice() {
            [first, .., session] if !holds_settings(first) => vec![first, session],
            [first, ..] => vec![first],
            [] => vec![],
        };
        let own: Vec<String> = own.iter().map(|f| quoted(&f.display().to_string())).collect();
        text.push_str(&title("Before the take"));
        text.push_str(&command(&format!(
            "swiftloop check {} --phase {} --interface {}",
            own.join(" "),
            quoted(&d.phase),
            quoted(&d.interface)
        )));
    }
    text
}

fn form(file: &Path) -> Result<Form, Failure> {
    let ending = file.extension().map(|e| e.to_string_lossy().to_lowercase()).unwrap_or_default();
    match ending.as_str() {
        "html" | "htm" => Ok(Form::Html),
        "md" => Ok(Form::Markdown),
        "txt" => Ok(Form::Text),
        _ => Err(Failure::usage(
            format!("{}: its ending does not say what to write", file.display()),
            "name it .html, .md or .txt; --pdf FILE prints it",
        )),
    }
}

/// Settings of each computer with its name: rigs with the session that comes last, or files of settings.
fn computers(options: &SheetOptions) -> Result<Vec<(String, Settings)>, Failure> {
    let files = &options.files;
    let mut all = Vec::new();
    if files.iter().all(|f| holds_settings(f)) {
        for file in files {
            let asked = PlanInEffect::read(std::slice::from_ref(file), &place(options))?;
            all.push((name(file, &asked.settings, files.len()), asked.settings));
        }
    } else if let [rigs @ .., session] = files.as_slice() {
        if rigs.is_empty() {
            // Tells what is wrong with one file.
            PlanInEffect::read(files, &place(options))?;
        }
        for rig in rigs {
            let asked = PlanInEffect::read(&[rig.clone(), session.clone()], &place(options))?;
            all.push((name(rig, &asked.settings, rigs.len()), asked.settings));
        }
    }
    for (kind, asked) in [("phase", &options.phase), ("interface", &options.interface)] {
        narrow(&mut all, kind, asked)?;
    }
    Ok(all)
}

fn place(options: &SheetOptions) -> Place {
    let catalogue = crate::shared::options::CatalogueFile { catalogue: options.catalogue.catalogue.clone() };
    Place { phase: None, interface: None, catalogue }
}

/// What people call it: the rig's name where that tells computers apart, or the file's.
fn name(file: &Path, settings: &Settings, computers: usize) -> String {
    let stem = || file.file_stem().map_or("computer".into(), |s| s.to_string_lossy().into_owned());
    if computers > 1 || settings.rig.is_empty() { stem() } else { settings.rig.clone() }
}

/// Only what is asked for.
fn narrow(all: &mut [(String, Settings)], kind: &str, asked: &[String]) -> Result<(), Failure> {
    if asked.is_empty() {
        return Ok(());
    }
    let of = |d: &swiftloop_core::in_effect::Demand| {
        if kind == "phase" { d.phase.clone() } else { d.interface.clone() }
    };
    let known: Vec<String> = all.iter().flat_map(|c| c.1.phases.iter().map(of)).collect();
    let known: Vec<&str> = known.iter().map(String::as_str).collect();
    if let Some(id) = asked.iter().find(|id| !known.contains(&id.as_str())) {
        let mut known = known;
        known.dedup();
        return Err(unknown(kind, id, &known));
    }
    all.iter_mut().for_each(|c| c.1.phases.retain(|d| asked.contains(&of(d))));
    Ok(())
}
