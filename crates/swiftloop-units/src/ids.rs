//! Positions in lists as types that do not mix: the number of a track is not that of a processor. Each is made where a
//! list is walked and leads back into that list only. Lists that go with a rig's or a session's are typed by the same
//! numbers (`typed_index_collections::TiVec`), so none can be read with another's.

macro_rules! id {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(usize);

        impl From<usize> for $name {
            #[inline]
            fn from(position: usize) -> Self {
                Self(position)
            }
        }

        impl From<$name> for usize {
            #[inline]
            fn from(id: $name) -> Self {
                id.0
            }
        }

        impl $name {
            #[must_use]
            #[inline]
            pub const fn index(self) -> usize {
                self.0
            }
        }
    };
}

id!(/// An interface of a rig.
    InterfaceId);
id!(/// A driver of one interface.
    DriverId);
id!(/// A program that runs beside the session.
    ProgramId);
id!(/// A track of a session.
    TrackId);
id!(/// A bus of a session.
    BusId);
id!(/// A node of the routing: a track, a bus or the main output.
    NodeId);
id!(/// A processor of a session, in the order of the routing.
    ProcessorId);
id!(/// A far side of a rig.
    FarId);
id!(/// A meeting point of a rig.
    MeetingId);
id!(/// A performer of a session.
    PerformerId);
id!(/// A phase of a session.
    PhaseId);
id!(/// A remedy on offer in one phase.
    RemedyId);
