//! A look at this computer every second beside a take: what may change comes out, and looking costs next to nothing. What is
//! dear to look at (programs, devices) is looked at seldom.

use super::busy::BusyLook;
use super::cards;
use super::computer;
use super::tree::Tree;
use std::collections::{BTreeMap, BTreeSet};
use swiftloop_core::in_effect::Sample;

/// Programs and devices are looked at every so many looks.
const SELDOM: u64 = 30;

/// Looks at this computer.
pub struct Eye {
    tree: Tree,
    looks: u64,
    programs: BusyLook,
}

impl Default for Eye {
    fn default() -> Self {
        Self { tree: Tree::of_this_computer(), looks: 0, programs: BusyLook::now() }
    }
}

impl Eye {
    /// One look: everything but what a server tells.
    pub fn look(&mut self) -> Sample {
        let mut sample = Sample { values: self.values(), ..Sample::default() };
        sample.memory_waits_percent = computer::waits(&self.tree, "memory");
        if self.looks.is_multiple_of(SELDOM) {
            let cards = cards::cards(&self.tree);
            sample.devices = Some(cards.iter().map(|c| c.name.clone()).collect::<BTreeSet<_>>());
            let energy = computer::power(&self.tree);
            sample.hottest_c = energy.hottest_c;
            sample.throttled = computer::throttled(&self.tree);
            if self.looks > 0 {
                sample.busy = Some(self.programs.again());
            }
        }
        self.looks += 1;
        sample
    }

    /// What has a value: clocks, power, and how devices are open.
    fn values(&self) -> BTreeMap<&'static str, String> {
        const CPU: &str = "sys/devices/system/cpu/cpu0/cpufreq";
        let mut all = BTreeMap::new();
        let mut add = |what, value: Option<String>| {
            if let Some(value) = value {
                all.insert(what, value);
            }
        };
        add("governor", self.tree.first_word(&format!("{CPU}/scaling_governor")));
        add("highest clock in kHz", self.tree.first_word(&format!("{CPU}/scaling_max_freq")));
        let online = |n: &String| self.tree.first_word(&format!("sys/class/power_supply/{n}/online"));
        let supplies = self.tree.names("sys/class/power_supply");
        let mains: Vec<String> = supplies.iter().filter_map(online).collect();
        let on_mains = mains.iter().any(|m| m == "1");
        add("power", (!mains.is_empty()).then(|| if on_mains { "mains" } else { "battery" }.into()));
        add("open devices", self.open());
        all
    }

    /// `card0/pcm0p 48000 Hz 64`
    fn open(&self) -> Option<String> {
        const CARDS: &str = "proc/asound";
        let mut all = Vec::new();
        for (_, card) in self.tree.numbered(CARDS, "card") {
            for pcm in self.tree.names(&format!("{CARDS}/{card}")).iter().filter(|n| n.starts_with("pcm")) {
                let text = self.tree.text(&format!("{CARDS}/{card}/{pcm}/sub0/hw_params"));
                let value = |key: &str| {
                    let text = text.as_deref()?;
                    let line = text.lines().find_map(|l| l.strip_prefix(key)?.strip_prefix(':'))?;
                    line.split_whitespace().next().map(String::from)
                };
                if let (Some(rate), Some(period)) = (value("rate"), value("period_size")) {
                    all.push(format!("{card}/{pcm} {rate} Hz {period}"));
                }
            }
        }
        (!all.is_empty()).then(|| all.join(", "))
    }
}
