//! What this user may do, from `/proc/self/limits` and `/proc/self/status`.

use super::tree::Tree;
use swiftloop_core::survey::Limits;

pub(super) fn limits(tree: &Tree) -> Limits {
    let text = tree.text("proc/self/limits").unwrap_or_default();
    // `Max realtime priority     0                    0`: what holds now comes first.
    let soft = |key: &str| {
        let value = text.lines().find_map(|l| l.strip_prefix(key))?.split_whitespace().next()?;
        if value == "unlimited" { Some(u64::MAX) } else { value.parse().ok() }
    };
    let status = tree.text("proc/self/status").unwrap_or_default();
    let user =
        status.lines().find_map(|l| l.strip_prefix("Uid:")?.split_whitespace().nth(1)?.parse::<u32>().ok());
    Limits {
        realtime_priority: soft("Max realtime priority"),
        locked_bytes: soft("Max locked memory"),
        superuser: user == Some(0),
    }
}
