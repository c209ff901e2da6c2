//! Small rigs and sessions for the laws, written as users write them.
#![allow(dead_code)]

use std::sync::OnceLock;
use swiftloop_core::Invalid;
use swiftloop_core::doubt::Rigs;
use swiftloop_core::loops::Context;
use swiftloop_core::plan::{Arrangement, PhaseProblem};
use swiftloop_core::rig::{self, LinkSetting, Offered, Rig, Setting};
use swiftloop_core::session::{self, Session};
use swiftloop_core::tables::Tables;
use swiftloop_units::{Block, Hz};

/// A rig whose every delay is declared: one block in, two out, converters of 40 + 30 frames, 8 safety frames each way.
pub const EXACT_RIG: &str = r#"
format = "swiftloop.rig/1"
[machine]
cores = 4
memory_gb = 16
disk_mb_per_s = 400
disk_free_gb = 100
power = "performance"
[[interface]]
id = "box"
connection = "pcie"
transport_in_frames = 0
transport_out_frames = 0
safety_in_frames = 8
safety_out_frames = 8
converter = [{ rate_hz = 48000, in_frames = 40, out_frames = 30 }]
direct = "plain"
direct_frames = 4
[[interface.driver]]
model = "jack"
rates_hz = [48000, 96000]
blocks_in = 1
blocks_out = 2
buffers = { powers = [32, 2048] }
"#;

/// The tables that ship with the program.
pub fn tables() -> &'static Tables {
    static TABLES: OnceLock<Tables> = OnceLock::new();
    TABLES.get_or_init(|| {
        let drivers = include_str!("../../../swiftloop-files/data/drivers.toml");
        let world = include_str!("../../../swiftloop-files/data/world.toml");
        toml::from_str(&format!("{drivers}\n{world}")).expect("good tables")
    })
}

pub fn rig_from(text: &str) -> Result<Rig, Invalid> {
    let description: rig::Description = toml::from_str(text).unwrap_or_else(|e| panic!("{e}\n{text}"));
    Rig::checked(description, tables())
}

pub fn described(text: &str) -> session::Description {
    toml::from_str(text).unwrap_or_else(|e| panic!("{e}\n{text}"))
}

pub fn session_from(text: &str, rig: &Rig) -> Result<Session, Invalid> {
    let session = Session::checked(described(text), tables())?;
    session.check_interfaces(rig)?;
    Ok(session)
}

pub fn rig(text: &str) -> Rig {
    rig_from(text).unwrap_or_else(|e| panic!("{e:?}\n{text}"))
}

pub fn session(text: &str, rig: &Rig) -> Session {
    session_from(text, rig).unwrap_or_else(|e| panic!("{e:?}\n{text}"))
}

pub fn context<'a>(rig: &'a Rig, session: &'a Session) -> Context<'a> {
    Context { tables: tables(), rig, session, rigs: rigs() }
}

pub fn arrangement(problem: &PhaseProblem<'_>, block: u32, roll: Option<u32>, workers: u32) -> Arrangement {
    let buffer = Offered::plain(Block::new(block));
    let setting = Setting {
        interface: problem.question.interface,
        driver: 0.into(),
        rate: problem.question.rate,
        buffer,
    };
    Arrangement { setting, roll: roll.map(Block::new), workers, link: LinkSetting::default() }
}

pub const HZ: Hz = Hz::new(48_000);

/// One singer, with these processors on the voice and on the main output.
pub fn singer(voice: &str, main: &str) -> String {
    format!(
        r#"
format = "swiftloop.session/1"
deliver = {{ rate_hz = 48000 }}
track = [{{ id = "voice", source = "live", processor = [{voice}] }}]
main = {{ processor = [{main}] }}
performer = [{{ id = "ada", plays = "voice", listens = "headphones", hears = ["voice"], mic_m = 0 }}]
phase = [{{ kind = "tracking", performers = ["ada"] }}]
"#
    )
}

/// Possible rigs.
pub fn rigs() -> &'static Rigs {
    static RIGS: std::sync::OnceLock<Rigs> = std::sync::OnceLock::new();
    RIGS.get_or_init(Rigs::default)
}
