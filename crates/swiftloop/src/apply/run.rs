//! `apply`: what can be set is set as the plan says, and put back.

use crate::apply::applying::{ApplyResult, apply, kinds_of_puts};
use crate::apply::back::{Returned, back_with, put_back};
use crate::apply::hands::{Hands, journal_path};
use crate::apply::options::{ApplyOptions, Kinds};
use crate::apply::text as view;
use crate::shared::failure::Failure;
use crate::shared::in_effect::{
    Checked, PlanInEffect, SurveyedComputer, checked, folder, only_mine, own_user,
};
use crate::shared::output::{answer, aside, yes_or_no};
use crate::shared::watchdog::Watchdog;
use crate::shared::words::tunables::kind as kind_words;
use std::io::{BufRead, IsTerminal};
use std::path::Path;
use std::process::ExitCode;
use std::sync::atomic::Ordering::Relaxed;
use std::sync::mpsc;
use std::time::{Duration, Instant};
use swiftloop_core::in_effect::{Demand, JournalLine, Put, TunableKind};
use swiftloop_files::{JournalFile, good_beside};
use swiftloop_host::soak::boot;
use swiftloop_host::tunables::is_root;

pub fn run(options: &ApplyOptions) -> Result<ExitCode, Failure> {
    let root = options.root.as_deref();
    if options.back {
        let returned = put_back(&journal_path(root)?, root, 0)?;
        answer(&options.shown, |_| view::show_back(&returned), || view::json_back(&returned))?;
        return Ok(yes_or_no(!returned.iter().any(Returned::is_open)));
    }
    only_mine(&options.files)?;
    let asked = PlanInEffect::read(&options.files, &options.place)?;
    asked.alone()?;
    let demand = asked.demand(&options.place)?;
    let look = || computer(&asked, root, demand);
    let before = look()?;
    let chosen = ToPut::of(options, demand, &before)?;
    let set = SettingNow { options, demand, chosen: &chosen }.put()?;
    let now = if chosen.puts.is_empty() { None } else { Some(look()?) };
    let place = asked.place(demand);
    let put = view::ApplyAnswer {
        demand,
        applied: &set.applied,
        declined: &chosen.declined,
        for_root: &chosen.for_root,
        before: &before,
        now: now.as_ref().unwrap_or(&before),
        place: &place,
        root,
        through_superuser: is_root() && std::env::var_os("SUDO_UID").is_some(),
        returned: set.returned.as_deref(),
    };
    answer(&options.shown, |detail| view::show(&put, detail), || view::json(&put))?;
    Ok(yes_or_no(set.returned.is_none() && put.now.comparison.is_ready()))
}

/// The computer that is set, held against what the phase needs.
fn computer(asked: &PlanInEffect, root: Option<&Path>, demand: &Demand) -> Result<Checked, Failure> {
    let computer = match root {
        Some(root) => SurveyedComputer::copied(root)?,
        None => SurveyedComputer::this(folder(&asked.beside)),
    };
    checked(computer, demand, &good_beside(&asked.beside))
}

/// What is to be put, and what is not.
struct ToPut {
    puts: Vec<Put>,
    declined: Vec<TunableKind>,
    for_root: Vec<TunableKind>,
}

impl ToPut {
    /// Asks about each kind that belongs to the superuser.
    fn of(options: &ApplyOptions, demand: &Demand, before: &Checked) -> Result<Self, Failure> {
        let wanted = |kind: TunableKind| options.only.is_empty() || options.only.iter().any(|o| is(*o, kind));
        let mut puts: Vec<Put> = before.puts.iter().filter(|p| wanted(p.lever.kind())).cloned().collect();
        let may = is_root() || options.root.is_some();
        let (mut declined, mut for_root) = (Vec::new(), Vec::new());
        for (kind, count) in kinds_of_puts(&puts).into_iter().filter(|k| k.0.needs_root()) {
            if !may {
                for_root.push(kind);
            } else if !options.yes && !agreed(kind, count, demand)? {
                declined.push(kind);
            }
        }
        puts.retain(|p| !declined.contains(&p.lever.kind()) && !for_root.contains(&p.lever.kind()));
        Ok(Self { puts, declined, for_root })
    }
}

