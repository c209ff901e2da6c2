//! The sources as text, and which file imports which. Paths are followed through re-exports to the file that defines what they
//! name. Test modules are left out: they may look at anything.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// All sources of all crates.
pub struct House {
    /// Text without comments and tests, by path below `crates`.
    pub files: BTreeMap<String, String>,
    /// The file of each module.
    modules: BTreeMap<Vec<String>, String>,
    /// What a module hands on: name → path.
    exports: BTreeMap<(Vec<String>, String), Vec<String>>,
    /// Modules all of whose names a module hands on.
    globs: BTreeMap<Vec<String>, Vec<Vec<String>>>,
}

/// The root of the repository.
pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

impl House {
    pub fn read() -> Self {
        let crates = root().join("crates");
        let mut house = Self {
            files: BTreeMap::new(),
            modules: BTreeMap::new(),
            exports: BTreeMap::new(),
            globs: BTreeMap::new(),
        };
        for one in std::fs::read_dir(&crates).unwrap() {
            let src = one.unwrap().path().join("src");
            if src.is_dir() && !src.starts_with(crates.join("swiftloop-fixtures")) {
                house.read_folder(&crates, &src);
            }
        }
        let files: Vec<String> = house.files.keys().cloned().collect();
        for file in files {
            house.modules.insert(house.module_of(&file), file.clone());
        }
        house.find_exports();
        house
    }

    fn read_folder(&mut self, crates: &Path, folder: &Path) {
        for entry in std::fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                self.read_folder(crates, &path);
            } else if path.extension().is_some_and(|e| e == "rs") && !path.ends_with("tests.rs") {
                let text = std::fs::read_to_string(&path).unwrap();
                let name = path.strip_prefix(crates).unwrap().display().to_string();
                self.files.insert(name, bare(&text));
            }
        }
    }

    /// The module that a file is: its crate first.
    pub fn module_of(&self, file: &str) -> Vec<String> {
        let mut parts: Vec<String> = file.trim_end_matches(".rs").split('/').map(str::to_string).collect();
        parts[0] = parts[0].replace('-', "_");
        parts.remove(1);
        if ["mod", "lib", "main"].contains(&parts.last().unwrap().as_str()) {
            parts.pop();
        }
        parts
    }

    pub fn crate_of(&self, file: &str) -> &'static str {
        let name = file.split('/').next().unwrap().replace('-', "_");
        super::CRATES.into_iter().find(|c| *c == name).unwrap_or_else(|| panic!("{name} is no known crate"))
    }

    fn find_exports(&mut self) {
        for (file, text) in &self.files {
            let module = self.module_of(file);
            for (public, path) in uses(text) {
                if !public {
                    continue;
                }
                let (path, name) = match path.split_once(" as ") {
                    Some((path, name)) => (path.to_string(), name.to_string()),
                    None => (path.clone(), path.rsplit("::").next().unwrap().to_string()),
                };
                let Some(full) = self.absolute(&module, &path) else { continue };
                if name == "*" {
                    self.globs.entry(module.clone()).or_default().push(full[..full.len() - 1].to_vec());
                } else {
                    self.exports.insert((module.clone(), name), full);
                }
            }
        }
    }

    /// A path from a module as a path from its crate; nothing for other people's crates.
    fn absolute(&self, module: &[String], path: &str) -> Option<Vec<String>> {
        let parts: Vec<&str> = path.split("::").collect();
        let mut at = match parts[0] {
            "crate" => vec![module[0].clone()],
            "self" | "super" => module.to_vec(),
            other if super::CRATES.contains(&other) => vec![other.to_string()],
            child => {
                let mut inner = module.to_vec();
                inner.push(child.to_string());
                if !self.modules.contains_key(&inner) {
                    return None;
                }
                module.to_vec()
            }
        };
        for (i, part) in parts.iter().enumerate() {
            match *part {
                "super" => {
                    at.pop()?;
                }
                "crate" | "self" => {}
                other if i == 0 && super::CRATES.contains(&other) => {}
                other => at.push(other.to_string()),
            }
        }
        Some(at)
    }

    /// The file that defines what a path names.
    fn file_of(&self, path: &[String], depth: usize) -> Option<String> {
        if depth > 8 {
            return None;
        }
        let longest = (1..=path.len()).rev().find(|n| self.modules.contains_key(&path[..*n]))?;
        let module = path[..longest].to_vec();
        let Some(name) = path.get(longest) else { return self.modules.get(&module).cloned() };
        if let Some(next) = self.exports.get(&(module.clone(), name.clone())) {
            let whole: Vec<String> = next.iter().chain(&path[longest + 1..]).cloned().collect();
            return self.file_of(&whole, depth + 1);
        }
        self.modules.get(&module).cloned()
    }

    /// Which file imports which; what a folder's face hands on of its own files is no import.
    pub fn arrows(&self) -> BTreeSet<(String, String)> {
        let mut all = BTreeSet::new();
        for (file, text) in &self.files {
            let module = self.module_of(file);
            let named = uses(text).into_iter().filter(|u| !u.0).map(|u| u.1);
            for path in named.chain(inline(text)) {
                let path = path.split(" as ").next().unwrap().to_string();
                let Some(full) = self.absolute(&module, &path) else { continue };
                if let Some(to) = self.file_of(&full, 0).filter(|to| to != file) {
                    all.insert((file.clone(), to));
                }
            }
        }
        all
    }
}

