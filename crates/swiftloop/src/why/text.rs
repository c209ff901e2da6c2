//! Why a recording crackles: whose fault, what to do now, why, how sure, and what tells the rest apart.

use crate::shared::answer::quoted;
use crate::shared::answer::thieves::advice as thief_advice;
use crate::shared::page::{and_list, answer, clean, command, counted, title, wrapped};
use crate::shared::words::figures::{rate, sure};
use crate::shared::words::survey::tell;
use crate::shared::words::thieves::who;
use crate::shared::words::warnings::capital;
use serde_json::{Value, json as object};
use std::path::Path;
use swiftloop_core::why::{Fault, Measure, Reason, Sureness, Verdict};
use swiftloop_measure::listen::CrackleCause;
use swiftloop_measure::trace::HolderKind;
use swiftloop_units::PerHour;

/// A verdict, and whence.
pub struct WhyAnswer<'a> {
    pub recording: &'a Path,
    pub crackles: usize,
    pub verdict: &'a Verdict,
    /// The trace that was read.
    pub trace: Option<&'a Path>,
}

pub fn show(t: &WhyAnswer<'_>) -> String {
    let v = t.verdict;
    let mut text = answer(&lead(t));
    text.push('\n');
    text.push_str(&now(t));
    text.push_str(&title("Why"));
    v.reasons.iter().for_each(|r| text.push_str(&wrapped("  ", &reason(r))));
    text.push_str(&title(&format!("How sure: {}", v.sure.as_str())));
    if v.open.is_empty() && v.fault != Fault::Nothing {
        text.push_str(&wrapped("  ", "No other cause is left that these sources could show."));
    } else if !v.open.is_empty() {
        let open: Vec<String> = v.open.iter().map(named).collect();
        text.push_str(&wrapped("  ", &format!("Still open: {}.", and_list(&open))));
    }
    text.push_str(&measure(t));
    text.push_str(&check(t));
    text
}

/// The lines that matter.
pub fn in_short(t: &WhyAnswer<'_>) -> Vec<String> {
    let v = t.verdict;
    let mut lines = vec![lead(t)];
    if let Fault::Thief(w) = &v.fault {
        lines.extend(crate::shared::answer::thieves::in_short(w));
    }
    lines.extend(v.reasons.iter().skip(1).map(reason));
    lines
}

/// A fault as the subject of a sentence.
fn named(fault: &Fault) -> String {
    match fault {
        Fault::Nothing => "nothing".into(),
        Fault::Clocks => "two clocks that are not locked".into(),
        Fault::Channel(n) => format!("something on the way of channel {}", n + 1),
        Fault::Thief(w) if w.kind == HolderKind::Unknown => "somebody who took the processor".into(),
        Fault::Thief(w) => who(w),
        Fault::Work => "the work of a block, which takes longer than the block lasts".into(),
        Fault::Waking => "a computer that wakes too late for so small a buffer".into(),
        Fault::Computer(hurt) => tell(hurt).what.trim_end_matches('.').to_string(),
        Fault::Driver => "driver, cable or interface".into(),
        Fault::Unknown => "something that is not known yet".into(),
    }
}

fn lead(t: &WhyAnswer<'_>) -> String {
    let v = t.verdict;
    let crackles = counted(t.crackles, "crackle", "crackles");
    let likely = match v.sure {
        Sureness::Sure => "",
        Sureness::Likely => "most likely ",
        Sureness::Open => "perhaps ",
    };
    match &v.fault {
        Fault::Nothing => "No crackles: nobody's fault.".into(),
        Fault::Unknown => format!("{crackles}; whose fault is not known yet."),
        Fault::Clocks => format!(
            "{crackles}: {likely}two clocks that are not locked. It is the wiring of the clocks, not the computer."
        ),
        Fault::Channel(n) => format!(
            "{crackles}, on channel {} only: {likely}a cable, a socket or a plug-in of that channel, not the computer.",
            n + 1
        ),
        Fault::Work => {
            format!("{crackles}: {likely}the session itself, whose work takes longer than a block lasts.")
        }
        Fault::Waking => {
            format!("{crackles}: {likely}the buffer, which is too small for how late this computer wakes.")
        }
        Fault::Driver => {
            format!("{crackles}: {likely}the driver, the cable or the interface. The computer was in time.")
        }
        Fault::Computer(hurt) => format!("{crackles}: {likely}this computer. {}", tell(hurt).what),
        Fault::Thief(w) => {
            format!("{crackles}: {likely}{}. It took the processor when blocks were due.", who(w))
        }
    }
}

