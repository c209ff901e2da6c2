//! Which programs used the processor between two looks.

use std::time::Instant;
use swiftloop_core::survey::BusyProgram;
use sysinfo::{Pid, ProcessRefreshKind, ProcessesToUpdate, System};

const MOST: usize = 5;
/// Less than this share of a core is nothing.
const LEAST: f64 = 0.02;

pub(super) struct BusyLook {
    system: System,
    from: Instant,
}

impl BusyLook {
    pub fn now() -> Self {
        let mut system = System::new();
        refresh(&mut system);
        Self { system, from: Instant::now() }
    }

    /// What each program used since, most first; we ourselves are left out.
    pub fn until_now(mut self) -> Vec<BusyProgram> {
        self.again()
    }

    /// The same, and from now on anew.
    pub fn again(&mut self) -> Vec<BusyProgram> {
        if self.from.elapsed() < sysinfo::MINIMUM_CPU_UPDATE_INTERVAL {
            std::thread::sleep(sysinfo::MINIMUM_CPU_UPDATE_INTERVAL);
        }
        refresh(&mut self.system);
        self.from = Instant::now();
        let own = Pid::from_u32(std::process::id());
        let mut all: Vec<BusyProgram> = self
            .system
            .processes()
            .iter()
            .filter(|(pid, process)| **pid != own && process.thread_kind().is_none())
            .map(|(_, process)| BusyProgram {
                name: process.name().to_string_lossy().into_owned(),
                core_share: f64::from(process.cpu_usage()) / 100.0,
            })
            .filter(|b| b.core_share >= LEAST)
            .collect();
        all.sort_by(|a, b| b.core_share.total_cmp(&a.core_share));
        all.truncate(MOST);
        all
    }
}

fn refresh(system: &mut System) {
    system.refresh_processes_specifics(
        ProcessesToUpdate::All,
        true,
        ProcessRefreshKind::nothing().with_cpu(),
    );
}
