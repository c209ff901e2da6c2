//! `listen`: is this recording free of crackles, and where did they come from?

use crate::listen as view;
use crate::listen::options::ListenOptions;
use crate::shared::failure::Failure;
use crate::shared::output::{answer, draw, yes_or_no};
use crate::shared::progress;
use crate::shared::project::AllCores;
use crate::shared::recordings::against;
use std::process::ExitCode;
use swiftloop_files::Recording;
use swiftloop_host::survey::playing;
use swiftloop_measure::listen;
use swiftloop_measure::listen::{AgainstRefusal, AudioSource, CrackleCause};
use view::Listened;

pub fn run(options: &ListenOptions) -> Result<ExitCode, Failure> {
    let recording = Recording::open(&options.recording)?;
    let original = options.against.as_deref().map(Recording::open).transpose()?;
    if let Some(original) = original.as_ref().filter(|o| o.rate() != recording.rate()) {
        let (is, was) = (recording.rate(), original.rate());
        return Err(Failure::refused(format!("{is} and {was} Hz"), &AgainstRefusal::Rates));
    }
    let bar = progress::bar("listening {bar:40} {percent} %, {eta} left", 1000);
    let scan = listen::listen(&recording, &AllCores, |share| bar.set_position((share * 1000.0) as u64))?;
    let comparison = original.map(|o| against(&recording, &o, &options.recording)).transpose()?;
    bar.finish_and_clear();
    let cause = comparison.as_ref().map_or(scan.attribution.cause, |c| c.attribution.cause);
    // Whose blocks are these? Only then the computer is asked.
    let here = if cause == CrackleCause::Buffer { playing().blocks() } else { Vec::new() };
    let heard = Listened { recording: &recording, scan: &scan, comparison: comparison.as_ref(), here: &here };
    draw(&options.drawing, || view::svg(&heard))?;
    answer(&options.shown, |detail| view::show(&options.recording, &heard, detail), || view::json(&heard))?;
    Ok(yes_or_no(heard.events().is_empty()))
}
