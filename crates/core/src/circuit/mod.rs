//! The oil circuit of one engine at one operating point.
//!
//! Words: a [`Card`] is what a technician knows of the engine; [`nominal`] turns it, with a draw of what nobody knows, into a
//! healthy [`Circuit`]; [`Fault`] harms it; [`Circuit::solve`] gives the pressures. In that order, because a fault acts on
//! physical parts and not on pressures: the shape it draws then comes out by itself.
mod card;
mod fault;
mod network;
pub mod nominal;
mod part;
mod root;
mod start;
mod suction;

pub use card::{
    BlowAccess, Burns, CamFeed, CamPlace, Card, Cooler, Cooling, HeadFeed, Layout, MOST_NO_START, PartAccess, PointOfSpec, Port,
    Pump as PumpKind, PumpDrive, ReliefSenses, Rockers, TopOpen,
};
pub(crate) use fault::widen;
pub use fault::{Fault, harm};
pub use network::{Circuit, SoundState, State, Working};
pub use nominal::Unknowns;
pub use part::{Branch, Control, Filter, Law, Place, Pump, Relief};
pub use start::{Build, Dry, lagged_kpa};
pub use suction::{ATMOSPHERE_PA, Inflow, Suction};
