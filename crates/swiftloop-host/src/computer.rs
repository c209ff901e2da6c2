//! The few figures of this computer that a new rig file starts from.

use std::path::Path;
use sysinfo::{Disks, System};

/// What the computer says of itself; nothing where it does not say.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ComputerFacts {
    pub cores: Option<u32>,
    pub threads: Option<u32>,
    /// Memory in gigabytes (10⁹ bytes).
    pub memory_gb: Option<f64>,
    /// Free space on the disk that holds a folder, in gigabytes.
    pub disk_free_gb: Option<f64>,
}

/// Asks the operating system about this computer and the disk that holds `folder`.
#[must_use]
pub fn look(folder: &Path) -> ComputerFacts {
    let mut system = System::new();
    system.refresh_memory();
    let gigabytes = |bytes: u64| (bytes > 0).then(|| (bytes as f64 / 1e8).round() / 10.0);
    let here = std::path::absolute(folder).unwrap_or_else(|_| folder.to_path_buf());
    let disks = Disks::new_with_refreshed_list();
    let holding = disks.iter().filter(|d| here.starts_with(d.mount_point()));
    let disk = holding.max_by_key(|d| d.mount_point().as_os_str().len());
    let threads = std::thread::available_parallelism().ok().and_then(|n| u32::try_from(n.get()).ok());
    // A container may have fewer threads than the machine has cores: never report more cores than threads.
    let physical = System::physical_core_count().and_then(|n| u32::try_from(n).ok());
    ComputerFacts {
        cores: physical.map(|c| threads.map_or(c, |t| c.min(t))).or(threads),
        threads,
        memory_gb: gigabytes(system.total_memory()),
        disk_free_gb: disk.and_then(|d| gigabytes(d.available_space())),
    }
}

/// The name that the processor gives itself; empty where nobody tells.
#[cfg(not(target_os = "linux"))]
#[must_use]
pub fn processor_name() -> String {
    use sysinfo::{CpuRefreshKind, RefreshKind};
    let system = System::new_with_specifics(RefreshKind::nothing().with_cpu(CpuRefreshKind::nothing()));
    system.cpus().first().map(|c| c.brand().trim().to_string()).unwrap_or_default()
}

/// The name that the processor gives itself; empty where nobody tells.
#[cfg(target_os = "linux")]
#[must_use]
pub fn processor_name() -> String {
    let text = std::fs::read_to_string("/proc/cpuinfo").unwrap_or_default();
    let line = text.lines().find(|l| l.starts_with("model name"));
    line.and_then(|l| l.split_once(':')).map(|(_, name)| name.trim().to_string()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    #[test]
    fn this_computer_has_a_core_and_memory() {
        let computer = super::look(std::path::Path::new("."));
        assert!(computer.cores.is_none_or(|c| c >= 1 && computer.threads.is_none_or(|t| t >= c)));
        // Linux always says.
        assert!(cfg!(not(target_os = "linux")) || computer.memory_gb.is_some_and(|m| m > 0.1));
        assert!(cfg!(not(target_os = "linux")) || computer.threads.is_some());
    }
}
