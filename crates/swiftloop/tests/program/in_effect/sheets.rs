//! `sheet`: one page that fetches nothing, takes any name, and is sound in form; in three forms, for one computer and several.

use super::settings;
use crate::common::Folder;
use roxmltree::{Document, Node, ParsingOptions};
use std::collections::HashSet;

fn parsed(html: &str) -> Document<'_> {
    let options = ParsingOptions { allow_dtd: true, ..ParsingOptions::default() };
    Document::parse_with_options(html, options).unwrap_or_else(|e| panic!("{e}: {html}"))
}

/// What a page has to keep to: names that are one, labels and links that lead somewhere, headings in order, nothing fetched.
fn is_sound(html: &str) {
    let document = parsed(html);
    let elements: Vec<Node<'_, '_>> = document.descendants().filter(Node::is_element).collect();
    let mut ids = HashSet::new();
    for node in &elements {
        if let Some(id) = node.attribute("id") {
            assert!(ids.insert(id), "{id} stands twice");
        }
        for fetches in ["src", "srcset", "data", "action", "onload", "onclick"] {
            assert!(node.attribute(fetches).is_none(), "{fetches}");
        }
        let name = node.tag_name().name();
        assert!(!matches!(name, "script" | "link" | "img" | "iframe" | "object"), "{name}");
    }
    for node in &elements {
        for key in ["for", "aria-labelledby"] {
            if let Some(to) = node.attribute(key) {
                assert!(ids.contains(to), "{key} {to} leads nowhere");
            }
        }
        if let Some(to) = node.attribute("href") {
            assert!(to.strip_prefix('#').is_some_and(|to| ids.contains(to)), "{to}");
        }
    }
    let inputs = elements.iter().filter(|n| n.has_tag_name("input")).count();
    let labels = elements.iter().filter(|n| n.has_tag_name("label")).count();
    assert!(inputs == labels && inputs > 0);
    let style = elements.iter().find(|n| n.has_tag_name("style")).and_then(|n| n.text()).unwrap();
    for fetches in ["url(", "@import", "http"] {
        assert!(!style.contains(fetches), "{fetches}");
    }
    let mut last = 0;
    for level in elements.iter().filter_map(|n| n.tag_name().name().strip_prefix('h')?.parse::<u32>().ok()) {
        assert!(level <= last + 1, "a heading of level {level} below one of {last}");
        last = level;
    }
    assert_eq!(elements[0].attribute("lang"), Some("en"));
}

#[test]
fn the_demos_sheet_is_sound_and_says_what_the_plan_says() {
    let folder = Folder::with_demo();
    let told = folder.run(&["sheet", "rig.toml", "session.toml", "--out", "sheet.html"]);
    assert!(told.code == 0 && told.out.contains("pages written"), "{}{}", told.out, told.err);
    let html = folder.read("sheet.html");
    is_sound(&html);
    let document = parsed(&html);
    let sections: Vec<_> = document.descendants().filter(|n| n.has_tag_name("section")).collect();
    let plan = folder.json(&["plan", "rig.toml", "session.toml"]);
    let all = plan["choices"].as_array().unwrap().len() + plan["infeasible"].as_array().unwrap().len();
    assert_eq!(sections.len(), all);
    let text: String = sections[0].descendants().filter_map(|n| n.text()).collect();
    for says in ["Buffer", "Rate", "48000 Hz", "Who hears it when", "Listen for", "rigs like this"] {
        assert!(text.contains(says), "{says}: {text}");
    }
    // Nobody who performs is left out.
    for who in ["Ada", "Bo", "Cy", "Dee", "Eli"] {
        assert!(html.contains(who), "{who}");
    }
    let again = folder.run(&["sheet", "rig.toml", "session.toml", "--out", "sheet.html"]);
    assert!(again.code == 2 && again.err.contains("--force"), "{}", again.err);
    for (name, has) in [("sheet.md", "- [ ] Rate 48000 Hz"), ("sheet.txt", "□ Rate 48000 Hz")] {
        assert_eq!(folder.run(&["sheet", "rig.toml", "session.toml", "--out", name]).code, 0);
        assert!(folder.read(name).contains(has) && !folder.read(name).contains('\u{1b}'), "{name}");
    }
    let odd = folder.run(&["sheet", "rig.toml", "session.toml", "--out", "sheet.doc"]);
    assert!(odd.code == 2 && odd.err.contains(".html"), "{}", odd.err);
}

