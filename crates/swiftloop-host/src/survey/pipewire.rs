//! PipeWire, from the JSON that its own `pw-dump` prints: settings, nodes, who is there.

use serde_json::Value;
use std::process::{Command, Stdio};
use swiftloop_core::survey::ServerState;
use swiftloop_units::Hz;

/// Asks the running PipeWire; nothing when none runs or none is installed.
pub(super) fn ask() -> Result<Option<(ServerState, Option<String>)>, String> {
    let output = Command::new("pw-dump").stdin(Stdio::null()).stderr(Stdio::null()).output();
    match output {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(format!("PipeWire: {e}")),
        Ok(output) if output.status.success() => Ok(parse(&String::from_utf8_lossy(&output.stdout))),
        Ok(_) => Ok(None),
    }
}

/// What the dump says, and the version; nothing when it is no dump.
pub(super) fn parse(text: &str) -> Option<(ServerState, Option<String>)> {
    let all: Vec<Value> = serde_json::from_str(text).ok()?;
    let of_kind = |kind: &'static str| {
        all.iter().filter(move |o| o["type"].as_str().is_some_and(|t| t.ends_with(kind)))
    };
    let core = of_kind(":Core").next()?;
    let setting = |key: &str| {
        of_kind(":Metadata")
            .filter(|m| m["props"]["metadata.name"] == "settings")
            .flat_map(|m| m["metadata"].as_array().into_iter().flatten())
            .find(|s| s["key"] == key)
            .map(|s| s["value"].clone())
    };
    let number =
        |v: Value| v.as_u64().or_else(|| v.as_str()?.parse().ok()).and_then(|n| u32::try_from(n).ok());
    let chosen = |key: &str| setting(key).and_then(number);
    let rate = |n: u32| n.to_string().parse::<Hz>().ok();
    // `[ 48000 ]`, as text or as a list.
    let allowed = setting("clock.allowed-rates").map(|v| v.to_string()).unwrap_or_default();
    let node = |n: &Value| {
        let props = &n["info"]["props"];
        let name = props["node.description"].as_str().or(props["node.name"].as_str())?;
        let class = props["media.class"].as_str().unwrap_or("");
        let state = n["info"]["state"].as_str().unwrap_or("");
        let details: Vec<&str> = [class, state].into_iter().filter(|d| !d.is_empty()).collect();
        Some(if details.is_empty() { name.into() } else { format!("{name} ({})", details.join(", ")) })
    };
    // A node may force its own block on the graph that it takes part in.
    let by_nodes = of_kind(":Node")
        .filter_map(|n| number(n["info"]["props"]["node.force-quantum"].clone()))
        .find(|n| *n > 0);
    let props = &core["info"]["props"];
    let version = core["info"]["version"].as_str().map(String::from);
    let state = ServerState {
        kind: "PipeWire".into(),
        rate_hz: chosen("clock.rate").or_else(|| number(props["default.clock.rate"].clone())).and_then(rate),
        allowed_rates_hz: allowed
            .split(|c: char| !c.is_ascii_digit())
            .filter_map(|r| r.parse().ok())
            .collect(),
        buffer_frames: chosen("clock.quantum").or_else(|| number(props["default.clock.quantum"].clone())),
        buffer_range_frames: chosen("clock.min-quantum").zip(chosen("clock.max-quantum")),
        forced_buffer_frames: chosen("clock.force-quantum").filter(|n| *n > 0).or(by_nodes),
        // Zero, for none, is no rate.
        forced_rate_hz: chosen("clock.force-rate").and_then(rate),
        nodes: of_kind(":Node").filter_map(node).collect(),
        ..ServerState::default()
    };
    Some((state, version))
}

#[cfg(test)]
mod tests {
    use super::{Hz, parse};

    fn dump(settings: &str, node: &str) -> String {
        format!(
            r#"[{{"type":"PipeWire:Interface:Core","info":{{"props":{{"default.clock.rate":48000,"default.clock.quantum":"1024"}}}}}},
               {{"type":"PipeWire:Interface:Metadata","props":{{"metadata.name":"settings"}},"metadata":[{settings}]}},
               {{"type":"PipeWire:Interface:Node","info":{{"state":"idle","props":{{{node}}}}}}}]"#
        )
    }

    #[test]
    fn settings_win_over_defaults_and_numbers_may_be_text() {
        let plain = parse(&dump("", r#""node.name":"box""#)).unwrap().0;
        assert_eq!((plain.rate_hz, plain.buffer_frames), (Some(Hz::new(48_000)), Some(1024)));
        assert_eq!(plain.nodes, ["box (idle)"]);
        let set = r#"{"key":"clock.rate","value":"96000"},{"key":"clock.quantum","value":64},
                     {"key":"clock.allowed-rates","value":[44100,96000]},{"key":"clock.force-rate","value":0},
                     {"key":"clock.min-quantum","value":16},{"key":"clock.max-quantum","value":2048}"#;
        let found = parse(&dump(set, "")).unwrap().0;
        assert_eq!((found.rate_hz, found.buffer_frames), (Some(Hz::new(96_000)), Some(64)));
        assert_eq!(found.allowed_rates_hz, [Hz::new(44_100), Hz::new(96_000)]);
        assert_eq!((found.buffer_range_frames, found.forced_rate_hz), (Some((16, 2048)), None));
        assert!(found.nodes.is_empty());
    }

    #[test]
    fn a_block_may_be_forced_by_the_settings_or_by_a_node() {
        let by_node = parse(&dump("", r#""node.name":"x","node.force-quantum":128"#)).unwrap().0;
        assert_eq!(by_node.forced_buffer_frames, Some(128));
        let by_setting = parse(&dump(r#"{"key":"clock.force-quantum","value":256}"#, "")).unwrap().0;
        assert_eq!(by_setting.forced_buffer_frames, Some(256));
    }

    #[test]
    fn what_is_no_dump_is_nothing() {
        for text in ["", "{}", "[]", "[1, 2]", "[{\"type\": \"PipeWire:Interface:Node\"}]"] {
            assert!(parse(text).is_none(), "{text}");
        }
    }
}
