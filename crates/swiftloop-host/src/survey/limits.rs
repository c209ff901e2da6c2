//! What this user may do, from `/proc/self/limits` and `/proc/self/status`.

use super::tree::Tree;
use swiftloop_core::survey::UserLimits;

pub(super) fn limits(tree: &Tree) -> UserLimits {
    let text = tree.text("proc/self/limits").unwrap_or_default();
    // `Max realtime priority     0                    0`: what holds now comes first.
    let soft = |key: &str| {
        let value = text.lines().find_map(|l| l.strip_prefix(key))?.split_whitespace().next()?;
        if value == "unlimited" { Some(u64::MAX) } else { value.parse().ok() }
    };
    let status = tree.text("proc/self/status").unwrap_or_default();
    let user =
        status.lines().find_map(|l| l.strip_prefix("Uid:")?.split_whitespace().nth(1)?.parse::<u32>().ok());
    UserLimits {
        realtime_priority: soft("Max realtime priority"),
        locked_bytes: soft("Max locked memory"),
        group_realtime_us: group_realtime(tree),
        superuser: user == Some(0),
    }
}

/// What the group of programs that we belong to may do in real time: only where the kernel shares it out among groups (version 1
/// of its groups). A fresh group has none, and then no thread in it gets any real-time priority.
fn group_realtime(tree: &Tree) -> Option<i64> {
    const GROUPS: &str = "sys/fs/cgroup";
    let own = tree.text("proc/self/cgroup")?;
    // `1:cpu:/user/session`
    let (controllers, group) = own.lines().find_map(|line| {
        let (controllers, group) = line.split_once(':')?.1.split_once(':')?;
        controllers.split(',').any(|c| c == "cpu").then_some((controllers, group))
    })?;
    let inside = !group.split('/').any(|part| part == "..");
    let places =
        [controllers, "cpu", "cpu,cpuacct"].map(|c| format!("{GROUPS}/{c}{group}/cpu.rt_runtime_us"));
    places.iter().filter(|_| inside).find_map(|place| tree.number(place)).map(|us| us as i64)
}
