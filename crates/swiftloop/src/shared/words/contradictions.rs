//! What cannot be true of a description, in words: what is wrong, and what to do.

use super::Explain;
use std::fmt::Display;
use swiftloop_core::Invalid;
use swiftloop_core::contradiction::{
    Contradiction, CostOffer, DriverContradiction, FarContradiction, MachineContradiction, NoteContradiction,
    PhaseContradiction, ProcessorContradiction, SessionContradiction, Thing,
};
use swiftloop_files::{FileError, FileReason};

/// What is wrong, and what to do.
struct Said {
    what: String,
    help: String,
}

fn said(what: impl Into<String>, help: impl Into<String>) -> Said {
    Said { what: what.into(), help: help.into() }
}

impl Explain for Contradiction {
    fn what(&self) -> String {
        words(self).what
    }

    fn help(&self) -> String {
        words(self).help
    }
}

impl Explain for Invalid {
    fn what(&self) -> String {
        let place = self.place();
        let what = self.why.what();
        if place.is_empty() { what } else { format!("{place}: {what}") }
    }

    fn help(&self) -> String {
        self.why.help()
    }
}

impl Explain for FileError {
    fn what(&self) -> String {
        match self {
            Self::Unreadable { path, why, .. } => format!("cannot read {}: {why}", path.display()),
            Self::Wrong { reason, .. } => reason.what(),
            Self::Misfit { path, reason } => {
                format!("nothing was written into {}: {}", path.display(), reason.what())
            }
            Self::Exists { path } => format!("{} exists already", path.display()),
            Self::Unwritable { path, why } => format!("cannot write {}: {why}", path.display()),
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Unreadable { help, .. } => help.clone(),
            Self::Wrong { reason, .. } | Self::Misfit { reason, .. } => reason.help(),
            Self::Exists { .. } => "choose another place, or add --force to replace it".into(),
            Self::Unwritable { .. } => "check that the folder exists and may be written to".into(),
        }
    }
}

impl Explain for FileReason {
    fn what(&self) -> String {
        match self {
            Self::Said { what, .. } => what.clone(),
            Self::Contradicts(why) => why.what(),
            Self::Names(e) => e.what(),
            Self::Within { lead, reason, .. } => format!("{lead}{}", reason.what()),
        }
    }

    fn help(&self) -> String {
        match self {
            Self::Said { help, .. } => help.clone(),
            Self::Contradicts(why) => why.help(),
            Self::Names(e) => e.help(),
            Self::Within { help: Some(help), .. } => (*help).into(),
            Self::Within { reason, .. } => reason.help(),
        }
    }
}

fn offers<T: Display>(all: &[T]) -> String {
    let all: Vec<String> = all.iter().map(ToString::to_string).collect();
    format!("it offers: {}", all.join(", "))
}

fn classes_of(nearest: Option<&str>, classes: &[CostOffer]) -> String {
    let near = nearest.map_or(String::new(), |n| format!("did you mean `{n}`? "));
    let each: Vec<String> = classes.iter().map(|c| format!("{} ({})", c.id, c.stands_for)).collect();
    format!("{near}The classes are {}", each.join(", "))
}

fn word(thing: Thing) -> &'static str {
    match thing {
        Thing::MeetingPoint => "meeting point",
        Thing::FarSide => "far side",
        Thing::FarSideInPhase => "far side in this phase",
        Thing::LineKind => "kind of line",
        Thing::Interface => "interface",
        Thing::Driver => "driver",
        Thing::DriverModel => "driver model",
        Thing::Program => "program",
        Thing::MachineClass => "class of machine",
        Thing::Connection => "connection",
        Thing::Phase => "phase",
        Thing::PhaseKind => "kind of phase",
        Thing::Performer => "performer",
        Thing::PerformerInPhase => "performer in this phase",
        Thing::WayToPlay => "way to play",
        Thing::Track => "track",
        Thing::Bus => "bus",
        Thing::Processor => "processor",
        Thing::Keepable => "processor, track or bus",
    }
}

