//! What people and programs see: for each answer one file that shows it as text, one as JSON, and one for each picture. A
//! view takes what the core computed and the words for it; it computes nothing.

pub mod differences;
pub mod doubt;
pub mod json;
pub mod legs;
pub mod lines;
pub mod notes;
pub mod report;
pub mod thieves;
pub mod trade;
pub mod weighed;

use crate::shared::page::wrapped;
use crate::shared::words::warnings;
use crate::shared::words::warnings::capital;
use swiftloop_core::advice::Warning;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::line::is_on_the_line;
use swiftloop_core::plan::{Arrangement, Remedy, arranged, default_workers};
use swiftloop_units::ids::{InterfaceId, PhaseId};

/// How much of an answer to show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Detail {
    /// What fits a screen.
    Screen,
    Full,
}

impl Detail {
    /// As `--full` says.
    pub fn of(full: bool) -> Self {
        if full { Self::Full } else { Self::Screen }
    }

    pub fn is_full(self) -> bool {
        self == Self::Full
    }
}

/// The files an answer is about, as they were named: they stand in commands to paste.
#[derive(Debug, Clone)]
pub struct Files {
    pub rig: String,
    pub session: String,
    /// The catalogue, where one was named.
    pub catalogue: Option<String>,
}

impl Files {
    pub fn both(&self) -> String {
        let named =
            self.catalogue.as_deref().map_or(String::new(), |c| format!(" --catalogue {}", quoted(c)));
        format!("{} {}{named}", quoted(&self.rig), quoted(&self.session))
    }
}

/// A warning: what is wrong (and where), what to do.
pub fn warning(context: &Context<'_>, w: &Warning, at: &str) -> String {
    let told = warnings::tell(context, w);
    let wrong = wrapped("  ! ", &format!("{}{at}.", capital(&told.wrong)));
    format!("{wrong}{}", wrapped("    → ", &format!("{}.", capital(&told.todo))))
}

/// The command that tries this very setting, with these remedies.
pub fn try_command(
    context: &Context<'_>,
    files: &Files,
    phase: PhaseId,
    a: &Arrangement,
    remedies: &[Remedy],
) -> String {
    let s = &a.setting;
    let buffer = match (&s.buffer.speed, s.buffer.count) {
        (Some(name), _) => quoted(name),
        (None, Some(count)) => format!("{count}x{}", s.buffer.block),
        (None, None) => s.buffer.block.to_string(),
    };
    let mut line = format!(
        "swiftloop try {} --interface {} --phase {} --driver {} --rate {} --buffer {buffer}",
        files.both(),
        quoted(&context.interface(s).id),
        quoted(context.session.phase(phase).id()),
        quoted(context.driver(s).id()),
        s.rate
    );
    if let Some(roll) = a.roll {
        line.push_str(&format!(" --roll {roll}"));
    }
    if a.workers != default_workers(context.session, context.rig.machine.cores) {
        line.push_str(&format!(" --workers {}", a.workers));
    }
    let on_lines = arranged(context, context.session.phase(phase), a);
    let on_lines: Vec<&Remedy> = on_lines.iter().filter(|r| is_on_the_line(r.kind)).collect();
    on_lines.into_iter().chain(remedies).for_each(|r| line.push_str(&format!(" --remedy {}", quoted(&r.id))));
    line
}

/// The command that plans this phase on this interface.
pub fn plan_command(context: &Context<'_>, files: &Files, interface: InterfaceId, phase: PhaseId) -> String {
    format!(
        "swiftloop plan {} --interface {} --phase {}",
        files.both(),
        quoted(&context.rig.interface(interface).id),
        quoted(context.session.phase(phase).id())
    )
}

/// A path as a shell takes it.
pub fn quoted(path: &str) -> String {
    let plain =
        |c: char| c.is_alphanumeric() || matches!(c, '/' | '.' | '-' | '_' | '+' | ',' | '=' | ':' | '@');
    if !path.is_empty() && path.chars().all(plain) {
        path.into()
    } else {
        format!("'{}'", path.replace('\'', "'\\''"))
    }
}
