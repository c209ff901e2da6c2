//! Every way to arrange a phase: a problem comes in; each setting of its interface with every roll block and every number of
//! workers that may be tried goes out.

use super::lines::lines_for;
use crate::plan::default_workers;
use crate::plan::{Arrangement, PhaseProblem};
use swiftloop_units::Block;

/// Numbers of workers that may be tried: the session's own first, then one fewer, then one more.
fn worker_options(problem: &PhaseProblem<'_>) -> Vec<u32> {
    let cores = problem.question.context.rig.machine.cores;
    let own = default_workers(problem.question.context.session, cores);
    let mut options = vec![own];
    // A reserved core only helps when others would otherwise take time from the session.
    if own > 1 && own == cores {
        options.push(own - 1);
    }
    if own < cores {
        options.push(own + 1);
    }
    options
}

/// Every arrangement of a phase.
pub(super) fn arrangements(problem: &PhaseProblem<'_>) -> Vec<Arrangement> {
    let context = &problem.question.context;
    let engine = &context.session.engine;
    let mut all = Vec::new();
    for setting in context.settings(problem.question.interface, problem.question.rate) {
        let mut rolls: Vec<Option<Block>> = vec![None];
        if engine.renders_ahead && !problem.question.live.is_empty() {
            rolls.extend(engine.roll_frames.iter().filter(|b| **b > setting.buffer.block).map(|&b| Some(b)));
        }
        let lines = lines_for(problem, &setting);
        for workers in worker_options(problem) {
            for link in &lines {
                all.extend(rolls.iter().map(|&roll| {
                    let (setting, link) = (setting.clone(), link.clone());
                    Arrangement { setting, roll, workers, link }
                }));
            }
        }
    }
    all
}
