//! The data tables inside the program, read once.

use std::sync::LazyLock;
use swiftloop_core::tables::Tables;

const DRIVERS: &str = include_str!("../data/drivers.toml");
const WORLD: &str = include_str!("../data/world.toml");

static TABLES: LazyLock<Result<Tables, String>> =
    LazyLock::new(|| toml::from_str(&format!("{DRIVERS}\n{WORLD}")).map_err(|e| e.to_string()));

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
    use super::tables;
    use swiftloop_core::rig::PowerPlan;

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
