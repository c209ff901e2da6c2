//! Workers and one queue: a node enters it when the last of those that feed it is done; whoever is free takes the first.

/// Nodes with what each takes and what it feeds; edges run to higher numbers only.
#[derive(Debug, Clone)]
pub struct Block {
    pub takes: Vec<f64>,
    pub feeds: Vec<Vec<usize>>,
}

/// When the last node is done.
pub fn done_at(block: &Block, workers: usize) -> f64 {
    let count = block.takes.len();
    let mut missing = vec![0usize; count];
    for fed in &block.feeds {
        for &t in fed {
            missing[t] += 1;
        }
    }
    let mut queue: Vec<usize> = (0..count).filter(|&n| missing[n] == 0).collect();
    let mut at_work: Vec<(f64, usize)> = Vec::new();
    let mut now = 0.0;
    let mut done = 0;
    while done < count {
        while at_work.len() < workers && !queue.is_empty() {
            let n = queue.remove(0);
            at_work.push((now + block.takes[n], n));
        }
        // Of two that are done at once, the one that stands first in the session.
        let next = (0..at_work.len())
            .min_by(|&a, &b| at_work[a].0.total_cmp(&at_work[b].0).then(at_work[a].1.cmp(&at_work[b].1)))
            .expect("somebody is at work");
        let (end, n) = at_work.swap_remove(next);
        now = end;
        done += 1;
        for &t in &block.feeds[n] {
            missing[t] -= 1;
            if missing[t] == 0 {
                queue.push(t);
            }
        }
    }
    now
}

/// Tracks, some buses and a main output with random work.
pub fn random_block(random: &mut fastrand::Rng) -> Block {
    let (tracks, buses) = (random.usize(1..30), random.usize(0..6));
    let count = tracks + buses + 1;
    let takes = (0..count).map(|_| super::between(random, 1.0, 400.0)).collect();
    let mut feeds = vec![Vec::new(); count];
    for (n, fed) in feeds.iter_mut().enumerate().take(count - 1) {
        let first = if n < tracks { tracks } else { n + 1 };
        fed.push(random.usize(first..count));
        while random.f64() < 0.3 {
            let t = random.usize(first..count);
            if !fed.contains(&t) {
                fed.push(t);
            }
        }
    }
    Block { takes, feeds }
}
