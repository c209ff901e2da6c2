//! Cover problems made from a seed, and the core's own search on them: `covers make N` writes N problems as lines of JSON, `covers
//! solve` reads such lines and writes for each the price of the cheapest set and the nanoseconds it took. So that the search
//! can be held against a general solver on the same problems (`xtask/compare-solver`).
#![allow(missing_docs, clippy::unwrap_used)]

use serde_json::{Value, json};
use std::io::BufRead;
use swiftloop_core::plan::{EffortBound, SearchResult, SetProblem, cheapest_set};

/// Items with a price and what they give to each need; a set has to give each need as much as it asks for.
struct Covers {
    prices: Vec<u32>,
    gains: Vec<Vec<f64>>,
    needs: Vec<f64>,
}

impl Covers {
    fn left(&self, chosen: &[usize]) -> Vec<f64> {
        let given = |k: usize| chosen.iter().map(|&i| self.gains[i][k]).sum::<f64>();
        self.needs.iter().enumerate().map(|(k, need)| need - given(k)).collect()
    }

    /// What a need costs at the least: the best bargains, the last one in part.
    fn bargain(&self, need: f64, k: usize, open: &[usize]) -> EffortBound {
        if need <= 0.0 {
            return EffortBound::default();
        }
        let gives = |n: usize| self.gains[open[n]][k];
        let mut order: Vec<usize> = (0..open.len()).filter(|&n| gives(n) > 0.0).collect();
        let rate = |n: usize| f64::from(self.prices[open[n]]) / gives(n);
        order.sort_by(|&a, &b| rate(a).total_cmp(&rate(b)));
        let Some(&next) = order.first() else { return EffortBound { effort: 1_000_000, next: 0 } };
        let (mut left, mut price) = (need, 0.0);
        for n in order {
            let part = (left / gives(n)).min(1.0);
            price += part * f64::from(self.prices[open[n]]);
            left -= part * gives(n);
            if left <= 1e-12 {
                return EffortBound { effort: (price - 1e-9).ceil().max(0.0) as u32, next };
            }
        }
        EffortBound { effort: 1_000_000, next }
    }
}

impl SetProblem for Covers {
    type Item = usize;
    type State = Vec<f64>;
    fn effort(&self, item: usize) -> u32 {
        self.prices[item]
    }
    fn state(&self, chosen: &[usize]) -> Vec<f64> {
        self.left(chosen)
    }
    fn satisfied(&self, left: &Vec<f64>) -> bool {
        left.iter().all(|l| *l <= 1e-9)
    }
    fn hopeful(&self, left: &Vec<f64>, _: &[usize], open: &[usize]) -> bool {
        let most = |k: usize| open.iter().map(|&i| self.gains[i][k]).sum::<f64>();
        left.iter().enumerate().all(|(k, l)| l - most(k) <= 1e-9)
    }
    fn floor(&self, left: &Vec<f64>, _: &[usize], open: &[usize], _: Option<u32>) -> EffortBound {
        left.iter().enumerate().map(|(k, l)| self.bargain(*l, k, open)).max().unwrap_or_default()
    }
}

/// As many remedies and needs as a phase has: a remedy gives to one need, or to a few, in whole tenths.
fn made(random: &mut fastrand::Rng) -> Value {
    let (items, needs) = (random.usize(8..=40), random.usize(1..=4));
    let gains: Vec<Vec<f64>> = (0..items)
        .map(|_| {
            let own = random.usize(0..needs);
            let give = |k: usize, r: &mut fastrand::Rng| {
                if k == own || r.u32(0..4) == 0 { r.u32(1..100) } else { 0 }
            };
            (0..needs).map(|k| f64::from(give(k, random)) / 10.0).collect()
        })
        .collect();
    let all = |k: usize| gains.iter().map(|g| g[k]).sum::<f64>();
    let needs: Vec<f64> = (0..needs).map(|k| (all(k) * random.f64() * 0.8 * 10.0).floor() / 10.0).collect();
    let prices: Vec<u32> = (0..items).map(|_| random.u32(1..=12)).collect();
    json!({ "prices": prices, "gains": gains, "needs": needs })
}

fn main() {
    let arguments: Vec<String> = std::env::args().collect();
    if let [_, make, count] = &arguments[..]
        && make == "make"
    {
        let mut random = fastrand::Rng::with_seed(17);
        (0..count.parse::<usize>().unwrap()).for_each(|_| println!("{}", made(&mut random)));
        return;
    }
    for line in std::io::stdin().lock().lines() {
        let value: Value = serde_json::from_str(&line.unwrap()).unwrap();
        let list =
            |v: &Value| v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()).collect::<Vec<f64>>();
        let problem = Covers {
            prices: list(&value["prices"]).iter().map(|p| *p as u32).collect(),
            gains: value["gains"].as_array().unwrap().iter().map(list).collect(),
            needs: list(&value["needs"]),
        };
        let items: Vec<usize> = (0..problem.prices.len()).collect();
        let begun = std::time::Instant::now();
        let found = cheapest_set(&problem, &[], &items, u32::MAX);
        let took = begun.elapsed().as_nanos();
        match found {
            SearchResult::Set(set) => println!("{} {took} {}", set.effort, set.exact),
            SearchResult::Nothing | SearchResult::Dearer(_) => println!("none {took} true"),
        }
    }
}