/// A source without comments, strings' contents kept, and without its test modules.
fn bare(text: &str) -> String {
    let mut out = String::new();
    let mut skipping: Option<&str> = None;
    let mut test_next = false;
    for line in text.lines() {
        let indent = &line[..line.len() - line.trim_start().len()];
        if let Some(until) = skipping {
            if line.starts_with('}') && until.is_empty() || line == format!("{until}}}") {
                skipping = None;
            }
            continue;
        }
        let code = line.trim_start();
        if code.starts_with("//") {
            continue;
        }
        if code.starts_with("#[cfg(test)]") {
            test_next = true;
            continue;
        }
        if test_next {
            test_next = false;
            if code.ends_with('{') {
                skipping = Some(indent);
            }
            continue;
        }
        out.push_str(line.split(" // ").next().unwrap());
        out.push('\n');
    }
    out
}

/// Every path of every `use`, one for each name, and whether it is handed on.
fn uses(text: &str) -> Vec<(bool, String)> {
    let mut all = Vec::new();
    let mut rest = text;
    while let Some(at) = rest.find("use ") {
        let before = rest[..at].rsplit('\n').next().unwrap().trim();
        let after = &rest[at + 4..];
        let own = before.is_empty() || before == "pub" || before.starts_with("pub(") && before.ends_with(')');
        let Some(end) = after.find(';') else { break };
        if own {
            let body: String = after[..end].split_whitespace().collect::<Vec<_>>().join(" ");
            match body.split_once("::{") {
                None => all.push((!before.is_empty(), body)),
                Some((path, names)) => {
                    for name in
                        names.trim_end_matches('}').split(',').map(str::trim).filter(|n| !n.is_empty())
                    {
                        let path = if name == "self" { path.to_string() } else { format!("{path}::{name}") };
                        all.push((!before.is_empty(), path));
                    }
                }
            }
        }
        rest = &after[if own { end } else { 0 }..];
    }
    all
}

/// Paths in the code itself that begin at a crate or at a parent.
fn inline(text: &str) -> Vec<String> {
    let mut all = Vec::new();
    let starts = super::CRATES.iter().copied().chain(["crate", "super"]);
    for start in starts {
        let from = format!("{start}::");
        for (at, _) in text.match_indices(&from) {
            let before = text[..at].chars().next_back().unwrap_or(' ');
            if before.is_alphanumeric() || before == '_' || before == ':' || before == '$' {
                continue;
            }
            let path =
                text[at..].split(|c: char| !(c.is_alphanumeric() || c == '_' || c == ':')).next().unwrap();
            all.push(path.trim_end_matches(':').to_string());
        }
    }
    all
}

/// Groups in which everybody reaches everybody (Tarjan's strongly connected components), a line each.
pub fn circles(arrows: &BTreeSet<(String, String)>) -> Vec<String> {
    let mut to: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for (a, b) in arrows {
        to.entry(a).or_default().push(b);
        to.entry(b).or_default();
    }
    let reached = |from: &str| {
        let mut seen: BTreeSet<&str> = BTreeSet::new();
        let mut open: Vec<&str> = to[from].clone();
        while let Some(one) = open.pop() {
            if seen.insert(one) {
                open.extend(&to[one]);
            }
        }
        seen
    };
    let all: BTreeMap<&str, BTreeSet<&str>> = to.keys().map(|n| (*n, reached(n))).collect();
    let mut groups: BTreeSet<Vec<&str>> = BTreeSet::new();
    for (name, reaches) in &all {
        let group: Vec<&str> = reaches.iter().copied().filter(|o| all[o].contains(name)).collect();
        if group.len() > 1 {
            groups.insert(group);
        }
    }
    groups.into_iter().map(|g| g.join(", ")).collect()
}
