//! The limit of a group.

use super::threads::Failed;

/// A group of threads with a limit for its real-time ones.
pub struct Group(std::path::PathBuf);

impl Group {
    pub fn new() -> Result<Self, Failed> {
        let place =
            std::path::PathBuf::from(format!("/sys/fs/cgroup/cpu/swiftloop-provoke-{}", std::process::id()));
        std::fs::create_dir(&place)
            .map_err(|_| "this system has no groups with a limit for real-time threads")?;
        let group = Self(place);
        std::fs::write(group.0.join("cpu.rt_period_us"), "100000")?;
        std::fs::write(group.0.join("cpu.rt_runtime_us"), "40000")
            .map_err(|_| "this system has no groups with a limit for real-time threads")?;
        Ok(group)
    }

    pub fn tasks(&self) -> std::path::PathBuf {
        self.0.join("tasks")
    }
}

impl Drop for Group {
    fn drop(&mut self) {
        let _ = std::fs::remove_dir(&self.0);
    }
}