/// The one thing to do now.
fn now(t: &WhyAnswer<'_>) -> String {
    let file = quoted(&t.recording.display().to_string());
    let (what, run): (String, Vec<String>) = match &t.verdict.fault {
        Fault::Nothing => ("A smaller buffer may hold as well:".into(), vec!["swiftloop soak --ladder".into()]),
        Fault::Clocks => ("Lock the clocks by word clock or a digital cable, or use one interface for input and output.".into(), vec![]),
        Fault::Channel(n) => (format!("Swap the cable of channel {} with that of another one, record again, and see whether it goes with the cable.", n + 1), vec![]),
        Fault::Thief(w) => return thief_advice(w),
        Fault::Work => ("Take the next larger buffer, or the cheapest remedy that the plan names:".into(), vec!["swiftloop plan rig.toml session.toml".into()]),
        Fault::Waking => ("Take the next larger buffer, and see which is the smallest that holds here:".into(), vec!["swiftloop soak --ladder".into()]),
        Fault::Computer(hurt) => {
            let told = tell(hurt);
            let cure = if told.cure.is_empty() { "Mend it:".to_string() } else { told.cure.clone() };
            let mut text = wrapped("", &cure);
            told.commands.iter().for_each(|c| text.push_str(&command(&clean(c))));
            text.push_str(&wrapped("  ", &format!("Mind: {}. Undo: {}.", told.risk, told.undo)));
            return text;
        }
        Fault::Driver => ("Update the interface's driver and firmware, and plug it into a port of its own, without a hub. If you have what was played, compare every frame:".into(), vec![format!("swiftloop listen {file} --against ORIGINAL.wav")]),
        Fault::Unknown => return String::new(),
    };
    let mut text = wrapped("", &what);
    run.iter().for_each(|c| text.push_str(&command(c)));
    text
}

fn reason(r: &Reason) -> String {
    match r {
        Reason::Recording(CrackleCause::Buffer, block, confidence) => {
            let blocks = block.map_or("whole blocks".to_string(), |b| format!("blocks of {} frames", b.get()));
            format!("The recording: what is missing are {blocks}, {} sure; so something was not ready in time.", sure(*confidence))
        }
        Reason::Recording(CrackleCause::Clock, _, confidence) => format!("The recording: single frames are lost at even intervals, {} sure.", sure(*confidence)),
        Reason::Recording(CrackleCause::SingleChannel, _, confidence) => format!("The recording: nine in ten are on this channel alone, {} sure.", sure(*confidence)),
        Reason::Recording(CrackleCause::None, ..) => "The recording: nothing breaks off, stands still, repeats itself or jumps.".into(),
        Reason::Recording(CrackleCause::Unknown, ..) => "The recording: lengths and places fit no block and no clock.".into(),
        Reason::Profile(foreseen) => format!("The soak profile: at this buffer it foresees {} that wake too late.", rate(PerHour::new(*foreseen))),
        Reason::Noted((small, often), (large, seldom)) => format!("The notes: {} at {small} frames, {} at {large}.", rate(PerHour::new(*often)), rate(PerHour::new(*seldom))),
        Reason::Trace { late, cured } => format!("The trace: of {} {cured} would have been in time without it.", counted(*late as usize, "late block", "late blocks")),
        Reason::Heard { crackles, by_chance } => format!("Recording and trace fit together: {crackles} crackles have a late block (by chance {by_chance:.1})."),
        Reason::NotHeard => "Recording and trace cannot be laid beside each other: whether these late blocks are those that were heard is not shown.".into(),
        Reason::NoneLate => "The trace: no block was late, the thread that plays always had its processor in time.".into(),
        Reason::NothingFound => "This computer: the survey finds nothing costly.".into(),
        Reason::Found(n) => format!("This computer: the survey finds {} (swiftloop survey tells all).", counted(*n, "costly thing", "costly things")),
    }
}

