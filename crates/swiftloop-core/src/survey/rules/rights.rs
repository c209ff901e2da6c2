//! What the system lets an audio thread do: priority, memory, how soon the kernel lets go.

use super::super::{Finding, Grade, Inventory};

/// How a user gets real-time priority and locked memory.
pub const ALLOW_REALTIME: &str = "printf '@audio - rtprio 90\\n@audio - memlock unlimited\\n' | sudo tee \
     /etc/security/limits.d/95-audio.conf; sudo usermod -aG audio $USER; log in again";
const UNDO_REALTIME: &str = "sudo rm /etc/security/limits.d/95-audio.conf; sudo gpasswd -d $USER audio";
/// A session's buffers and samples that have to stay in memory, in bytes.
const LOCKED_BYTES: u64 = 256 * 1024 * 1024;

pub fn no_realtime(i: &Inventory) -> Vec<Finding> {
    let Some(priority) = i.limits.realtime_priority else { return Vec::new() };
    if i.limits.superuser || priority >= 50 {
        return Vec::new();
    }
    vec![Finding {
        id: "no-realtime",
        grade: Grade::Severe,
        what: "Programs of this user may not have real-time priority.".into(),
        costs: "Audio threads wait behind every other program: dropouts at any buffer that feels immediate."
            .into(),
        evidence: format!("/proc/self/limits: Max realtime priority {priority}"),
        cure: ALLOW_REALTIME.into(),
        risk: "a program that never lets go can hold a core".into(),
        undo: UNDO_REALTIME.into(),
    }]
}

pub fn no_locked_memory(i: &Inventory) -> Vec<Finding> {
    let Some(bytes) = i.limits.locked_bytes else { return Vec::new() };
    if i.limits.superuser || bytes >= LOCKED_BYTES {
        return Vec::new();
    }
    vec![Finding {
        id: "no-locked-memory",
        grade: Grade::Costly,
        what: format!("Only {} MB of memory may be locked.", bytes / 1_000_000),
        costs: "Audio memory can be swapped out: rare, long dropouts.".into(),
        evidence: format!("/proc/self/limits: Max locked memory {bytes} bytes"),
        cure: ALLOW_REALTIME.into(),
        risk: "a program that locks all memory starves the others".into(),
        undo: UNDO_REALTIME.into(),
    }]
}

pub fn preemption(i: &Inventory) -> Vec<Finding> {
    let Some(word) = i.kernel.preemption.as_deref() else { return Vec::new() };
    if !matches!(word, "none" | "voluntary") {
        return Vec::new();
    }
    let cure = if i.kernel.preemption_can_change {
        "add preempt=full to the kernel's command line (in /etc/default/grub, then sudo update-grub) and restart"
    } else {
        "install your distribution's low-latency or real-time kernel and restart"
    };
    vec![Finding {
        id: "preemption",
        grade: if word == "none" { Grade::Costly } else { Grade::Mild },
        what: format!("The kernel lets go of the processor late (preemption: {word})."),
        costs: "An audio thread may wait some hundred microseconds for a system call of somebody else."
            .into(),
        evidence: i.kernel.version.clone().unwrap_or_default(),
        cure: cure.into(),
        risk: "a few percent less throughput".into(),
        undo: "take it off the command line, or choose the old kernel when starting".into(),
    }]
}

pub fn realtime_share(i: &Inventory) -> Vec<Finding> {
    let Some(share) = i.kernel.realtime_share.filter(|s| *s < 0.9) else { return Vec::new() };
    vec![Finding {
        id: "realtime-share",
        grade: Grade::Costly,
        what: format!("Real-time threads may have only {:.0} % of each second.", share * 100.0),
        costs: "A heavy session is stopped for the rest of the second: one long dropout.".into(),
        evidence: "/proc/sys/kernel/sched_rt_runtime_us against sched_rt_period_us".into(),
        cure: "sudo sysctl kernel.sched_rt_runtime_us=950000".into(),
        risk: "a program that never lets go leaves 5 % for saving your work".into(),
        undo: format!("sudo sysctl kernel.sched_rt_runtime_us={:.0}", share * 1e6),
    }]
}
