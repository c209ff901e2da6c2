//! Proof that a rig can be true. Everything a type alone cannot say: references, orders, ranges that depend
//! on other values. The first contradiction found is returned with the path to it.

use super::{Description, Driver, Interface, Machine, Rig, WakeProfile};
use crate::Invalid;
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
            return Err(Invalid::new(
                "the rig has no interface",
                "add an [[interface]] table with at least one [[interface.driver]]",
            ));
        }
        let mut known = Vec::with_capacity(interfaces.len());
        for (i, interface) in interfaces.iter().enumerate() {
            let here = |e: Invalid| e.in_list("interface", i);
            if interfaces[..i].iter().any(|other| other.id == interface.id) {
                return Err(here(twice("interface", &interface.id).at("id")));
            }
            known.push(check_interface(interface, tables).map_err(here)?);
        }
        let ids: Vec<&str> = interfaces.iter().map(|i| i.id.as_str()).collect();
        for (i, place) in description.places.iter().enumerate() {
            if !ids.contains(&place.interface.as_str()) {
                return Err(missing("interface", &place.interface, &ids).at("interface").in_list("place", i));
            }
        }
        for (i, program) in description.programs.iter().enumerate() {
            if description.programs[..i].iter().any(|other| other.id == program.id) {
                return Err(twice("program", &program.id).at("id").in_list("program", i));
            }
            if let Some(sound) = &program.sound
                && !ids.contains(&sound.as_str())
            {
                return Err(missing("interface", sound, &ids).at("sound").in_list("program", i));
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
        return Err(Invalid::new("a machine has from 1 to 1024 cores", "write the number of physical cores")
            .at("cores"));
    }
    if machine.threads.is_some_and(|t| t < machine.cores || t > machine.cores * 8) {
        return Err(Invalid::new(
            "threads cannot be fewer than cores or more than eight a core",
            "write the number of hardware threads, or leave the key out",
        )
        .at("threads"));
    }
    if machine.core_speed.is_some_and(|s| s.raw() < 0.01 || s.raw() > 100.0) {
        return Err(Invalid::new(
            "core_speed compares a core with the reference core (1 = as fast)",
            "write a factor between 0.01 and 100, such as 0.8",
        )
        .at("core_speed"));
    }
    if machine.paced_cost.is_some_and(|p| p.low().raw() < 0.1 || p.high().raw() > 100.0) {
        return Err(Invalid::new(
            "paced_cost is how many times as dear processors are in a chain as they were weighed",
            "write a factor between 0.1 and 100, such as 1.3, or let soak --real --save measure it",
        )
        .at("paced_cost"));
    }
    let class = tables.machine_class(&machine.class).ok_or_else(|| {
        let known: Vec<&str> = tables.machine.iter().map(|m| m.class.as_str()).collect();
        missing("class of machine", &machine.class, &known).at("class")
    })?;
    if machine.memory_gb.raw() <= 0.0 {
        return Err(Invalid::new("a machine without memory", "write the memory in gigabytes").at("memory_gb"));
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
        return Err(
            Invalid::new("bins must be in rising order, at least one", "sort them by up_to_us").at("bins")
        );
    }
    if counted != profile.wakes {
        return Err(Invalid::new(
            format!("the bins count {counted} wake-ups, but wakes says {}", profile.wakes),
            "a measured profile should not be edited by hand; measure again",
        )
        .at("wakes"));
    }
    let paced = profile.pace.windows(2).all(|w| w[0].up_to < w[1].up_to);
    if !paced || profile.pace.iter().any(|p| p.up_to.raw() <= 0.0 || p.count == 0) {
        return Err(
            Invalid::new("paces are above zero, in rising order, none empty", "measure again").at("pace")
        );
    }
    if profile.core_speed.is_some_and(|s| s.raw() < 0.01 || s.raw() > 100.0) {
        return Err(Invalid::new("a speed lies between 0.01 and 100", "measure again").at("core_speed"));
    }
    if profile.pace_drift.is_some_and(|d| d.raw() < 0.0 || d.raw() > 3.0) {
        return Err(Invalid::new("a drift lies between 0 and 3", "measure again").at("pace_drift"));
    }
    if profile.scale_us.low().raw() <= 0.0 {
        return Err(Invalid::new("the scale of a tail is above zero", "measure again").at("scale_us"));
    }
    if profile.shape.high().raw() >= 1.0 || profile.shape.low().raw() < -2.0 {
        return Err(Invalid::new("the shape of a tail lies between -2 and 1", "measure again").at("shape"));
    }
    Ok(())
}

