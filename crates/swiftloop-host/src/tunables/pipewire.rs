//! PipeWire's settings, through its own `pw-metadata`. What it is told is not what it does: any text is stored, and a rate that
//! is let go stays while something plays. So values are checked before, and what is let go is first put to what it was.

use super::{TunableError, not_a_figure};
use crate::jack::pipewire_runs_at;
use serde_json::Value;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

const TOOL: &str = "pw-metadata";
const BUFFER: &str = "clock.force-quantum";
const RATE: &str = "clock.force-rate";
const RATE_NOW: &str = "clock.rate";
const BUFFER_NOW: &str = "clock.quantum";
/// How long the tool may take.
const PATIENCE: Duration = Duration::from_secs(5);
/// What is set is in the graph after a few of its largest blocks.
const SETTLES: Duration = Duration::from_millis(300);
/// What PipeWire tells of itself, in a copy.
pub(super) const COPY: &str = "pipewire.json";

/// Runs the tool and gives what it prints.
#[allow(clippy::wildcard_enum_match_arm, reason = "the list is not ours, and grows")]
fn run(args: &[&str]) -> Result<String, TunableError> {
    let failed = |e: std::io::Error| match e.kind() {
        std::io::ErrorKind::NotFound => TunableError::Gone(TOOL.into()),
        _ => TunableError::PipeWire(e.to_string()),
    };
    let mut child = Command::new(TOOL)
        .args(args)
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .map_err(failed)?;
    let ended = patiently(&mut child)?;
    let mut text = String::new();
    if let Some(mut out) = child.stdout.take() {
        std::io::Read::read_to_string(&mut out, &mut text).map_err(failed)?;
    }
    if ended { Ok(text) } else { Err(TunableError::Gone("PipeWire".into())) }
}

/// Whether it ended well; one that does not end is ended.
fn patiently(child: &mut Child) -> Result<bool, TunableError> {
    let begun = Instant::now();
    loop {
        match child.try_wait() {
            Ok(Some(status)) => return Ok(status.success()),
            Ok(None) if begun.elapsed() < PATIENCE => std::thread::sleep(Duration::from_millis(5)),
            Ok(None) => {
                let _ = child.kill();
                let _ = child.wait();
                return Err(TunableError::PipeWire("it does not answer".into()));
            }
            Err(e) => return Err(TunableError::PipeWire(e.to_string())),
        }
    }
}

/// `update: id:0 key:'clock.rate' value:'48000' type:''`
fn value_of(text: &str, key: &str) -> Option<String> {
    let wanted = format!("key:'{key}'");
    let line = text.lines().find(|l| l.contains(&wanted))?;
    Some(line.split("value:'").nth(1)?.split('\'').next()?.to_string())
}

fn set(key: &str, value: u32) -> Result<(), TunableError> {
    run(&["-n", "settings", "0", key, &value.to_string()]).map(drop)
}

/// The buffer that everybody is held at, 0 for none, and the buffer there is without: `0@1024`.
pub(super) fn forced_buffer() -> Result<String, TunableError> {
    forced(BUFFER, BUFFER_NOW)
}

/// The same of the rate: `0@48000`.
pub(super) fn forced_rate() -> Result<String, TunableError> {
    forced(RATE, RATE_NOW)
}

fn forced(held: &str, without: &str) -> Result<String, TunableError> {
    let text = run(&["-n", "settings"])?;
    let of = |key| value_of(&text, key).ok_or_else(|| TunableError::Gone("PipeWire".into()));
    Ok(format!("{}@{}", of(held)?, of(without)?))
}

/// Holds everybody at a buffer, or lets go; and looks at what the graph makes of it, since any text is stored.
pub(super) fn force_buffer(to: &str) -> Result<(), TunableError> {
    let frames = force(BUFFER, to)?;
    match pipewire_runs_at() {
        Some(runs) if frames > 0 && runs != frames => Err(TunableError::PipeWire(format!(
            "it was told to work in blocks of {frames} and works in blocks of {runs}"
        ))),
        _ => Ok(()),
    }
}

/// Holds everybody at a rate, or lets go.
pub(super) fn force_rate(to: &str) -> Result<(), TunableError> {
    force(RATE, to).map(drop)
}

