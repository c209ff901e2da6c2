//! Every command that writes a file: how it is called on the demo's files, what it writes, and what has to hold of that file
//! whenever it is there.

use crate::common::Folder;
use crate::link::Running;
use crate::weigh::library;
use std::sync::MutexGuard;

/// A command that writes: its options, what it writes, and what has to hold of that file when it is there.
pub struct Writer {
    args: &'static [&'static str],
    pub file: &'static str,
    pub whole: fn(&str) -> bool,
}

/// In a writer's options: a library with processors, and where a reflector listens.
const LIBRARY: &str = "{library}";
const REFLECTOR: &str = "{reflector}";

/// What some of them need around them.
pub struct Around {
    reflector: Option<Running>,
    /// The kernel can be looked into here.
    kernel: bool,
}

impl Around {
    pub fn new() -> Self {
        let folder = Folder::empty();
        let kernel = folder.run(&["trace", "record", "try.txt", "--length", "100ms"]).code != 3;
        if !kernel {
            swiftloop_fixtures::skipped("this kernel cannot be traced: trace record is not broken off");
        }
        Self { reflector: Some(Running::reflector_for(3600, &[])), kernel }
    }

    /// Whether it can be run here at all, and is not left out: `SWIFTLOOP_WRITERS=soak,trace record` names those that are wanted.
    pub fn has(&self, writer: &Writer) -> bool {
        let wanted = std::env::var("SWIFTLOOP_WRITERS");
        let is_wanted = wanted.map_or(true, |names| names.split(',').any(|name| name == writer.name()));
        is_wanted && (self.kernel || !writer.is(&["trace", "record"]))
    }

    /// The options of a writer as they are typed here.
    pub fn args(&self, writer: &Writer) -> Vec<String> {
        let typed = |arg: &&str| match *arg {
            LIBRARY => library().display().to_string(),
            REFLECTOR => self.reflector.as_ref().map(|r| r.address.clone()).unwrap_or_default(),
            other => other.into(),
        };
        writer.args.iter().map(typed).collect()
    }
}

impl Writer {
    /// What it is called.
    pub fn name(&self) -> String {
        let words = if ["probe", "link", "trace"].contains(&self.args[0]) { 2 } else { 1 };
        self.args[..words].join(" ")
    }

    fn is(&self, words: &[&str]) -> bool {
        self.args.starts_with(words)
    }

    /// It listens, measures or plays for a while: whoever tries many faults in an ordinary run tries fewer on it.
    pub fn takes_its_time(&self) -> bool {
        ["weigh", "soak", "link measure", "trace record"].contains(&self.name().as_str())
    }

    /// Nobody else soaks meanwhile: several would starve each other.
    pub fn alone(&self) -> Option<MutexGuard<'static, ()>> {
        self.is(&["soak"]).then(crate::soak::alone)
    }
}

pub const WRITERS: [Writer; 15] = [
    Writer {
        args: &["plan", "rig.toml", "session.toml", "--svg", "plan.svg", "--force"],
        file: "plan.svg",
        whole: |text| text.starts_with("<svg") && text.trim_end().ends_with("</svg>"),
    },
    Writer {
        args: &["sheet", "rig.toml", "session.toml", "--out", "sheet.html", "--force"],
        file: "sheet.html",
        whole: |text| text.trim_end().ends_with("</html>"),
    },
    Writer { args: &["new", "made"], file: "made/session.toml", whole: |text| text.contains("[[track]]") },
    Writer {
        args: &[
            "note",
            "rig.toml",
            "session.toml",
            "--interface",
            "rack",
            "--phase",
            "tracking",
            "--dropouts",
            "2",
            "--minutes",
            "20",
        ],
        file: "notes.toml",
        whole: |text| text.contains("[[note]]") && toml_is_whole(text),
    },
    Writer {
        args: &["survey", "--root", "computer", "--save", "rig.toml"],
        file: "rig.toml",
        whole: |text| text.starts_with("# The boathouse") && toml_is_whole(text),
    },
    Writer {
        args: &["probe", "make", "--out", "probe.wav", "--force"],
        file: "probe.wav",
        whole: |text| text.len() > 100_000,
    },
    Writer {
        args: &["import", "recordings", "--into", "made/session.toml", "--force"],
        file: "made/session.toml",
        whole: toml_is_whole,
    },
    Writer {
        args: &[
            "probe",
            "fit",
            "128=loop-128.wav",
            "256=loop-256.wav",
            "512=loop-512.wav",
            "--save",
            "rig.toml",
            "--interface",
            "rack",
            "--driver",
            "asio",
        ],
        file: "rig.toml",
        whole: |text| text.starts_with("# The boathouse") && toml_is_whole(text),
    },
    Writer {
        args: &["trace", "read", "mixing.trace.txt", "--ranking", "ranking.svg", "--force"],
        file: "ranking.svg",
        whole: |text| text.starts_with("<svg") && text.trim_end().ends_with("</svg>"),
    },
    Writer {
        args: &["link", "plan", "loft-link.json", "--svg", "link.svg", "--force"],
        file: "link.svg",
        whole: |text| text.starts_with("<svg") && text.trim_end().ends_with("</svg>"),
    },
    Writer {
        args: &["man", "--into", "made", "--force"],
        file: "made/swiftloop-plan.1",
        whole: |text| text.contains(".SH OPTIONS"),
    },
    Writer {
        args: &[
            // What is known already would not be written once more.
            "weigh",
            "--again",
            LIBRARY,
            "--label",
            "delay-240",
            "--rates",
            "48000",
            "--blocks",
            "64,256",
            "--catalogue",
            "made/processors.toml",
            "--floor",
            "made/floor.json",
        ],
        file: "made/processors.toml",
        // One that holds nothing yet is whole as well.
        whole: |text| text.starts_with("# ") && toml_is_whole(text),
    },
    Writer {
        args: &["soak", "--buffer", "256", "--work", "5", "--seconds", "1.5", "--save", "rig.toml"],
        file: "rig.toml",
        whole: |text| text.starts_with("# The boathouse") && toml_is_whole(text),
    },
    Writer {
        args: &["link", "measure", REFLECTOR, "--seconds", "1", "--save", "link.json", "--force"],
        file: "link.json",
        whole: |text| {
            serde_json::from_str::<serde_json::Value>(text).is_ok_and(|v| v["received"].is_number())
        },
    },
    Writer {
        args: &["trace", "record", "kernel.txt", "--length", "200ms", "--force"],
        file: "kernel.txt",
        whole: |text| text.starts_with("# ") && text.ends_with('\n'),
    },
];

/// Every list and table that begins also ends: what was cut off seldom does.
fn toml_is_whole(text: &str) -> bool {
    text.ends_with('\n')
        && text.matches('[').count() == text.matches(']').count()
        && text.matches('"').count().is_multiple_of(2)
}

pub fn folder() -> Folder {
    let folder = Folder::with_demo();
    let good = swiftloop_fixtures::computer("good-desktop");
    crate::common::copy_tree(std::path::Path::new(&good), &folder.path("computer"));
    std::fs::create_dir(folder.path("recordings")).unwrap();
    std::fs::create_dir(folder.path("made")).unwrap();
    for name in ["Fiddle.wav", "Harp.wav"] {
        let wav = folder.files().into_iter().find(|f| f.ends_with(".wav")).expect("the demo has recordings");
        std::fs::hard_link(folder.path(&wav), folder.path("recordings").join(name)).unwrap();
    }
    folder
}