fn check_interface(
    interface: &Interface,
    tables: &Tables,
) -> Result<(Connection, Vec<DriverModel>), Invalid> {
    let connection = tables.connection(&interface.connection).ok_or_else(|| {
        let known: Vec<&str> = tables.connection.iter().map(|c| c.id.as_str()).collect();
        missing("connection", &interface.connection, &known).at("connection")
    })?;
    let channels = interface.channels;
    if channels.open_inputs.is_some_and(|n| n > channels.inputs) {
        return Err(Invalid::new("more inputs are open than there are", "correct inputs or open_inputs")
            .at("open_inputs")
            .at("channels"));
    }
    if channels.open_outputs.is_some_and(|n| n > channels.outputs) {
        return Err(Invalid::new("more outputs are open than there are", "correct outputs or open_outputs")
            .at("open_outputs")
            .at("channels"));
    }
    for (i, converter) in interface.converters.iter().enumerate() {
        if interface.converters[..i].iter().any(|c| c.rate_hz == converter.rate_hz) {
            return Err(
                Invalid::new("two converter lines for one rate", "keep one of them").in_list("converter", i)
            );
        }
    }
    if interface.drivers.is_empty() {
        return Err(Invalid::new(
            "an interface without a driver cannot be used",
            "add an [[interface.driver]]",
        )
        .at("driver"));
    }
    let mut models = Vec::with_capacity(interface.drivers.len());
    for (i, driver) in interface.drivers.iter().enumerate() {
        if interface.drivers[..i].iter().any(|other| other.id() == driver.id()) {
            return Err(twice("driver", driver.id()).in_list("driver", i));
        }
        models.push(check_driver(driver, tables).map_err(|e| e.in_list("driver", i))?);
    }
    Ok((connection.clone(), models))
}

fn check_driver(driver: &Driver, tables: &Tables) -> Result<DriverModel, Invalid> {
    let model = tables.driver_model(&driver.model).ok_or_else(|| {
        let known: Vec<&str> = tables.driver.iter().map(|d| d.id.as_str()).collect();
        missing("driver model", &driver.model, &known).at("model")
    })?;
    if driver.rates_hz.is_empty() {
        return Err(
            Invalid::new("a driver offers at least one rate", "list its rates in hertz").at("rates_hz")
        );
    }
    if let Some(i) = driver.depths.iter().position(|d| ![16, 24, 32].contains(d)) {
        return Err(
            Invalid::new("depths are 16, 24 or 32 bits", "list what the driver offers").in_list("depths", i)
        );
    }
    if driver.buffers.languages() != 1 {
        return Err(Invalid::new(
            "buffers are given in exactly one way",
            "use one of: frames, powers, steps, ms, blocks, speeds",
        )
        .at("buffers"));
    }
    if let Some(ends) = driver.buffers.powers
        && let Some(wrong) = ends.iter().find(|b| !b.get().is_power_of_two())
    {
        return Err(Invalid::new(
            format!("{wrong} is no power of two"),
            format!(
                "write {} or {}, or list the sizes: {{ frames = [48, 96, 192] }}",
                (wrong.get() / 2 + 1).next_power_of_two(),
                wrong.get().next_power_of_two()
            ),
        )
        .at("powers")
        .at("buffers"));
    }
    if driver.buffers.offered(driver.rates_hz[0]).is_empty() {
        return Err(Invalid::new(
            "no buffer is offered",
            "list at least one; ranges run from small to large, such as { powers = [32, 2048] }",
        )
        .at("buffers"));
    }
    if driver.buffers.blocks.as_ref().is_some_and(|b| b.counts.iter().any(|&c| c == 0 || c > 64)) {
        return Err(Invalid::new("a count of blocks lies between 1 and 64", "correct counts")
            .at("blocks")
            .at("buffers"));
    }
    for (key, blocks) in [("blocks_in", driver.blocks_in), ("blocks_out", driver.blocks_out)] {
        if blocks.is_some_and(|b| b.low().raw() <= 0.0) {
            return Err(
                Invalid::new("a driver holds more than no blocks", "write at least a part of one").at(key)
            );
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
            return Err(Invalid::new(
                "a measured round trip belongs to a buffer or to a named speed",
                "add buffer_frames or speed",
            )
            .in_list("measured", i));
        };
        check_offered(driver, trip.rate_hz, &named).map_err(|e| e.in_list("measured", i))?;
        if trip.round_trip_frames.low().raw() <= 0.0 {
            return Err(Invalid::new("a round trip takes time", "write the measured frames")
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
            let smaller = other.buffer_frames.map_or(0, swiftloop_units::Block::get);
            let (here, there) =
                (trip.round_trip_frames.typical().raw(), other.round_trip_frames.typical().raw());
            return Err(Invalid::new(
                format!(
                    "a larger buffer is never quicker: {smaller} came back after {there:.0} frames, {own} after {here:.0}"
                ),
                "put the two right if they were mixed up, or take them out and measure again",
            )
            .in_list("measured", i));
        }
    }
    Ok(())
}

fn check_offered(driver: &Driver, rate: swiftloop_units::Hz, buffer: &str) -> Result<(), Invalid> {
    if !driver.rates_hz.contains(&rate) {
        let known: Vec<String> = driver.rates_hz.iter().map(ToString::to_string).collect();
        return Err(Invalid::new(
            format!("the driver does not offer {rate} Hz"),
            format!("it offers: {}", known.join(", ")),
        )
        .at("rate_hz"));
    }
    if driver.buffers.find(rate, buffer).is_none() {
        let known: Vec<String> = driver.buffers.offered(rate).iter().map(super::Offered::label).collect();
        let key = if buffer.parse::<u32>().is_ok() { "buffer_frames" } else { "speed" };
        return Err(Invalid::new(
            format!("the driver does not offer the buffer `{buffer}`"),
            format!("it offers: {}", known.join(", ")),
        )
        .at(key));
    }
    Ok(())
}
