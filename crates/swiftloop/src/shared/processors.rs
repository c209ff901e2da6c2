//! What is to be weighed: processors of libraries that were named, or those that a session names.

use crate::shared::build_info::INSTALLED;
use crate::shared::failure::Failure;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use swiftloop_core::session::Session;
use swiftloop_host::LOADS_LIBRARIES;
use swiftloop_host::weigh::{Listed, NamedProcessor, Status, WeighCommand, find, list, standards};

/// A library, and what of it is wanted.
pub struct Library {
    pub path: PathBuf,
    pub standard: &'static str,
    pub wanted: Vec<Listed>,
}

/// What was looked for.
#[derive(Default)]
pub struct Searched {
    pub found: Vec<Library>,
    /// What a session names, and nobody holds.
    pub missing: Vec<String>,
}

/// Libraries that were named; all of each, or the one with this id.
pub fn libraries(program: &Path, named: &[PathBuf], id: Option<&str>) -> Result<Vec<Library>, Failure> {
    let one = |path: &PathBuf| {
        check(path)?;
        let (standard, all) = held(program, path)?;
        Ok(Library { path: path.clone(), standard, wanted: wanted(path, all, id)? })
    };
    named.iter().map(one).collect()
}

/// Where all that a session names lies, or the one of it with this id.
pub fn of_session(
    program: &Path,
    session: &Session,
    named: &[PathBuf],
    id: Option<&str>,
) -> Result<Searched, Failure> {
    for path in named {
        check(path)?;
    }
    let mut searched = Searched::default();
    let names: BTreeSet<&str> = session.processors().filter_map(|p| p.is.as_deref()).collect();
    let own = |is: &str| NamedProcessor::of(is).map_or_else(|| is.to_string(), |w| w.id);
    if let Some(id) = id {
        let known: Vec<String> = names.iter().map(|is| own(is)).collect();
        if !known.iter().any(|k| k == id) {
            let known: Vec<&str> = known.iter().map(String::as_str).collect();
            return Err(crate::shared::lookup::unknown("processor", id, &known));
        }
    }
    // A library is asked once, however many of its processors are wanted.
    let mut asked: BTreeMap<(PathBuf, &'static str), Vec<Listed>> = BTreeMap::new();
    let mut held = |path: &Path, standard: &'static str| {
        let ask = || listed(program, path, standard).unwrap_or_default();
        asked.entry((path.to_path_buf(), standard)).or_insert_with(ask).clone()
    };
    for is in names.into_iter().filter(|is| id.is_none_or(|id| own(is) == id)) {
        let holds = NamedProcessor::of(is).and_then(|w| {
            find(&w, named).into_iter().find_map(|path| {
                let standard = standards().iter().map(|s| s.word()).find(|s| *s == w.standard)?;
                let all = held(&path, standard);
                Some((path, standard, all.into_iter().find(|l| l.id == w.id)?))
            })
        });
        match holds {
            None => searched.missing.push(is.into()),
            Some((path, standard, one)) => match searched.found.iter_mut().find(|l| l.path == path) {
                Some(library) => library.wanted.push(one),
                None => searched.found.push(Library { path, standard, wanted: vec![one] }),
            },
        }
    }
    Ok(searched)
}

fn check(library: &Path) -> Result<(), Failure> {
    let about =
        std::fs::metadata(library).map_err(|e| swiftloop_files::FileError::unreadable(library, &e))?;
    if about.is_dir() && !standards().iter().any(|s| s.may_be(library)) {
        return Err(Failure::usage(
            format!("{} is a folder, and no LV2 bundle", library.display()),
            "name a library or a bundle itself, such as /usr/lib/ladspa/amp.so or /usr/lib/lv2/amp.lv2",
        ));
    }
    Ok(())
}

fn listed(program: &Path, library: &Path, standard: &str) -> Result<Vec<Listed>, Status> {
    list(&WeighCommand {
        program,
        library,
        standard,
        rates_hz: &[],
        blocks: &[],
        settings: None,
        floor: None,
    })
}

/// What a library holds, and of which standard it is.
fn held(program: &Path, library: &Path) -> Result<(&'static str, Vec<Listed>), Failure> {
    if !LOADS_LIBRARIES && program != library {
        let what = format!(
            "{} cannot be weighed: this program stands alone and loads no library",
            library.display()
        );
        return Err(Failure::machine(what, INSTALLED));
    }
    let mut why = Status::Refused("no standard knows it".into());
    for standard in standards().iter().filter(|s| s.may_be(library)) {
        match listed(program, library, standard.word()) {
            Ok(all) if !all.is_empty() => return Ok((standard.word(), all)),
            Ok(_) => why = Status::Refused("there is no processor in it".into()),
            Err(status) => why = status,
        }
    }
    Err(Failure::usage(
        format!("{} cannot be weighed: {}", library.display(), told(&why)),
        "name a LADSPA library, an LV2 bundle or a CLAP library of this system",
    ))
}

/// The one that was named, or all of them.
fn wanted(library: &Path, all: Vec<Listed>, id: Option<&str>) -> Result<Vec<Listed>, Failure> {
    if let Some(twice) = all.iter().enumerate().find(|(i, l)| all[..*i].iter().any(|o| o.id == l.id)) {
        return Err(Failure::usage(
            format!("{} holds two processors called `{}`", library.display(), twice.1.id),
            "nobody could tell which of them was meant: ask its maker for one that tells them apart",
        ));
    }
    let Some(id) = id else { return Ok(all) };
    let known: Vec<&str> = all.iter().map(|l| l.id.as_str()).collect();
    if !known.contains(&id) {
        return Err(crate::shared::lookup::unknown("processor", id, &known));
    }
    Ok(all.into_iter().filter(|l| l.id == id).collect())
}

/// How a run of a processor ended, in words.
/// How it ended, in words.
pub fn told(status: &Status) -> String {
    match status {
        Status::Weighed => "weighed".into(),
        // By which signal says little: in processes of its own the first does not get every one.
        Status::Crashed => "it took its process down".into(),
        Status::Hung => "it went on without an end".into(),
        Status::Exited(code) => format!("it ended its process (exit {code})"),
        Status::OutOfMemory => "it took all memory there may be".into(),
        Status::NotANumber => "what came out was no number".into(),
        Status::Refused(why) => why.clone(),
    }
}
