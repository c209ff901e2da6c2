//! Threads of a server that move sound, from `/proc`: their priorities.

use super::tree::Tree;
use swiftloop_core::survey::SoundThread;

/// Of a program with this name that shares our folder for sockets; its first thread only looks after the others.
pub(super) fn of_program(tree: &Tree, program: &str) -> Vec<SoundThread> {
    let ours = std::env::var("XDG_RUNTIME_DIR").ok();
    let numbers = tree.numbered("proc", "").into_iter();
    let mut all = Vec::new();
    for (pid, name) in numbers {
        if tree.first_word(&format!("proc/{name}/comm")).as_deref() != Some(program) {
            continue;
        }
        let around = tree.text(&format!("proc/{name}/environ")).unwrap_or_default();
        let folder = around.split('\0').find_map(|v| v.strip_prefix("XDG_RUNTIME_DIR="));
        if folder.is_some() && folder != ours.as_deref() {
            continue;
        }
        let tasks = tree.numbered(&format!("proc/{name}/task"), "");
        all.extend(tasks.into_iter().filter(|t| t.0 != pid).filter_map(|t| thread(tree, &name, &t)));
    }
    all.retain(|t: &SoundThread| t.name == program || t.name.contains("data-loop"));
    all
}

fn thread(tree: &Tree, process: &str, (id, number): &(u32, String)) -> Option<SoundThread> {
    let place = format!("proc/{process}/task/{number}");
    let stat = tree.text(&format!("{place}/stat"))?;
    // After the name, which may hold anything, the third field is the first: the 40th and 41st are priority and policy.
    let rest: Vec<&str> = stat.rsplit_once(')')?.1.split_whitespace().collect();
    let field = |number: usize| rest.get(number - 3)?.parse::<u32>().ok();
    let (priority, policy) = (field(40)?, field(41)?);
    let name = tree.first_word(&format!("{place}/comm"))?;
    // SCHED_FIFO and SCHED_RR.
    Some(SoundThread { id: *id, name, priority: matches!(policy, 1 | 2).then_some(priority) })
}
