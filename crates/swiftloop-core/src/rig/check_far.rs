//! Proof that far sides can be true, and what they refer to in the tables. Their interface becomes a rig of its own.

use super::{Far, FarKnown, Meeting};
use crate::contradiction::{FarContradiction, Thing};
use crate::rig::{Buffers, Offered, Rig, Setting, missing, twice};
use crate::tables::{Tables, plain};
use crate::{Invalid, rig};
use std::sync::Arc;
use swiftloop_units::ids::{DriverId, FarId, InterfaceId};
use swiftloop_units::{Block, Hz};
use typed_index_collections::TiVec;

/// The driver model of a far side of which nothing is said.
const USUAL_DRIVER: &str = "asio";

/// What is known of each far side of a description.
pub(crate) fn check_fars(
    fars: &[Far],
    meetings: &[Meeting],
    tables: &Tables,
) -> Result<TiVec<FarId, FarKnown>, Invalid> {
    for (i, meeting) in meetings.iter().enumerate() {
        if meetings[..i].iter().any(|other| other.id == meeting.id) {
            return Err(twice(Thing::MeetingPoint, &meeting.id).at("id").in_list("meeting", i));
        }
    }
    let points: Vec<&str> = meetings.iter().map(|m| m.id.as_str()).collect();
    let mut known = TiVec::new();
    for (i, far) in fars.iter().enumerate() {
        let here = |e: Invalid| e.in_list("far", i);
        if fars[..i].iter().any(|other| other.id == far.id) {
            return Err(here(twice(Thing::FarSide, &far.id).at("id")));
        }
        known.push(check_far(far, &points, tables).map_err(here)?);
    }
    Ok(known)
}

fn check_far(far: &Far, points: &[&str], tables: &Tables) -> Result<FarKnown, Invalid> {
    let lines: Vec<&str> = tables.line.iter().map(|l| l.id.as_str()).collect();
    let line =
        tables.line_kind(&far.line).ok_or_else(|| missing(Thing::LineKind, &far.line, &lines).at("line"))?;
    if far.measured.is_none() && far.link.is_none() && far.distance_km.is_none() {
        return Err(Invalid::new(FarContradiction::NoDistance { far: far.id.clone() }));
    }
    if ![16, 24, 32].contains(&far.depth) {
        return Err(Invalid::new(FarContradiction::Depth).at("depth"));
    }
    if far.channels == 0 || far.channels > 64 {
        return Err(Invalid::new(FarContradiction::Channels).at("channels"));
    }
    if far.packet_frames.is_some_and(|p| !(8..=4800).contains(&p.get())) {
        return Err(Invalid::new(FarContradiction::PacketFrames).at("packet_frames"));
    }
    if far.receive_buffer_ms.is_some_and(|b| b.raw() > 500.0) {
        return Err(Invalid::new(FarContradiction::ReceiveBuffer).at("receive_buffer_ms"));
    }
    for (j, meets) in far.meets.iter().enumerate() {
        if !points.contains(&meets.at.as_str()) {
            return Err(missing(Thing::MeetingPoint, &meets.at, points).at("at").in_list("meets", j));
        }
    }
    if let Some(through) = &far.through {
        let reached: Vec<&str> = far.meets.iter().map(|m| m.at.as_str()).collect();
        if !reached.contains(&through.as_str()) {
            let what = if points.contains(&through.as_str()) {
                Invalid::new(FarContradiction::NoWayToMeeting { through: through.clone() })
            } else {
                missing(Thing::MeetingPoint, through, points)
            };
            return Err(what.at("through"));
        }
    }
    Ok(FarKnown { line: line.clone(), theirs: Arc::new(theirs(far, tables)?) })
}

/// Their rig and the setting that they use.
fn theirs(far: &Far, tables: &Tables) -> Result<(Rig, Setting), Invalid> {
    let block = far.theirs.buffer_frames;
    let described = match &far.their_rig {
        Some(rig) => (**rig).clone(),
        None => plain_rig(far, block),
    };
    let in_rig = far.their_rig.is_some();
    let wrong = |e: Invalid| if in_rig { e.at("rig") } else { Invalid { path: vec![], ..e }.at("theirs") };
    let their = Rig::checked(described, tables).map_err(wrong)?;
    let interface = match &far.theirs.interface {
        None => InterfaceId::from(0),
        Some(id) => {
            let all: Vec<&str> = their.interfaces.iter().map(|i| i.id.as_str()).collect();
            their
                .interface_called(id)
                .ok_or_else(|| missing(Thing::Interface, id, &all).at("interface").at("theirs"))?
        }
    };
    let drivers = &their.interface(interface).drivers;
    let all: Vec<&str> = drivers.iter().map(|d| d.id()).collect();
    let driver = match far.theirs.driver.as_deref().filter(|_| in_rig) {
        None => 0,
        Some(id) => drivers
            .iter()
            .position(|d| plain(d.id()) == plain(id))
            .ok_or_else(|| missing(Thing::Driver, id, &all).at("driver").at("theirs"))?,
    };
    let rate = drivers[driver]
        .rates_hz
        .iter()
        .copied()
        .find(|r| *r == Hz::new(48_000))
        .unwrap_or(drivers[driver].rates_hz[0]);
    let offered = drivers[driver].buffers.offered(rate).into_iter().find(|o| o.block == block);
    let buffer = offered.unwrap_or_else(|| Offered::plain(block));
    Ok((their, Setting { interface, driver: DriverId::from(driver), rate, buffer }))
}

/// A rig with nothing but that interface.
fn plain_rig(far: &Far, block: Block) -> rig::Description {
    let theirs = &far.theirs;
    let model = theirs.driver.clone().unwrap_or_else(|| USUAL_DRIVER.into());
    rig::Description::of_one(&theirs.connection, &model, Buffers::only(block))
}
