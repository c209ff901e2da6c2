//! What the program makes of itself: schemas, completions, manual pages.

use crate::common::Folder;
use serde_json::Value;

#[test]
fn schemas_completions_and_manual_come_out() {
    let folder = Folder::empty();
    for (file, key) in [("rig", "interface"), ("session", "phase")] {
        let schema: Value = serde_json::from_str(&folder.run(&["schema", file]).out).expect("JSON");
        assert!(schema["properties"][key].is_object(), "{file}");
    }
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        assert!(folder.run(&["completions", shell]).out.contains("swiftloop"), "{shell}");
    }
    assert!(folder.run(&["man"]).out.contains(".TH swiftloop"));
    let pages = folder.run(&["man", "--into", "man"]);
    assert!(
        pages.code == 0 && folder.read("man/swiftloop-probe-read.1").contains("recording"),
        "{}",
        pages.err
    );
    let hidden = ["weigh-inside", "put-back", "hold-awake", "keep-buffer", "soak-inside", "clear-trace"];
    assert!(hidden.iter().all(|h| !folder.path(&format!("man/swiftloop-{h}.1")).exists()));
    // Every command that can be asked for has its page, and pages that are there stay.
    let commands = folder.run(&["--help"]).out;
    let commands = commands.lines().skip_while(|l| *l != "Commands:").skip(1).take_while(|l| !l.is_empty());
    for command in commands.filter(|l| l.starts_with("  ") && !l.starts_with("   ")) {
        let name = command.split_whitespace().next().unwrap_or_default();
        assert!(name == "help" || folder.path(&format!("man/swiftloop-{name}.1")).exists(), "{name}");
    }
    assert_eq!(folder.run(&["man", "--into", "man"]).code, 2);
    assert_eq!(folder.run(&["man", "--into", "man", "--force"]).code, 0);
    let version = folder.run(&["--version"]).out;
    assert!(version.starts_with("swiftloop 0.") && version.contains("built with:  rustc"), "{version}");
    assert_eq!(folder.run(&["-V"]).out.lines().count(), 1);
    let help = folder.run(&["--help"]);
    assert!(help.code == 0 && help.out.contains("Exit status"));
}