fn words(of: &Contradiction) -> Said {
    match of {
        Contradiction::Twice { thing, id } => {
            said(format!("two {}s are called `{id}`", word(*thing)), "give each its own id")
        }
        Contradiction::Missing { thing, id, known, nearest } => said(
            format!("there is no {} called `{id}`", word(*thing)),
            match nearest {
                Some(near) => format!("did you mean `{near}`?"),
                None if known.is_empty() => format!("there is no {} yet; add one", word(*thing)),
                None => format!("there are: {}", known.join(", ")),
            },
        ),
        Contradiction::Machine(of) => machine(of),
        Contradiction::Driver(of) => driver(of),
        Contradiction::Far(of) => far(of),
        Contradiction::Session(of) => session(of),
        Contradiction::Processor(of) => processor(of),
        Contradiction::Phase(of) => phase(of),
        Contradiction::Note(of) => note(of),
    }
}

fn machine(of: &MachineContradiction) -> Said {
    match of {
        MachineContradiction::Cores => {
            said("a machine has from 1 to 1024 cores", "write the number of physical cores")
        }
        MachineContradiction::Threads => said(
            "threads cannot be fewer than cores or more than eight a core",
            "write the number of hardware threads, or leave the key out",
        ),
        MachineContradiction::CoreSpeed => said(
            "core_speed compares a core with the reference core (1 = as fast)",
            "write a factor between 0.01 and 100, such as 0.8",
        ),
        MachineContradiction::PacedCost => said(
            "paced_cost is how many times as dear processors are in a chain as they were weighed",
            "write a factor between 0.1 and 100, such as 1.3, or let soak --real --save measure it",
        ),
        MachineContradiction::NoMemory => said("a machine without memory", "write the memory in gigabytes"),
        MachineContradiction::BinsUnordered => {
            said("bins must be in rising order, at least one", "sort them by up_to_us")
        }
        MachineContradiction::BinsMiscounted { counted, wakes } => said(
            format!("the bins count {counted} wake-ups, but wakes says {wakes}"),
            "a measured profile should not be edited by hand; measure again",
        ),
        MachineContradiction::PacesUnordered => {
            said("paces are above zero, in rising order, none empty", "measure again")
        }
        MachineContradiction::ProfileSpeed => said("a speed lies between 0.01 and 100", "measure again"),
        MachineContradiction::PaceDrift => said("a drift lies between 0 and 3", "measure again"),
        MachineContradiction::TailScale => said("the scale of a tail is above zero", "measure again"),
        MachineContradiction::TailShape => said("the shape of a tail lies between -2 and 1", "measure again"),
    }
}

fn driver(of: &DriverContradiction) -> Said {
    match of {
        DriverContradiction::NoInterface => said(
            "the rig has no interface",
            "add an [[interface]] table with at least one [[interface.driver]]",
        ),
        DriverContradiction::OpenInputs => {
            said("more inputs are open than there are", "correct inputs or open_inputs")
        }
        DriverContradiction::OpenOutputs => {
            said("more outputs are open than there are", "correct outputs or open_outputs")
        }
        DriverContradiction::ConverterTwice => said("two converter lines for one rate", "keep one of them"),
        DriverContradiction::NoDriver => {
            said("an interface without a driver cannot be used", "add an [[interface.driver]]")
        }
        DriverContradiction::NoRate => said("a driver offers at least one rate", "list its rates in hertz"),
        DriverContradiction::Depth => said("depths are 16, 24 or 32 bits", "list what the driver offers"),
        DriverContradiction::BufferSchemes => said(
            "buffers are given in exactly one way",
            "use one of: frames, powers, steps, ms, blocks, speeds",
        ),
        DriverContradiction::NoPowerOfTwo { frames } => said(
            format!("{frames} is no power of two"),
            format!(
                "write {} or {}, or list the sizes: {{ frames = [48, 96, 192] }}",
                (frames / 2 + 1).next_power_of_two(),
                frames.next_power_of_two()
            ),
        ),
        DriverContradiction::NoBuffer => said(
            "no buffer is offered",
            "list at least one; ranges run from small to large, such as { powers = [32, 2048] }",
        ),
        DriverContradiction::BlockCount => said("a count of blocks lies between 1 and 64", "correct counts"),
        DriverContradiction::NoBlocksHeld => {
            said("a driver holds more than no blocks", "write at least a part of one")
        }
        DriverContradiction::TripWithoutBuffer => said(
            "a measured round trip belongs to a buffer or to a named speed",
            "add buffer_frames or speed",
        ),
        DriverContradiction::InstantTrip => said("a round trip takes time", "write the measured frames"),
        DriverContradiction::QuickerWhenLarger { smaller, after, own, own_after } => said(
            format!(
                "a larger buffer is never quicker: {smaller} came back after {after:.0} frames, {own} after {own_after:.0}"
            ),
            "put the two right if they were mixed up, or take them out and measure again",
        ),
        DriverContradiction::RateNotOffered { rate, offered } => {
            said(format!("the driver does not offer {rate} Hz"), offers(offered))
        }
        DriverContradiction::BufferNotOffered { buffer, offered } => {
            said(format!("the driver does not offer the buffer `{buffer}`"), offers(offered))
        }
    }
}

