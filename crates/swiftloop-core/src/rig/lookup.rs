//! What stands where in a rig that holds: positions come in, interfaces, drivers, far sides, meeting points and programs go out, with
//! what the tables know of each.

use super::{Driver, Interface, PowerPlan, Program, Rig};
use crate::rig::{Far, FarKnown, Meeting};
use crate::tables::{Connection, DriverModel, MachineClass};
use swiftloop_units::ids::{DriverId, FarId, InterfaceId, MeetingId, ProgramId};

impl Rig {
    #[must_use]
    pub fn interface(&self, id: InterfaceId) -> &Interface {
        &self.description.interfaces[id.index()]
    }

    /// Every interface with its position.
    pub fn interface_ids(&self) -> impl Iterator<Item = (InterfaceId, &Interface)> {
        self.description.interfaces.iter().enumerate().map(|(i, interface)| (InterfaceId::from(i), interface))
    }

    /// The interface called `id`.
    #[must_use]
    pub fn interface_called(&self, id: &str) -> Option<InterfaceId> {
        self.interface_ids().find(|(_, i)| i.id == id).map(|(at, _)| at)
    }

    /// A driver of an interface.
    #[must_use]
    pub fn driver(&self, interface: InterfaceId, driver: DriverId) -> &Driver {
        &self.interface(interface).drivers[driver.index()]
    }

    /// The model of a driver.
    #[must_use]
    pub fn model(&self, interface: InterfaceId, driver: DriverId) -> &DriverModel {
        &self.known[interface.index()].1[driver.index()]
    }

    /// How an interface is connected.
    #[must_use]
    pub fn connection(&self, interface: InterfaceId) -> &Connection {
        &self.known[interface.index()].0
    }

    /// The class of the machine.
    #[must_use]
    pub fn class(&self) -> &MachineClass {
        &self.class
    }

    /// Speed of a core beside the reference core under a power plan. A measured speed is that under one plan; another plan
    /// changes it as the class does.
    #[must_use]
    pub fn speed_under(&self, power: PowerPlan) -> f64 {
        let class_share = |power: PowerPlan| self.class().under(power).speed.raw();
        let full = match self.machine.measured_speed() {
            Some((measured, under)) => measured.raw() / class_share(under),
            None => self.machine.speed().raw(),
        };
        full * class_share(power)
    }

    #[must_use]
    pub fn far(&self, id: FarId) -> &Far {
        &self.description.fars[id.index()]
    }

    /// What is known of a far side.
    #[must_use]
    pub fn far_known(&self, id: FarId) -> &FarKnown {
        &self.fars[id]
    }

    /// Every far side with its position.
    pub fn far_ids(&self) -> impl Iterator<Item = (FarId, &Far)> {
        self.description.fars.iter().enumerate().map(|(i, far)| (FarId::from(i), far))
    }

    #[must_use]
    pub fn meeting(&self, id: MeetingId) -> &Meeting {
        &self.description.meetings[id.index()]
    }

    /// Every meeting point with its position.
    pub fn meeting_ids(&self) -> impl Iterator<Item = (MeetingId, &Meeting)> {
        self.description.meetings.iter().enumerate().map(|(i, m)| (MeetingId::from(i), m))
    }

    /// A program that runs beside the session.
    #[must_use]
    pub fn program(&self, id: ProgramId) -> &Program {
        &self.description.programs[id.index()]
    }

    /// Every program with its position.
    pub fn program_ids(&self) -> impl Iterator<Item = (ProgramId, &Program)> {
        self.description.programs.iter().enumerate().map(|(i, program)| (ProgramId::from(i), program))
    }
}
