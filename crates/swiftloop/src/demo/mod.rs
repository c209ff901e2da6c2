//! `demo`: a guided tour of the sample session, from files inside the program.

pub mod options;
mod recordings;
mod sample;
mod steps;
mod text;
mod weighed;

use crate::demo::options::DemoOptions;
use crate::demo::text::{TourStep, answered, asked, closing, opening};
use crate::shared::answer::Detail;
use crate::shared::failure::Failure;
use crate::shared::output::print;
use crate::shared::project::AllCores;
use std::process::ExitCode;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::plan;
use swiftloop_files::{Overwrite, tables};
use weighed::{weigh, weighed};

pub fn run(options: &DemoOptions) -> Result<ExitCode, Failure> {
    if let Some(dir) = &options.dir {
        return sample::write(dir, options.force);
    }
    let detail = Detail::of(options.full);
    print(&opening())?;
    let dir = crate::shared::environment::scratch()?;
    let dir = dir.path();
    sample::write_beside(dir, Overwrite::Refuse)?;
    let (rig, session) = sample::opened(dir)?;
    let rigs = Rigs::default();
    let context = Context { tables: tables(), rig: &rig, session: &session, rigs: &rigs };
    std::thread::scope(|scope| {
        // What takes longest is under way while the first answers are read.
        let recorded = scope.spawn(|| {
            let all = if detail.is_full() { &recordings::NAMES[..] } else { &recordings::SHORT };
            recordings::write(dir, all, Overwrite::Refuse)
        });
        let weighing = scope.spawn(|| weigh(dir, &session, detail));
        let plan = &plan::plan(context, &AllCores);
        let mut tour = Tour { number: 0, detail };
        tour.tell(vec![steps::imported(dir, detail)?])?;
        tour.tell(steps::late(&context, plan)?)?;
        tour.tell(vec![steps::planned(&context, plan, detail)])?;
        tour.tell(steps::open(dir, &context, plan)?)?;
        tour.tell(steps::far(&context, plan))?;
        let soaked = steps::soaked(dir, &context, plan)?;
        ended(recorded)?;
        let heard = steps::listened(dir, "mix-crackling.wav", detail)?;
        tour.tell(weighed(dir, &context, plan, ended(weighing)?)?)?;
        tour.tell(steps::measured(dir, detail)?)?;
        tour.tell(vec![heard, steps::blamed(dir, "mix-crackling.wav")?, soaked])?;
        tour.tell(steps::checked(dir, &context, plan, detail)?)?;
        print(&closing(detail))
    })
}

/// What work beside came to.
fn ended<T>(work: std::thread::ScopedJoinHandle<'_, Result<T, Failure>>) -> Result<T, Failure> {
    work.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))
}

/// Tells step after step, numbered.
struct Tour {
    number: usize,
    detail: Detail,
}

impl Tour {
    fn tell(&mut self, steps: Vec<TourStep>) -> Result<(), Failure> {
        for step in steps {
            self.number += 1;
            print(&asked(self.number, step.question, &step.command))?;
            print(&answered(&step, self.detail))?;
        }
        Ok(())
    }
}
