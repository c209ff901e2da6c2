//! What starts when somebody logs in: names of files in public folders come in, names of programs go out.

#[cfg(not(windows))]
use std::path::PathBuf;

/// Endings of the files that say so.
const ENDINGS: [&str; 2] = [".desktop", ".plist"];
/// More than so many are no list of programs.
const MOST: usize = 256;

/// Names of files, one a line, without their endings: sorted, each once.
pub(super) fn listed(text: &str) -> Vec<String> {
    let own = |line: &str| ENDINGS.iter().find_map(|e| line.trim().strip_suffix(e)).map(String::from);
    let mut all: Vec<String> = text.lines().take(MOST).filter_map(own).filter(|n| !n.is_empty()).collect();
    all.sort();
    all.dedup();
    all
}

/// What starts with this computer's desktop.
#[cfg(not(windows))]
pub(super) fn here() -> Vec<String> {
    let own = std::env::var_os("XDG_CONFIG_HOME").map(PathBuf::from);
    let own = own.or_else(|| std::env::var_os("HOME").map(|home| PathBuf::from(home).join(".config")));
    let folders = own.into_iter().chain([PathBuf::from("/etc/xdg")]).map(|f| f.join("autostart"));
    let names = folders.filter_map(|f| std::fs::read_dir(f).ok()).flatten().flatten().take(MOST);
    let names: Vec<String> = names.map(|e| e.file_name().to_string_lossy().into_owned()).collect();
    listed(&names.join("\n"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_without_their_endings_each_once() {
        let text = "b.desktop\na.plist\nREADME\nb.desktop\n.desktop\n";
        assert_eq!(listed(text), ["a", "b"]);
        assert!(listed("").is_empty());
        let many: String = (0..MOST + 9).map(|i| format!("{i}.plist\n")).collect();
        assert_eq!(listed(&many).len(), MOST);
    }
}
