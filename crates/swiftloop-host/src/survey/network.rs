//! The way by which a Linux computer reaches the network: the default route, and whether it goes through the air.

use super::tree::Tree;
use swiftloop_core::survey::Network;

/// A route to anywhere.
const ANYWHERE: &str = "00000000";

pub(super) fn network(tree: &Tree) -> Option<Network> {
    // Columns: interface, destination, gateway, flags, references, uses, metric, mask …
    let routes = tree.text("proc/net/route")?;
    let of = |line: &str| {
        let columns: Vec<&str> = line.split_whitespace().collect();
        let anywhere = columns.get(1) == Some(&ANYWHERE) && columns.get(7) == Some(&ANYWHERE);
        let metric = columns.get(6)?.parse::<u32>().ok()?;
        anywhere.then(|| (metric, columns[0].to_string()))
    };
    let name = routes.lines().skip(1).filter_map(of).min()?.1;
    let named = !name.contains('/') && !name.starts_with('.');
    let wireless =
        tree.names(&format!("sys/class/net/{name}")).iter().any(|n| n == "wireless" || n == "phy80211");
    named.then_some(Network { name, wireless })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::fs;

    #[test]
    fn the_default_route_with_the_least_metric_counts() {
        let dir = tempfile::tempdir().unwrap();
        let at = |name: &str| dir.path().join(name);
        fs::create_dir_all(at("proc/net")).unwrap();
        let head = "Iface\tDestination\tGateway\tFlags\tRefCnt\tUse\tMetric\tMask\tMTU\tWindow\tIRTT\n";
        let wlan = "wlan0\t00000000\t0102A8C0\t0003\t0\t0\t600\t00000000\t0\t0\t0\n";
        let cable = "eth0\t00000000\t0102A8C0\t0003\t0\t0\t100\t00000000\t0\t0\t0\n";
        let own = "eth0\t0002A8C0\t00000000\t0001\t0\t0\t100\t00FFFFFF\t0\t0\t0\n";
        fs::create_dir_all(at("sys/class/net/wlan0/wireless")).unwrap();
        fs::create_dir_all(at("sys/class/net/eth0")).unwrap();
        let found = |routes: String| {
            fs::write(at("proc/net/route"), routes).unwrap();
            network(&Tree::copied(dir.path())).map(|n| (n.name, n.wireless))
        };
        assert_eq!(found(format!("{head}{wlan}{own}")), Some(("wlan0".into(), true)));
        assert_eq!(found(format!("{head}{wlan}{cable}{own}")), Some(("eth0".into(), false)));
        assert_eq!(found(format!("{head}{own}")), None);
        assert_eq!(found("nonsense".into()), None);
    }
}