fn far(of: &FarContradiction) -> Said {
    match of {
        FarContradiction::NoDistance { far } => said(
            format!("nothing says how far `{far}` is"),
            "write distance_km = 410, or link = \"loft-link.json\" with what swiftloop link measure kept",
        ),
        FarContradiction::Depth => said("depth is 16, 24 or 32 bits", "16 suits a line"),
        FarContradiction::Channels => said("from 1 to 64 channels go over a line", "1 is mono, 2 is stereo"),
        FarContradiction::PacketFrames => said("a packet holds from 8 to 4800 frames", "128 is usual"),
        FarContradiction::ReceiveBuffer => said(
            "nobody plays together with a receive buffer of over 500 ms",
            "write milliseconds, such as 8",
        ),
        FarContradiction::NoWayToMeeting { through } => said(
            format!("nothing says how far `{through}` is from there"),
            format!("write meets = [{{ at = \"{through}\", km = 120 }}] for this far side"),
        ),
    }
}

fn session(of: &SessionContradiction) -> Said {
    match of {
        SessionContradiction::Count { count, most } => said(
            format!("{count} alike tracks"),
            format!("write a count from 1 to {most}; leave the key out for one track"),
        ),
        SessionContradiction::TooManyTracks { most } => {
            said(format!("with these there are more than {most} tracks"), "write a smaller count")
        }
        SessionContradiction::Depth => said("depth is 16, 24 or 32 bits", "24 suits recording"),
        SessionContradiction::Channels => {
            said("a track has from 1 to 128 channels", "1 is mono, 2 is stereo")
        }
        SessionContradiction::NoPhase => {
            said("the session has no phase", "add a [[phase]], such as kind = \"tracking\"")
        }
        SessionContradiction::NameTaken { id } => said(
            format!("`{id}` is taken: tracks and buses share one set of names, `main` and `out` among them"),
            "give each its own id",
        ),
        SessionContradiction::Precision => said("internal precision is 32 or 64 bits", "write 32 or 64"),
        SessionContradiction::NoWorkers => {
            said("no workers can do no work", "write at least 1, or leave the key out")
        }
        SessionContradiction::Ticks => {
            said("a timeline has from 24 to 100000 ticks a quarter note", "960 is usual")
        }
        SessionContradiction::NoRollBlock => {
            said("renders_ahead needs at least one roll block", "list its sizes, such as [1024, 2048]")
        }
        SessionContradiction::HearsNothing => said(
            "a performer hears themselves on at least one track",
            "name the track: hears = [\"voice\"]; it is one with source = \"live\" or \"instrument\"",
        ),
        SessionContradiction::DiskTrack { id } => said(
            format!("nobody can perform on track `{id}`: it plays audio from disk"),
            "set its source to \"live\" or \"instrument\", or name another track",
        ),
        SessionContradiction::NotInCue { cue, track } => said(
            format!("`{cue}` does not carry track `{track}`, so this performer would not hear it"),
            "add a send from the track to that mix, or name another cue",
        ),
        SessionContradiction::Circle { bus } => said(
            format!("the routing goes in a circle through bus `{bus}`"),
            "send one of the buses of the circle elsewhere",
        ),
    }
}

fn processor(of: &ProcessorContradiction) -> Said {
    match of {
        ProcessorContradiction::Channels => {
            said("one of it serves from 1 to 128 channels", "leave the key out for a pair")
        }
        ProcessorContradiction::BurstWithoutBlock => {
            said("burst_ns without a block of its own", "write its internal_block too")
        }
        ProcessorContradiction::Oversampling => said("oversampling is 1, 2, 4, 8 or 16", "1 means none"),
        ProcessorContradiction::Voices => {
            said("an instrument has from 1 to 10000 voices", "leave the key out for effects")
        }
        ProcessorContradiction::LowDelay => {
            said("the low-delay mode delays more than the usual one", "swap the two figures")
        }
        ProcessorContradiction::Tail => {
            said("a tail lasts zero seconds or more", "write seconds, such as 2.5")
        }
        ProcessorContradiction::UnknownCost { word, nearest, classes } => {
            said(format!("there is no cost class called `{word}`"), classes_of(nearest.as_deref(), classes))
        }
    }
}