fn is(asked: Kinds, kind: TunableKind) -> bool {
    let own = match asked {
        Kinds::Server => TunableKind::Server,
        Kinds::Clocks => TunableKind::Clocks,
        Kinds::Idle => TunableKind::Idle,
        Kinds::Usb => TunableKind::Usb,
        Kinds::Interrupts => TunableKind::Interrupts,
        Kinds::Priorities => TunableKind::Priorities,
    };
    own == kind
}

fn agreed(kind: TunableKind, count: usize, demand: &Demand) -> Result<bool, Failure> {
    if !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return Err(Failure::usage(
            format!("nothing was set: somebody has to agree to {} first", kind_words(kind)),
            format!(
                "run it on a terminal, or add --yes (or --only server, which needs no yes) for {}",
                demand.phase
            ),
        ));
    }
    let question = format!("Set {}? ({count} to set)", kind_words(kind));
    match inquire::Confirm::new(&question).with_default(true).prompt() {
        Ok(yes) => Ok(yes),
        Err(_) => Err(Failure::usage("nothing was set: nobody answered", "run it again")),
    }
}

/// What came of it.
struct Set {
    applied: ApplyResult,
    returned: Option<Vec<Returned>>,
}

/// What is being set.
struct SettingNow<'a> {
    options: &'a ApplyOptions,
    demand: &'a Demand,
    chosen: &'a ToPut,
}

impl SettingNow<'_> {
    /// With a guard that puts everything back when we die before it is confirmed.
    fn put(&self) -> Result<Set, Failure> {
        if self.chosen.puts.is_empty() {
            return Ok(Set { applied: ApplyResult::default(), returned: None });
        }
        let root = self.options.root.as_deref();
        let place = journal_path(root)?;
        let hands = Hands::of(root, &place);
        let mut journal = JournalFile::take(&place, own_user())?;
        let first = journal.journal.steps;
        let guard = Watchdog::post(|command| {
            command.args(["put-back", "--after", &first.to_string(), "--journal"]).arg(&place);
            if let Some(root) = root {
                command.arg("--root").arg(root);
            }
        })?;
        let Some(guard) = guard else {
            return Err(Failure::machine(
                "nobody could be set to put things back, so nothing was set",
                "close other programs and try again",
            ));
        };
        journal.begin(&boot(), &self.demand.phase, &self.demand.interface)?;
        let applied = apply(&hands, &mut journal, &self.chosen.puts)?;
        let kept = match self.options.confirm_within {
            Some(seconds) if !applied.taken.is_empty() => confirmed(seconds)?,
            _ => true,
        };
        let returned = if kept {
            journal.write(JournalLine::Confirmed)?;
            None
        } else {
            Some(back_with(&hands, &mut journal, first)?)
        };
        if journal.journal.stages.is_empty() {
            journal.close()?;
        } else {
            drop(journal);
        }
        guard.dismiss(true);
        Ok(Set { applied, returned })
    }
}

/// Somebody presses Enter in time.
fn confirmed(seconds: f64) -> Result<bool, Failure> {
    let stop = crate::shared::signals::stopped_by_signals()?;
    aside(&format!(
        "Does everything sound as it should? Press Enter within {seconds:.0} s to keep it; else it all goes back."
    ));
    let (tell, hear) = mpsc::channel();
    std::thread::spawn(move || {
        let mut line = String::new();
        // A closed input is nobody.
        let heard = std::io::stdin().lock().read_line(&mut line).is_ok_and(|n| n > 0);
        let _ = tell.send(heard);
    });
    let begun = Instant::now();
    while begun.elapsed().as_secs_f64() < seconds && !stop.load(Relaxed) {
        match hear.recv_timeout(Duration::from_millis(100)) {
            Ok(true) => return Ok(true),
            Ok(false) | Err(mpsc::RecvTimeoutError::Disconnected) => {
                // Nobody can press anything: the time is waited for all the same, so that what was set can be heard.
                std::thread::sleep(Duration::from_millis(100));
            }
            Err(mpsc::RecvTimeoutError::Timeout) => {}
        }
    }
    Ok(false)
}