#[test]
fn names_with_every_nasty_character_stay_names() {
    let folder = Folder::empty();
    let nasty = r#"</title><script>alert(1)</script> & "quoted" 'too' <!-- ]]> \u0000 \u001b[2J \u202e \ufffe | * _ ` # [x](y) é 🎻"#;
    let line = |key: &str| {
        format!(
            "{key} = {}",
            serde_json::Value::from(nasty.replace("\\u0000", "\u{1}").replace("\\u001b", "\u{1b}"))
        )
    };
    let text = settings(&[
        ("session", &line("session")),
        ("interface_name", &line("interface_name")),
        ("phase", &line("phase")),
    ]);
    let text = text
        .replace("bypass reverb until mixing", "<b>&amp;</b> ' \\\" `x`")
        .replace("Ada, voice", "<i>Ada</i>, 'voice'");
    folder.write("settings.toml", text);
    assert_eq!(folder.run(&["sheet", "settings.toml", "--out", "s.html"]).code, 0);
    let html = folder.read("s.html");
    is_sound(&html);
    assert!(
        parsed(&html)
            .descendants()
            .any(|n| n.text().is_some_and(|t| t.contains("<script>alert(1)</script>")))
    );
    assert_eq!(folder.run(&["sheet", "settings.toml", "--out", "s.md"]).code, 0);
    assert!(folder.read("s.md").contains("\\<script\\>alert(1)\\</script\\>"));
    let text = folder.run(&["sheet", "settings.toml"]);
    assert!(!text.out.contains(['\u{1b}', '\u{202e}']));
}

#[test]
fn twelve_phases_on_six_interfaces_stay_small() {
    let folder = Folder::empty();
    let one = settings(&[]);
    let (head, phase) = one.split_once("[[phase]]").unwrap();
    let many = (1..=12).flat_map(|p| (1..=6).map(move |i| (p, i)));
    let buffers: Vec<String> = (5..12)
        .map(|k| {
            format!(
                "{{ frames = {}, late_ms = {}, dropouts_per_hour = {} }}",
                1 << k,
                1 << (k - 4),
                1000 >> k
            )
        })
        .collect();
    let list: String = many
        .map(|(p, i)| {
            let own = phase
                .replace("\"tracking\"", &format!("\"phase {p}\""))
                .replace("\"rack\"", &format!("\"box{i}\""))
                .replace(
                    "bypass reverb until mixing",
                    "bypass reverb until mixing\", \"print the drums\", \"close the drum view",
                );
            let at = own.find("buffer = [{").unwrap();
            format!("[[phase]]{}buffer = [{}] }}\n", &own[..at], buffers.join(", "))
        })
        .collect();
    folder.write("settings.toml", format!("{head}{list}"));
    let told = folder.run(&["sheet", "settings.toml", "--out", "s.html"]);
    assert_eq!(told.code, 0, "{}", told.err);
    let html = folder.read("s.html");
    is_sound(&html);
    assert_eq!(parsed(&html).descendants().filter(|n| n.has_tag_name("section")).count(), 72);
    assert!(html.len() < 300_000, "{}", html.len());
}

#[test]
fn computers_that_are_set_alike_share_their_pages_and_a_table_tells_who_differs() {
    let folder = Folder::empty();
    folder.write("one.toml", settings(&[]));
    folder.write("two.toml", settings(&[("rig", "rig = \"another name\"")]));
    folder.write(
        "three.toml",
        settings(&[("buffer_frames", "buffer_frames = 512"), ("buffer", "buffer = \"512\"")]),
    );
    let text = folder.run(&["sheet", "one.toml", "two.toml", "three.toml"]);
    assert!(text.out.contains("For one and two") && text.out.contains("For three"), "{}", text.out);
    assert!(text.out.contains("≠ alsa 512 frames"), "{}", text.out);
    folder.run(&["sheet", "one.toml", "two.toml", "three.toml", "--out", "s.html"]);
    is_sound(&folder.read("s.html"));
    assert_eq!(parsed(&folder.read("s.html")).descendants().filter(|n| n.has_tag_name("section")).count(), 2);
    folder.run(&["sheet", "one.toml", "two.toml", "three.toml", "--out", "s.md"]);
    assert!(folder.read("s.md").contains("| For one and two | For three |"));
    // Rigs and the session that comes last.
    let demo = Folder::with_demo();
    let rigs = demo.run(&["sheet", "rig.toml", "rig-soaked.toml", "session.toml", "--phase", "tracking"]);
    assert!(rigs.code == 0 && rigs.out.contains("For rig-soaked"), "{}{}", rigs.out, rigs.err);
    let wrong = demo.run(&["sheet", "rig.toml", "session.toml", "--phase", "singing"]);
    assert!(wrong.code == 2 && wrong.err.contains("singing"), "{}", wrong.err);
}