fn phase(of: &PhaseContradiction) -> Said {
    match of {
        PhaseContradiction::NoInterface => said(
            "a phase on no interface at all",
            "name at least one, or leave the key out for all of the rig",
        ),
        PhaseContradiction::CannotListenDirect { performer, phase, interface } => said(
            format!("{performer} listens through the interface in {phase}, and {interface} cannot do that"),
            "name the interfaces that can with interfaces = […], say direct = \"plain\" in the rig if it can, or listens = \"headphones\"",
        ),
        PhaseContradiction::TargetNotAboveZero => said(
            "a target is above zero: nothing is certain never to break",
            "write dropouts per hour, such as 0.1 (one in ten hours)",
        ),
        PhaseContradiction::Target => said(
            "a target lies between a millionth and a million dropouts per hour",
            "write dropouts per hour, such as 0.1 (one in ten hours)",
        ),
        PhaseContradiction::Minutes => {
            said("a phase lasts zero minutes or more", "write minutes, such as 90")
        }
        PhaseContradiction::Tempo => {
            said("a tempo lies between 20 and 400 beats a minute", "write beats a minute, such as 120")
        }
        PhaseContradiction::LatePackets => said(
            "late packets lie between a hundredth and a million an hour",
            "write packets an hour, such as 12 (one in five minutes)",
        ),
    }
}

fn note(of: &NoteContradiction) -> Said {
    match of {
        NoteContradiction::SaysNothing => said(
            "this note says nothing that was seen",
            "add what was: minutes = 40 and dropouts = 2, meter = 55, or felt = { ada = \"late\" }",
        ),
        NoteContradiction::NoDate { date, today } => {
            said(format!("`{date}` is no date"), format!("write year-month-day, such as {today}"))
        }
        NoteContradiction::ComingDate { date, today } => said(
            format!("{date} has not come yet: today is {today}"),
            format!("write the day on which it was seen, such as {today}"),
        ),
        NoteContradiction::RateNotOffered { driver, rate, offered } => {
            said(format!("{driver} does not offer {rate} Hz"), offers(offered))
        }
        NoteContradiction::BufferNotOffered { driver, buffer, offered } => {
            said(format!("{driver} does not offer the buffer `{buffer}`"), offers(offered))
        }
        NoteContradiction::Workers { workers, cores } => said(
            format!("{workers} workers on {cores} cores"),
            format!("write 1 to {cores}, such as workers = {cores}"),
        ),
        NoteContradiction::RollTooSmall => said(
            "what is rendered ahead comes in larger blocks than the device's",
            "leave it out, or write such as roll = 1024",
        ),
        NoteContradiction::MinutesAlone => {
            said("how many dropouts were there in that time?", "add dropouts = 0, or as many as there were")
        }
        NoteContradiction::DropoutsAlone => {
            said("in what time were there so many dropouts?", "add minutes = 40")
        }
        NoteContradiction::Minutes { minutes } => said(
            format!("nobody listens for {minutes} minutes"),
            "write minutes between 0 and a week, such as minutes = 40",
        ),
        NoteContradiction::TooManyDropouts { dropouts, minutes } => said(
            format!("{dropouts} dropouts in {minutes} minutes are more than a hundred a second"),
            "count what was heard, such as dropouts = 2",
        ),
        NoteContradiction::Meter { percent, key } => said(
            format!("a meter does not show {percent} %"),
            format!("write what it shows in percent, such as {key} = 55"),
        ),
        NoteContradiction::PeakBelowMean => said(
            "the worst block takes less than the mean one",
            "write the mean as meter = 55 and the worst as meter_peak = 80",
        ),
        NoteContradiction::FeltOtherwise { performer, note } => said(
            format!("`{performer}` felt otherwise at the same setting in note {note}"),
            "keep the one that is right and remove the other, or name the buffer at which it was",
        ),
        NoteContradiction::MetersDisagree { note, there, here } => said(
            format!(
                "the meter showed {:.0} % at the same setting in note {note}, and {:.0} % here",
                there.raw() * 100.0,
                here.raw() * 100.0
            ),
            "keep the one that is right and remove the other, or name the remedies that were in effect",
        ),
    }
}
