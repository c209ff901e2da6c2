//! `demo`: a guided tour of the sample session, from files inside the program.

mod recordings;
mod sample;
mod steps;

use crate::cli::DemoOptions;
use crate::failure::Failure;
use crate::opened::AllCores;
use crate::output::print;
use crate::views::Detail;
use crate::views::demo::{Step, answered, asked, closing, opening};
use std::path::Path;
use std::process::ExitCode;
use swiftloop_core::choice::{self, Plan};
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_files::{Overwrite, tables};

/// Where processors can be run.
fn weighed(dir: &Path, context: &Context<'_>, plan: &Plan) -> Result<Vec<Step>, Failure> {
    #[cfg(target_os = "linux")]
    return steps::weighed(dir, context, plan);
    #[cfg(not(target_os = "linux"))]
    {
        let _ = (dir, context, plan);
        Ok(Vec::new())
    }
}

pub fn run(options: &DemoOptions) -> Result<ExitCode, Failure> {
    if let Some(dir) = &options.dir {
        return sample::write(dir, options.force);
    }
    let detail = Detail::of(options.full);
    print(&opening())?;
    let dir = tempfile::tempdir()?;
    sample::write_beside(dir.path(), Overwrite::Refuse)?;
    let (rig, session) = sample::opened(dir.path())?;
    let rigs = Rigs::default();
    let context = Context { tables: tables(), rig: &rig, session: &session, rigs: &rigs };
    let plan = choice::plan(context, &AllCores);
    let steps: [&dyn Fn() -> Result<Vec<Step>, Failure>; 11] = [
        &|| Ok(vec![steps::imported(dir.path(), detail)?]),
        &|| steps::late(&context, &plan),
        &|| Ok(vec![steps::planned(&context, &plan, detail)]),
        &|| steps::open(dir.path(), &context, &plan),
        &|| Ok(steps::far(&context, &plan)),
        &|| weighed(dir.path(), &context, &plan),
        &|| steps::measured(dir.path(), detail),
        &|| Ok(vec![steps::listened(dir.path(), "mix-crackling.wav", detail)?]),
        &|| Ok(vec![steps::blamed(dir.path(), "mix-crackling.wav")?]),
        &|| Ok(vec![steps::soaked(dir.path(), &context, &plan)?]),
        &|| steps::checked(dir.path(), &context, &plan, detail),
    ];
    let mut number = 0;
    for work in steps {
        for step in work()? {
            number += 1;
            print(&asked(number, step.question, &step.command))?;
            print(&answered(&step, detail))?;
        }
    }
    print(&closing(detail))
}
