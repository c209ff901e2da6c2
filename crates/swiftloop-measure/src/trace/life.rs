//! A thread's life in pieces: events come in, when it slept, waited for a core or ran goes out. Only what tells of the
//! thread changes its state, and its own events say that it runs, whatever was missed.

use super::event::{Core, Instant, Left, Pid, TraceEvent, What};

/// What a thread is doing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum ThreadState {
    /// It waits; woken at the end by whoever the core at that moment ran, or by an interrupt of it.
    Asleep {
        /// It waits for a device or a page.
        for_device: bool,
    },
    /// It could run and is not let.
    Queued,
    On,
}

/// A stretch of a thread's life.
#[derive(Debug, Clone, Copy)]
pub(super) struct Piece {
    pub from: Instant,
    pub to: Instant,
    pub state: ThreadState,
    /// Where: of one asleep, where it was woken.
    pub core: Option<Core>,
    /// Whether the piece's end was seen.
    pub ended: bool,
}

/// The life of a thread from the first event that tells of it to the last instant.
pub(super) fn life(events: &[TraceEvent], pid: Pid) -> Vec<Piece> {
    let mut pieces: Vec<Piece> = Vec::new();
    let begun = events.first().map_or(Instant(0), |e| e.at);
    let mut now: Option<(Instant, ThreadState, Option<Core>)> = None;
    for e in events {
        let next = match &e.what {
            What::Switch { to, .. } if to.pid == pid => {
                // Nobody woke it: it was only put off.
                if let Some((since, ThreadState::Asleep { .. }, _)) = now {
                    now = Some((since, ThreadState::Queued, Some(e.core)));
                }
                Some((ThreadState::On, Some(e.core)))
            }
            What::Switch { left, .. } if e.thread.pid == pid => Some(match left {
                Left::Runnable => (ThreadState::Queued, Some(e.core)),
                Left::Waiting => (ThreadState::Asleep { for_device: false }, None),
                Left::WaitingForDevice => (ThreadState::Asleep { for_device: true }, None),
            }),
            What::Waking { thread, target, .. } if thread.pid == pid => match now {
                None | Some((_, ThreadState::Asleep { .. }, _)) => {
                    let before = now.unwrap_or((begun, ThreadState::Asleep { for_device: false }, None));
                    now = Some((before.0, before.1, Some(e.core)));
                    end(&mut pieces, &mut now, e.at, true);
                    now = Some((e.at, ThreadState::Queued, Some(*target)));
                    None
                }
                _ => None,
            },
            // Without the event before it, this is all that tells of the waking.
            What::Woken { thread, target, .. } if thread.pid == pid => match now {
                None | Some((_, ThreadState::Asleep { .. }, _)) => {
                    let before = now.unwrap_or((begun, ThreadState::Asleep { for_device: false }, None));
                    now = Some((before.0, before.1, Some(e.core)));
                    Some((ThreadState::Queued, Some(*target)))
                }
                Some((since, ThreadState::Queued, core)) if core != Some(*target) => {
                    now = Some((since, ThreadState::Queued, Some(*target)));
                    None
                }
                _ => None,
            },
            What::Moved { pid: moved, to } if *moved == pid => match now {
                Some((_, ThreadState::Queued, _)) => Some((ThreadState::Queued, Some(*to))),
                _ => None,
            },
            // Its own event says that it runs here, whatever was missed.
            _ if e.thread.pid == pid && !matches!(now, Some((_, ThreadState::On, _))) => {
                let seen_before = now.is_some();
                if seen_before {
                    Some((ThreadState::On, Some(e.core)))
                } else {
                    now = Some((begun, ThreadState::On, Some(e.core)));
                    None
                }
            }
            What::Switch { .. }
            | What::Waking { .. }
            | What::Woken { .. }
            | What::Moved { .. }
            | What::Counted { .. }
            | What::Enter(_)
            | What::Exit(_)
            | What::TimerSet(_)
            | What::Sleep(_)
            | What::Fault
            | What::Device(_)
            | What::Lost(_)
            | What::Clock(_)
            | What::Mark(_)
            | What::Other => None,
        };
        if let Some((state, core)) = next {
            end(&mut pieces, &mut now, e.at, true);
            now = Some((e.at, state, core));
        }
    }
    let last = events.last().map_or(begun, |e| e.at);
    end(&mut pieces, &mut now, last, false);
    pieces
}

fn end(
    pieces: &mut Vec<Piece>,
    now: &mut Option<(Instant, ThreadState, Option<Core>)>,
    at: Instant,
    ended: bool,
) {
    if let Some((from, state, core)) = now.take()
        && from < at
    {
        pieces.push(Piece { from, to: at, state, core, ended });
    }
}
