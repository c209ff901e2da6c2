//! The step in which processors of the sample session are weighed for real, where processors can be run: weighing, which takes a
//! while and needs nothing that the tour says before, and what it does to the plan.

#[cfg(target_os = "linux")]
pub use here::{weigh, weighed};
#[cfg(not(target_os = "linux"))]
pub use nowhere::{weigh, weighed};

#[cfg(target_os = "linux")]
mod here {
    use super::super::sample::opened_weighed;
    use crate::demo::text::TourStep;

    use crate::shared::answer::Detail;
    use crate::shared::failure::Failure;
    use crate::shared::options::CatalogueFile;
    use crate::shared::processors::{Searched, of_session};
    use crate::shared::project::AllCores;
    use crate::weigh::{WeighOrder, Weighing};
    use std::path::Path;
    use swiftloop_core::loops::Context;
    use swiftloop_core::plan;
    use swiftloop_core::plan::Plan;
    use swiftloop_core::session::Session;

    /// What was weighed on this computer.
    pub struct Weighed {
        only: Option<&'static str>,
        weighing: Weighing,
        searched: Searched,
        found: Vec<crate::weigh::WeighedProcessor>,
    }

    /// Weighs the session's processors: all of them in the long tour, in the short one the one that six tracks have and that costs
    /// most.
    pub fn weigh(dir: &Path, session: &Session, detail: Detail) -> Result<Weighed, Failure> {
        const DEAREST: &str = "tuner";
        let only = (!detail.is_full()).then_some(DEAREST);
        let catalogue = CatalogueFile { catalogue: Some(dir.join("processors.toml")) };
        let asked = WeighOrder {
            rates: vec![session.deliver.rate_hz.get()],
            blocks: vec![64, 256, 1024],
            settings: None,
            again: false,
        };
        let mut weighing = Weighing::new(asked, &catalogue, Some(&dir.join("yardsticks.json")))?;
        let searched = of_session(weighing.program(), session, &[], only)?;
        let found = weighing.all(&searched.found)?;
        Ok(Weighed { only, weighing, searched, found })
    }

    /// What the session's processors cost, and what that does to the plan.
    pub fn weighed(
        dir: &Path,
        context: &Context<'_>,
        by_class: &Plan,
        Weighed { only, weighing, searched, found }: Weighed,
    ) -> Result<Vec<TourStep>, Failure> {
        let told = crate::weigh::text::WeighAnswer {
            found: &found,
            missing: &searched.missing,
            kept: None,
            session: None,
        };
        let (rig, session) = opened_weighed(dir, weighing.known())?;
        let plan = plan::plan(Context { rig: &rig, session: &session, ..*context }, &AllCores);
        let kinds = found.len();
        Ok(vec![TourStep {
            question: match only {
                None => "What do its plug-ins cost? The computer knows. (Ten made up are built in.)",
                Some(_) => {
                    "What does their pitch correction cost? The computer knows. (A made-up one is built in.)"
                }
            },
            command: format!(
                "weigh --session session.toml{}",
                only.map_or(String::new(), |id| format!(" --id {id}"))
            ),
            lead: crate::plan::weighed::lead(context, by_class, &plan, kinds),
            whole: crate::weigh::text::show(&told, Detail::Screen)
                + "\n"
                + &crate::plan::weighed::show(context, by_class, &plan, kinds),
        }])
    }
}

#[cfg(not(target_os = "linux"))]
mod nowhere {
    use crate::demo::text::TourStep;
    use crate::shared::answer::Detail;
    use crate::shared::failure::Failure;
    use std::path::Path;
    use swiftloop_core::loops::Context;
    use swiftloop_core::plan::Plan;
    use swiftloop_core::session::Session;

    pub fn weigh(_: &Path, _: &Session, _: Detail) -> Result<(), Failure> {
        Ok(())
    }

    pub fn weighed(_: &Path, _: &Context<'_>, _: &Plan, (): ()) -> Result<Vec<TourStep>, Failure> {
        Ok(Vec::new())
    }
}