/// Holds everybody at a value, `96000`; or lets go, `0@48000`: while something plays, what is only let go stays as it is, so it is
/// first held at what there is without.
fn force(key: &str, to: &str) -> Result<u32, TunableError> {
    let (held, without) = to.trim().split_once('@').unwrap_or((to.trim(), ""));
    let held: u32 = held.parse().map_err(|_| not_a_figure(to))?;
    if let (0, Ok(without)) = (held, without.parse()) {
        set(key, without)?;
        std::thread::sleep(SETTLES);
    }
    set(key, held)?;
    std::thread::sleep(SETTLES);
    Ok(held)
}

/// The settings of a copy, as a list that may be changed.
fn settings_of(all: &mut Value) -> Option<&mut Vec<Value>> {
    let own = all.as_array_mut()?.iter_mut().find(|o| o["props"]["metadata.name"] == "settings")?;
    own["metadata"].as_array_mut()
}

fn copy(root: &Path) -> Result<(String, Value), TunableError> {
    let text = super::files::read_long(root, COPY)?;
    let value = serde_json::from_str(&text).map_err(|e| TunableError::PipeWire(format!("{COPY}: {e}")))?;
    Ok((text, value))
}

fn in_copy(all: &mut Value, key: &str) -> Option<String> {
    let value = settings_of(all)?.iter().find(|s| s["key"] == key)?["value"].clone();
    value.as_u64().map(|n| n.to_string()).or_else(|| value.as_str().map(String::from))
}

/// The same of a copy.
pub(super) fn read_copy(root: &Path, rate: bool) -> Result<String, TunableError> {
    let (_, mut all) = copy(root)?;
    let of = |all: &mut Value, key: &str| in_copy(all, key).unwrap_or_else(|| "0".into());
    let (held, without) = if rate { (RATE, RATE_NOW) } else { (BUFFER, BUFFER_NOW) };
    Ok(format!("{}@{}", of(&mut all, held), of(&mut all, without)))
}

/// Puts it into a copy: the figure alone is changed, all else stays byte for byte.
pub(super) fn put_copy(root: &Path, rate: bool, to: &str) -> Result<(), TunableError> {
    let key = if rate { RATE } else { BUFFER };
    let figure = to.trim().split('@').next().unwrap_or(to);
    let figure: u32 = figure.parse().map_err(|_| not_a_figure(to))?;
    let (text, _) = copy(root)?;
    let changed =
        with_figure(&text, key, figure).ok_or_else(|| TunableError::Gone(format!("{key} in {COPY}")))?;
    super::files::write(root, COPY, &changed, true)
}

/// The text with another figure after a key: `"key": "clock.force-rate", … "value": 0`.
fn with_figure(text: &str, key: &str, figure: u32) -> Option<String> {
    let key_at = text.find(&format!("\"{key}\""))?;
    let value_at = key_at + text[key_at..].find("\"value\"")? + "\"value\"".len();
    let end_of_object = key_at + text[key_at..].find('}')?;
    let from = value_at + text[value_at..].find(|c: char| c.is_ascii_digit())?;
    if from > end_of_object {
        return None;
    }
    let to = from + text[from..].find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len() - from);
    Some(format!("{}{figure}{}", &text[..from], &text[to..]))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_tools_lines_are_read() {
        let text = "Found \"settings\" metadata 29\nupdate: id:0 key:'clock.rate' value:'48000' type:''\n\
                    update: id:0 key:'clock.force-rate' value:'0' type:''\n";
        assert_eq!(value_of(text, RATE).as_deref(), Some("0"));
        assert_eq!(value_of(text, RATE_NOW).as_deref(), Some("48000"));
        assert_eq!(value_of(text, BUFFER), None);
    }

    #[test]
    fn of_a_copy_one_figure_changes_and_nothing_else() {
        let text = r#"[{"props":{"metadata.name":"settings"},"metadata":[{"subject":0,"key":"clock.force-quantum","value":0},
            {"subject":0,"key":"clock.force-rate","type":"","value": "96000" }]}]"#;
        let buffer = with_figure(text, BUFFER, 256).unwrap();
        assert_eq!(buffer, text.replace("\"value\":0}", "\"value\":256}"));
        assert_eq!(with_figure(&buffer, BUFFER, 0).unwrap(), text);
        assert_eq!(with_figure(text, RATE, 0).unwrap(), text.replace("96000", "0"));
        assert_eq!(with_figure(text, "clock.none", 1), None);
        assert_eq!(with_figure(r#"[{"key":"clock.force-rate"},{"key":"x","value":3}]"#, RATE, 1), None);
    }
}
