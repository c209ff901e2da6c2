//! What was asked for: a rig and a session are planned, settings are read; then the phase is found, and the computers.

use crate::shared::answer::quoted;
use crate::shared::failure::Failure;
use crate::shared::lookup::{pick, unknown};
use crate::shared::options::Place;
use crate::shared::project::{PlanningBar, Project};
use crate::shared::words::remedies;
use std::path::{Path, PathBuf};
use swiftloop_core::in_effect::{ByHand, Demand, Settings, handout};
use swiftloop_core::loops::Context;
use swiftloop_core::plan;
use swiftloop_core::plan::{Choice, Plan};
use swiftloop_core::survey::Inventory;
use swiftloop_core::tables::{RemedyKind, RemedyPlace};
use swiftloop_files::{holds_settings, read_settings};
use swiftloop_host::survey::{is_copy, state, survey_copy};

/// What was asked for.
pub struct PlanInEffect {
    /// What every phase needs.
    pub settings: Settings,
    /// The files, as arguments of another command.
    pub files: String,
    /// The file beside which others lie: the session, or the settings.
    pub beside: PathBuf,
    /// Rig and session, where it was those.
    pub opened: Option<Project>,
    /// Other files that were named after them.
    pub rest: Vec<PathBuf>,
}

impl PlanInEffect {
    /// Reads the files, and plans where it is a rig and a session: only the phase that is asked for, if one is.
    pub fn read(files: &[PathBuf], place: &Place) -> Result<Self, Failure> {
        let Some((first, rest)) = files.split_first() else {
            return Err(Failure::usage("no files were named", "name a rig and a session, or settings"));
        };
        if holds_settings(first) {
            return Ok(Self {
                settings: read_settings(first)?,
                files: quoted(&first.display().to_string()),
                beside: first.clone(),
                opened: None,
                rest: rest.to_vec(),
            });
        }
        let Some((session, rest)) = rest.split_first() else {
            // A file that is no rig is told as such.
            swiftloop_files::read_rig(first, swiftloop_files::tables())?;
            return Err(Failure::usage(
                format!("{} is a rig: which session is it for?", first.display()),
                "name the session after it, or a file of settings alone (plan … --hand-out FILE)",
            ));
        };
        let opened = Project::read(first, session, &place.catalogue)?;
        let chosen = |ids: &[&str], kind, asked: &Option<String>| match asked {
            Some(id) if !ids.contains(&id.as_str()) => Err(unknown(kind, id, ids)),
            _ => Ok(()),
        };
        chosen(&opened.phases(), "phase", &place.phase)?;
        chosen(&opened.interfaces(), "interface", &place.interface)?;
        let context = opened.context();
        let mut plan = plan::plan(context, &PlanningBar::planning());
        let is = |asked: &Option<String>, id: &str| asked.as_ref().is_none_or(|a| a == id);
        plan.retain(|interface, phase| {
            is(&place.interface, &context.rig.interface(interface).id)
                && is(&place.phase, context.session.phase(phase).id())
        });
        Ok(Self {
            settings: settings_of(context, &plan),
            files: opened.files.both(),
            beside: session.clone(),
            opened: Some(opened),
            rest: rest.to_vec(),
        })
    }

    /// What the phase that is asked for needs.
    pub fn demand(&self, place: &Place) -> Result<&Demand, Failure> {
        let mut phases: Vec<&str> = Vec::new();
        for demand in &self.settings.phases {
            if !phases.contains(&demand.phase.as_str()) {
                phases.push(&demand.phase);
            }
        }
        if phases.is_empty() {
            return Err(Failure::usage(
                "no such phase on such an interface is planned",
                "swiftloop plan tells which phases are planned on which interface",
            ));
        }
        let phase = phases[pick("phase", place.phase.as_deref(), &phases)?];
        let on: Vec<&Demand> = self.settings.of(phase, None).collect();
        let names: Vec<&str> = on.iter().map(|d| d.interface.as_str()).collect();
        Ok(on[pick("interface", place.interface.as_deref(), &names)?])
    }

