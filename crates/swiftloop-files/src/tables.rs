//! The data tables inside the program, read once.

use std::sync::LazyLock;
use swiftloop_core::tables::Tables;
use swiftloop_measure::trace::Advice;

const DRIVERS: &str = include_str!("../data/drivers.toml");
const WORLD: &str = include_str!("../data/world.toml");

static TABLES: LazyLock<Result<Tables, String>> =
    LazyLock::new(|| toml::from_str(&format!("{DRIVERS}\n{WORLD}")).map_err(|e| e.to_string()));

#[derive(serde::Deserialize)]
struct Thieves {
    advice: Vec<Advice>,
}

static THIEVES: LazyLock<Result<Thieves, String>> =
    LazyLock::new(|| toml::from_str(include_str!("../data/thieves.toml")).map_err(|e| e.to_string()));

/// What to do about thieves. Ships with the program, as [`tables`] do.
///
/// # Panics
/// When the shipped data is broken, which no user can cause.
#[must_use]
#[allow(clippy::panic)]
pub fn thieves() -> &'static [Advice] {
    match &*THIEVES {
        Ok(thieves) => &thieves.advice,
        Err(why) => panic!("the table of thieves shipped inside the program is broken: {why}"),
    }
}

/// The tables. They ship with the program and a test reads them, so this cannot fail in a released build.
///
/// # Panics
/// When the shipped data is broken, which no user can cause.
#[must_use]
#[allow(clippy::panic)]
pub fn tables() -> &'static Tables {
    match &*TABLES {
        Ok(tables) => tables,
        Err(why) => panic!("the tables shipped inside the program are broken: {why}"),
    }
}

#[cfg(test)]
mod tests {
    use super::{tables, thieves};
    use swiftloop_core::rig::PowerPlan;
    use swiftloop_measure::trace::{HolderKind, Who, advice_for};

    #[test]
    fn every_row_has_a_source_and_every_machine_every_power_plan() {
        let all = tables();
        assert!(all.driver.iter().all(|d| d.source.len() > 30));
        for class in ["desktop", "laptop"] {
            let class = all.machine_class(class).expect("a class");
            for power in [PowerPlan::Performance, PowerPlan::Balanced, PowerPlan::Saving] {
                let row = class.under(power);
                assert!(row.source.len() > 20 && row.scale_us.low().raw() > 0.0, "{} {power:?}", row.class);
            }
        }
        for class in ["light", "medium", "heavy", "extreme"] {
            assert!(all.cost_class(class).is_some(), "{class}");
        }
    }

    #[test]
    fn every_thief_has_advice_and_what_must_stay_is_said() {
        let of = |kind, name: &str| {
            advice_for(thieves(), &Who { kind, name: name.into() }).expect("a row").class.as_str()
        };
        for kind in HolderKind::ALL {
            of(kind, "whatever it is");
        }
        for (kind, name, class) in [
            (HolderKind::HardInterrupt, "nvme0q1 (irq 30)", "storage"),
            (HolderKind::HardInterrupt, "local_timer: timerfd_tmrproc", "many timers at once"),
            (HolderKind::HardInterrupt, "acme path (irq 5)", "a device"),
            (HolderKind::SoftirqNet, "NET_RX: wlp2s0", "wireless network"),
            (HolderKind::SoftirqNet, "NET_RX: veth1", "wired network"),
            (HolderKind::Priority, "irq/24-xhci_hcd", "USB controller"),
            (HolderKind::Priority, "kworker/1:0H", "the kernel's helpers"),
            (HolderKind::Priority, "a mixer", "another program"),
        ] {
            assert_eq!(of(kind, name), class, "{name}");
        }
        for class in ["storage", "keyboard and pointer", "many timers at once", "USB controller"] {
            assert!(thieves().iter().any(|a| a.class == class && a.keep.is_some()), "{class}");
        }
    }

    #[test]
    fn models_are_sorted_by_delay_at_128_frames() {
        let total = |d: &swiftloop_core::tables::DriverModel| {
            (d.blocks_in.typical().raw() + d.blocks_out.typical().raw()) * 128.0 / 48.0
                + d.fixed_in_ms.typical().raw()
                + d.fixed_out_ms.typical().raw()
                + if d.live { 0.0 } else { 100.0 }
        };
        let sums: Vec<f64> = tables().driver.iter().map(total).collect();
        assert!(sums.windows(2).all(|w| w[0] <= w[1] + 6.0), "{sums:?}");
    }
}
