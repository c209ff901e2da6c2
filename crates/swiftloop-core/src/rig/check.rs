//! Proof that a rig can be true. Everything a type alone cannot say: references, orders, ranges that depend
//! on other values. The first contradiction found is returned with the path to it.

use super::{Description, Driver, Interface, Machine, Rig, WakeProfile};
use crate::Invalid;
use crate::contradiction::{DriverContradiction, MachineContradiction, Thing};
use crate::rig::check_far::check_fars;
use crate::rig::missing;
use crate::rig::twice;
use crate::tables::{Connection, DriverModel, MachineClass, Tables};

impl Rig {
    /// The rig, if it can be true.
    ///
    /// # Errors
    /// The first contradiction, with its path.
    pub fn checked(description: Description, tables: &Tables) -> Result<Self, Invalid> {
        let class = check_machine(&description.machine, tables).map_err(|e| e.at("machine"))?;
        let interfaces = &description.interfaces;
        if interfaces.is_empty() {
            return Err(Invalid::new(DriverContradiction::NoInterface));
        }
        let mut known = Vec::with_capacity(interfaces.len());
        for (i, interface) in interfaces.iter().enumerate() {
            let here = |e: Invalid| e.in_list("interface", i);
            if interfaces[..i].iter().any(|other| other.id == interface.id) {
                return Err(here(twice(Thing::Interface, &interface.id).at("id")));
            }
            known.push(check_interface(interface, tables).map_err(here)?);
        }
        let ids: Vec<&str> = interfaces.iter().map(|i| i.id.as_str()).collect();
        for (i, place) in description.places.iter().enumerate() {
            if !ids.contains(&place.interface.as_str()) {
                return Err(missing(Thing::Interface, &place.interface, &ids)
                    .at("interface")
                    .in_list("place", i));
            }
        }
        for (i, program) in description.programs.iter().enumerate() {
            if description.programs[..i].iter().any(|other| other.id == program.id) {
                return Err(twice(Thing::Program, &program.id).at("id").in_list("program", i));
            }
            if let Some(sound) = &program.sound
                && !ids.contains(&sound.as_str())
            {
                return Err(missing(Thing::Interface, sound, &ids).at("sound").in_list("program", i));
            }
        }
        let fars = check_fars(&description.fars, &description.meetings, tables)?;
        // From here on, one way to write each: `ASIO` is asio, `usb-c` is usb.
        let mut description = description;
        for (interface, (connection, models)) in description.interfaces.iter_mut().zip(&known) {
            interface.connection.clone_from(&connection.id);
            for (driver, model) in interface.drivers.iter_mut().zip(models) {
                driver.model.clone_from(&model.id);
            }
        }
        Ok(Self { description, class, known, fars })
    }
}

fn check_machine(machine: &Machine, tables: &Tables) -> Result<MachineClass, Invalid> {
    if machine.cores == 0 || machine.cores > 1024 {
        return Err(Invalid::new(MachineContradiction::Cores).at("cores"));
    }
    if machine.threads.is_some_and(|t| t < machine.cores || t > machine.cores * 8) {
        return Err(Invalid::new(MachineContradiction::Threads).at("threads"));
    }
    if machine.core_speed.is_some_and(|s| s.raw() < 0.01 || s.raw() > 100.0) {
        return Err(Invalid::new(MachineContradiction::CoreSpeed).at("core_speed"));
    }
    if machine.paced_cost.is_some_and(|p| p.low().raw() < 0.1 || p.high().raw() > 100.0) {
        return Err(Invalid::new(MachineContradiction::PacedCost).at("paced_cost"));
    }
    let class = tables.machine_class(&machine.class).ok_or_else(|| {
        let known: Vec<&str> = tables.machine.iter().map(|m| m.class.as_str()).collect();
        missing(Thing::MachineClass, &machine.class, &known).at("class")
    })?;
    if machine.memory_gb.raw() <= 0.0 {
        return Err(Invalid::new(MachineContradiction::NoMemory).at("memory_gb"));
    }
    machine.wake.as_ref().map_or(Ok(()), |w| check_profile(w).map_err(|e| e.at("wake")))?;
    let mut earlier = machine.earlier_wake.iter().enumerate();
    earlier.try_for_each(|(i, w)| check_profile(w).map_err(|e| e.in_list("earlier_wake", i)))?;
    Ok(class.clone())
}

