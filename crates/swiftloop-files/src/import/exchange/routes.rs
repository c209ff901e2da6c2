//! Where channels lead. Outputs and sends of every channel come in, and circles among them are opened: sound cannot run in one.

/// Where a lane leads; `None` is the main output.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Route {
    pub to: Option<usize>,
    pub sends: Vec<usize>,
}

/// Sound cannot run in a circle: whatever closes one is taken away, and told.
pub(super) fn break_circles(routes: &mut [Route]) -> Vec<(usize, usize)> {
    #[derive(Clone, Copy, PartialEq)]
    enum Seen {
        Not,
        OnTheWay,
        Done,
    }
    let mut broken = Vec::new();
    let mut seen = vec![Seen::Not; routes.len()];
    for start in 0..routes.len() {
        // A way down, with how many of each one's targets were followed.
        let mut way = vec![(start, 0usize)];
        if seen[start] != Seen::Not {
            continue;
        }
        seen[start] = Seen::OnTheWay;
        while let Some((at, followed)) = way.last_mut() {
            let at = *at;
            let targets: Vec<usize> =
                routes[at].to.into_iter().chain(routes[at].sends.iter().copied()).collect();
            let Some(&next) = targets.get(*followed) else {
                seen[at] = Seen::Done;
                way.pop();
                continue;
            };
            match seen[next] {
                Seen::OnTheWay => {
                    broken.push((at, next));
                    if routes[at].to == Some(next) {
                        routes[at].to = None;
                    }
                    routes[at].sends.retain(|t| *t != next);
                }
                Seen::Done => *followed += 1,
                Seen::Not => {
                    *followed += 1;
                    seen[next] = Seen::OnTheWay;
                    way.push((next, 0));
                }
            }
        }
    }
    broken
}