/// What tells the rest apart, and the command.
fn measure(t: &WhyAnswer<'_>) -> String {
    let file = quoted(&t.recording.display().to_string());
    let (what, run) = match t.verdict.measure {
        Measure::Nothing => return String::new(),
        Measure::Trace => (
            "Look into the kernel while it crackles, and press Enter when you hear it:",
            "sudo swiftloop trace record --until xrun,key".to_string(),
        ),
        Measure::Soak(block) => {
            let buffer = block.map_or(String::new(), |b| format!(" --buffer {}", b.get()));
            (
                "Soak this buffer and look into the kernel meanwhile: misses with a thief are the computer's, none at all leave the session's own work:",
                format!("sudo swiftloop soak --trace{buffer}"),
            )
        }
        Measure::Against => (
            "Compare with what was played, frame by frame:",
            format!("swiftloop listen {file} --against ORIGINAL.wav"),
        ),
        Measure::ReadTrace => {
            let trace = t.trace.map_or("trace.txt".into(), |p| quoted(&p.display().to_string()));
            (
                "No block of the trace can be judged: name the thread that plays, and its period:",
                format!("swiftloop trace read {trace} --thread NAME --period-us 2667"),
            )
        }
        Measure::Swap => return String::new(),
        Measure::Survey => {
            ("See whether all places have one rate and one clock:", "swiftloop survey".to_string())
        }
    };
    format!("{}{}", wrapped("  ", &format!("What tells more: {what}")), command(&clean(&run)))
}

/// The command that checks it afterwards.
fn check(t: &WhyAnswer<'_>) -> String {
    let run = match (&t.verdict.fault, t.trace) {
        (Fault::Nothing, _) => return String::new(),
        (Fault::Thief(_), Some(trace)) => {
            let trace = quoted(&trace.display().to_string());
            format!("swiftloop trace compare {trace} AFTER.txt")
        }
        _ => "swiftloop listen AFTER.wav".to_string(),
    };
    format!("\nAfterwards, record again and check:\n{}", command(&clean(&run)))
}

fn fault_word(fault: &Fault) -> &'static str {
    match fault {
        Fault::Nothing => "nothing",
        Fault::Clocks => "clocks",
        Fault::Channel(_) => "channel",
        Fault::Thief(_) => "thief",
        Fault::Work => "work",
        Fault::Waking => "waking",
        Fault::Computer(_) => "computer",
        Fault::Driver => "driver",
        Fault::Unknown => "unknown",
    }
}

pub fn json(t: &WhyAnswer<'_>) -> Value {
    let v = t.verdict;
    let thief = match &v.fault {
        Fault::Thief(w) => crate::shared::answer::thieves::who(w),
        Fault::Nothing
        | Fault::Clocks
        | Fault::Channel(_)
        | Fault::Work
        | Fault::Waking
        | Fault::Computer(_)
        | Fault::Driver
        | Fault::Unknown => Value::Null,
    };
    object!({
        "format": "swiftloop.why/1",
        "recording": t.recording,
        "crackles": t.crackles,
        "fault": fault_word(&v.fault),
        "told": capital(&named(&v.fault)),
        "channel": if let Fault::Channel(n) = v.fault { Some(n + 1) } else { None },
        "thief": thief,
        "sure": v.sure.as_str(),
        "reasons": v.reasons.iter().map(reason).collect::<Vec<_>>(),
        "open": v.open.iter().map(fault_word).collect::<Vec<_>>(),
        "measure": match v.measure {
            Measure::Trace => "trace",
            Measure::Soak(_) => "soak",
            Measure::Against => "against",
            Measure::ReadTrace => "read-trace",
            Measure::Swap => "swap",
            Measure::Survey => "survey",
            Measure::Nothing => "nothing",
        },
    })
}