fn check_profile(profile: &WakeProfile) -> Result<(), Invalid> {
    let rising = profile.bins.windows(2).all(|w| w[0].up_to_us < w[1].up_to_us);
    let counted: u64 = profile.bins.iter().map(|b| b.count).fold(0, u64::saturating_add);
    if profile.bins.is_empty() || !rising {
        return Err(Invalid::new(MachineContradiction::BinsUnordered).at("bins"));
    }
    if counted != profile.wakes {
        return Err(
            Invalid::new(MachineContradiction::BinsMiscounted { counted, wakes: profile.wakes }).at("wakes")
        );
    }
    let paced = profile.pace.windows(2).all(|w| w[0].up_to < w[1].up_to);
    if !paced || profile.pace.iter().any(|p| p.up_to.raw() <= 0.0 || p.count == 0) {
        return Err(Invalid::new(MachineContradiction::PacesUnordered).at("pace"));
    }
    if profile.core_speed.is_some_and(|s| s.raw() < 0.01 || s.raw() > 100.0) {
        return Err(Invalid::new(MachineContradiction::ProfileSpeed).at("core_speed"));
    }
    if profile.pace_drift.is_some_and(|d| d.raw() < 0.0 || d.raw() > 3.0) {
        return Err(Invalid::new(MachineContradiction::PaceDrift).at("pace_drift"));
    }
    if profile.scale_us.low().raw() <= 0.0 {
        return Err(Invalid::new(MachineContradiction::TailScale).at("scale_us"));
    }
    if profile.shape.high().raw() >= 1.0 || profile.shape.low().raw() < -2.0 {
        return Err(Invalid::new(MachineContradiction::TailShape).at("shape"));
    }
    Ok(())
}

fn check_interface(
    interface: &Interface,
    tables: &Tables,
) -> Result<(Connection, Vec<DriverModel>), Invalid> {
    let connection = tables.connection(&interface.connection).ok_or_else(|| {
        let known: Vec<&str> = tables.connection.iter().map(|c| c.id.as_str()).collect();
        missing(Thing::Connection, &interface.connection, &known).at("connection")
    })?;
    let channels = interface.channels;
    if channels.open_inputs.is_some_and(|n| n > channels.inputs) {
        return Err(Invalid::new(DriverContradiction::OpenInputs).at("open_inputs").at("channels"));
    }
    if channels.open_outputs.is_some_and(|n| n > channels.outputs) {
        return Err(Invalid::new(DriverContradiction::OpenOutputs).at("open_outputs").at("channels"));
    }
    for (i, converter) in interface.converters.iter().enumerate() {
        if interface.converters[..i].iter().any(|c| c.rate_hz == converter.rate_hz) {
            return Err(Invalid::new(DriverContradiction::ConverterTwice).in_list("converter", i));
        }
    }
    if interface.drivers.is_empty() {
        return Err(Invalid::new(DriverContradiction::NoDriver).at("driver"));
    }
    let mut models = Vec::with_capacity(interface.drivers.len());
    for (i, driver) in interface.drivers.iter().enumerate() {
        if interface.drivers[..i].iter().any(|other| other.id() == driver.id()) {
            return Err(twice(Thing::Driver, driver.id()).in_list("driver", i));
        }
        models.push(check_driver(driver, tables).map_err(|e| e.in_list("driver", i))?);
    }
    Ok((connection.clone(), models))
}