    /// Nothing more was named.
    #[cfg(target_os = "linux")]
    pub fn alone(&self) -> Result<(), Failure> {
        match self.rest.first() {
            None => Ok(()),
            Some(more) => Err(Failure::usage(
                format!("{} is one file too many", more.display()),
                "name a rig and a session, or settings alone",
            )),
        }
    }

    /// The demand of the same place, as arguments of another command.
    pub fn place(&self, demand: &Demand) -> String {
        let mut text = format!("{} --phase {}", self.files, quoted(&demand.phase));
        if self.settings.of(&demand.phase, None).count() > 1 || self.opened.is_some() {
            text.push_str(&format!(" --interface {}", quoted(&demand.interface)));
        }
        text
    }
}

/// What every choice of a plan needs.
pub fn settings_of(context: Context<'_>, plan: &Plan) -> Settings {
    handout(context, plan, |choice| by_hand(&context, plan, choice), &crate::shared::project::AllCores)
}

/// What is done with the hands, in the software; what the computer itself needs stands apart.
fn by_hand(context: &Context<'_>, plan: &Plan, choice: &Choice) -> ByHand {
    let report = &choice.report;
    let own = |kind: RemedyKind| kind.place() == RemedyPlace::Machine;
    let plain = |text: String| crate::shared::page::clean(&text).replace(crate::shared::page::TIED, " ");
    let all = report.arranged.iter().chain(&report.remedies).filter(|r| !own(r.kind));
    let step = plan.steps.iter().find(|s| s.interface == choice.interface && s.phase == choice.phase);
    let undo = step.into_iter().flat_map(|s| &s.restore).map(|r| plain(remedies::undo(context, r)));
    let lines = choice.arrangement.link.fars.iter().map(|line| plain(remedies::line_to(context, line)));
    let set = lines.chain(all.map(|r| plain(remedies::does(context, r))));
    ByHand { restore: undo.collect(), set: set.collect() }
}

/// Files that lead to something being set are this user's own, or of the user who asked the superuser to do it.
#[cfg(target_os = "linux")]
pub fn only_mine(files: &[PathBuf]) -> Result<(), Failure> {
    use swiftloop_files::{FileError, only_ours};
    let own = own_user();
    let asked = std::env::var("SUDO_UID").ok().and_then(|uid| uid.parse().ok()).filter(|_| own == 0);
    let mine = |file: &PathBuf| match (only_ours(file, own), asked) {
        (Err(_), Some(asked)) => only_ours(file, asked),
        (answer, _) => answer,
    };
    files.iter().try_for_each(mine).map_err(|e| match e {
        FileError::Misfit { path, reason } => {
            Failure::refused(format!("nothing is set from {}", path.display()), &reason)
        }
        other @ FileError::Unreadable { .. }
        | other @ FileError::Wrong { .. }
        | other @ FileError::Exists { .. }
        | other @ FileError::Unwritable { .. } => other.into(),
    })
}

/// The number of this user.
#[cfg(target_os = "linux")]
pub fn own_user() -> u32 {
    swiftloop_host::tunables::own_user()
}

/// A computer that is looked at.
pub struct SurveyedComputer {
    /// What people call it.
    pub name: String,
    pub inventory: Inventory,
}

impl SurveyedComputer {
    /// This one; `folder` lies on the disk that records.
    pub fn this(folder: &Path) -> Self {
        let inventory = state(folder);
        let name = inventory.name.clone().unwrap_or_else(|| "this computer".into());
        Self { name, inventory }
    }

    pub fn copied(root: &Path) -> Result<Self, Failure> {
        if !is_copy(root) {
            return Err(Failure::usage(
                format!("{} holds no copy of a computer's files", root.display()),
                "make one on that computer with the script of: swiftloop collect linux|windows|macos",
            ));
        }
        let inventory = survey_copy(root);
        let folder = root.file_name().map_or("copy".into(), |n| n.to_string_lossy().into_owned());
        let name = inventory.name.clone().unwrap_or(folder);
        Ok(Self { name, inventory })
    }
}
