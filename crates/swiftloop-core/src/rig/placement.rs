//! Where measured round trips belong: a rig and the names of one of its drivers come in, the trips as that rig keeps them
//! go out; or what the rig does not know.

use crate::rig::{MeasuredTrip, Rig, plain};
use crate::tables::Tables;
use swiftloop_measure::probe::{Collected, Label, UnusableFit};
use swiftloop_units::{Blocks, Hz, Range};

/// Why a rig cannot keep these trips.
#[derive(Debug, Clone, PartialEq)]
pub enum Misplaced {
    /// No interface has this id; there are these.
    Interface(String, Vec<String>),
    /// The interface has no such driver; there are these.
    Driver(String, Vec<String>),
    /// The driver of the interface does not offer the rate; it offers these.
    Rate {
        driver: String,
        interface: String,
        /// Rate of the takes.
        rate: Hz,
        /// Rates that are offered.
        offered: Vec<Hz>,
    },
    /// The driver has no speed of this name; there are these.
    Speed(String, Vec<String>),
    /// The driver's buffers are named speeds, these; the takes are labelled with frames.
    NamedSpeeds(Vec<String>),
    /// The line cannot be that of such a driver.
    Unusable(UnusableFit),
}

/// These round trips as the driver of the interface keeps them.
///
/// # Errors
/// [`Misplaced`]: the rig does not know the interface, the driver, the rate or one of the labels, or the driver cannot hold
/// so few blocks.
pub fn placed(
    collected: &Collected,
    rig: &Rig,
    tables: &Tables,
    interface: &str,
    driver: &str,
    rate: Hz,
) -> Result<Vec<MeasuredTrip>, Misplaced> {
    let at = rig.interface_called(interface).ok_or_else(|| {
        Misplaced::Interface(interface.into(), rig.interfaces.iter().map(|i| i.id.clone()).collect())
    })?;
    let drivers = &rig.interface(at).drivers;
    let known = || drivers.iter().map(|d| d.id().to_string()).collect();
    let found = drivers
        .iter()
        .find(|d| plain(d.id()) == plain(driver))
        .ok_or_else(|| Misplaced::Driver(driver.into(), known()))?;
    if !found.rates_hz.contains(&rate) {
        return Err(Misplaced::Rate {
            driver: found.id().into(),
            interface: interface.into(),
            rate,
            offered: found.rates_hz.clone(),
        });
    }
    if let (Some(line), Some(model)) = (&collected.line, tables.driver_model(&found.model)) {
        let declared = |own: Option<Range<Blocks>>, table: Range<Blocks>| own.unwrap_or(table).low().raw();
        let least = declared(found.blocks_in, model.blocks_in) + declared(found.blocks_out, model.blocks_out);
        line.of_model(&found.model, least).map_err(Misplaced::Unusable)?;
    }
    let speeds: Vec<String> = found.buffers.speeds.iter().flatten().cloned().collect();
    let kept = |(blocks, buffer_frames, speed), range| MeasuredTrip {
        rate_hz: rate,
        buffer_frames,
        blocks,
        speed,
        round_trip_frames: range,
    };
    let place = |label: &Label| match label {
        Label::Speed(name) if !speeds.contains(name) => Err(Misplaced::Speed(name.clone(), speeds.clone())),
        Label::Block(_) | Label::Panel(..) if !speeds.is_empty() => {
            Err(Misplaced::NamedSpeeds(speeds.clone()))
        }
        Label::Speed(name) => Ok((None, None, Some(name.clone()))),
        Label::Block(block) => Ok((None, Some(*block), None)),
        Label::Panel(count, block) => Ok((Some(*count), Some(*block), None)),
    };
    collected.trips.iter().map(|t| place(&t.label).map(|label| kept(label, t.range))).collect()
}