fn check_driver(driver: &Driver, tables: &Tables) -> Result<DriverModel, Invalid> {
    let model = tables.driver_model(&driver.model).ok_or_else(|| {
        let known: Vec<&str> = tables.driver.iter().map(|d| d.id.as_str()).collect();
        missing(Thing::DriverModel, &driver.model, &known).at("model")
    })?;
    if driver.rates_hz.is_empty() {
        return Err(Invalid::new(DriverContradiction::NoRate).at("rates_hz"));
    }
    if let Some(i) = driver.depths.iter().position(|d| ![16, 24, 32].contains(d)) {
        return Err(Invalid::new(DriverContradiction::Depth).in_list("depths", i));
    }
    if driver.buffers.languages() != 1 {
        return Err(Invalid::new(DriverContradiction::BufferSchemes).at("buffers"));
    }
    if let Some(ends) = driver.buffers.powers
        && let Some(wrong) = ends.iter().find(|b| !b.get().is_power_of_two())
    {
        return Err(Invalid::new(DriverContradiction::NoPowerOfTwo { frames: wrong.get() })
            .at("powers")
            .at("buffers"));
    }
    if driver.buffers.offered(driver.rates_hz[0]).is_empty() {
        return Err(Invalid::new(DriverContradiction::NoBuffer).at("buffers"));
    }
    if driver.buffers.blocks.as_ref().is_some_and(|b| b.counts.iter().any(|&c| c == 0 || c > 64)) {
        return Err(Invalid::new(DriverContradiction::BlockCount).at("blocks").at("buffers"));
    }
    for (key, blocks) in [("blocks_in", driver.blocks_in), ("blocks_out", driver.blocks_out)] {
        if blocks.is_some_and(|b| b.low().raw() <= 0.0) {
            return Err(Invalid::new(DriverContradiction::NoBlocksHeld).at(key));
        }
    }
    for (i, reported) in driver.reported.iter().enumerate() {
        check_offered(driver, reported.rate_hz, &reported.buffer_frames.to_string())
            .map_err(|e| e.in_list("reported", i))?;
    }
    for (i, trip) in driver.measured.iter().enumerate() {
        let of_panel =
            |b: swiftloop_units::Block| trip.blocks.map_or(b.to_string(), |n| format!("{n} × {b}"));
        let named = trip.speed.clone().or(trip.buffer_frames.map(of_panel));
        let Some(named) = named else {
            return Err(Invalid::new(DriverContradiction::TripWithoutBuffer).in_list("measured", i));
        };
        check_offered(driver, trip.rate_hz, &named).map_err(|e| e.in_list("measured", i))?;
        if trip.round_trip_frames.low().raw() <= 0.0 {
            return Err(Invalid::new(DriverContradiction::InstantTrip)
                .at("round_trip_frames")
                .in_list("measured", i));
        }
    }
    check_growth(driver)?;
    Ok(model.clone())
}

/// A larger buffer delays more: measured round trips that say otherwise were mixed up, or are not of these buffers.
fn check_growth(driver: &Driver) -> Result<(), Invalid> {
    for (i, trip) in driver.measured.iter().enumerate() {
        let Some(own) = trip.buffer_frames else { continue };
        let slower = driver.measured.iter().find(|other| {
            other.rate_hz == trip.rate_hz
                && other.blocks == trip.blocks
                && other.buffer_frames.is_some_and(|b| b < own)
                && other.round_trip_frames.typical() >= trip.round_trip_frames.typical()
        });
        if let Some(other) = slower {
            let smaller = other.buffer_frames.unwrap_or(own);
            let (here, there) =
                (trip.round_trip_frames.typical().raw(), other.round_trip_frames.typical().raw());
            return Err(Invalid::new(DriverContradiction::QuickerWhenLarger {
                smaller,
                after: there,
                own,
                own_after: here,
            })
            .in_list("measured", i));
        }
    }
    Ok(())
}

fn check_offered(driver: &Driver, rate: swiftloop_units::Hz, buffer: &str) -> Result<(), Invalid> {
    if !driver.rates_hz.contains(&rate) {
        return Err(Invalid::new(DriverContradiction::RateNotOffered {
            rate,
            offered: driver.rates_hz.clone(),
        })
        .at("rate_hz"));
    }
    if driver.buffers.find(rate, buffer).is_none() {
        let known: Vec<String> = driver.buffers.offered(rate).iter().map(super::Offered::label).collect();
        let key = if buffer.parse::<u32>().is_ok() { "buffer_frames" } else { "speed" };
        return Err(Invalid::new(DriverContradiction::BufferNotOffered {
            buffer: buffer.into(),
            offered: known,
        })
        .at(key));
    }
    Ok(())
}
