//! What others saw before this job: the shop's own closed jobs, and known patterns of an engine's family.
mod calibration;
mod memory;
mod pattern;

pub use calibration::{Band, Said, calibration};
pub use memory::{Known, Learned, Memory, MemoryError, OWN_JOBS, OWN_TIMES, Took};
pub use pattern::{KnownPattern, MOST_SAID, raised, same_family};
