//! One engine, its limits, its readings, what was found: the case, which is the exchange format `velvet-dial.case/1` to the letter.
mod act;
mod check;
mod file;
mod replaced;
mod schema;

pub use act::{Act, BenchSaid, Cranked, Deed, EngineIs, OilIs, SumpIs};
pub use check::{CaseError, check, check_card, check_gauge, parse, read};
pub use file::{Case, Evidence, FORMAT, MOST_FAMILY, Phase, Reading, Shows, Slope, SpeedHeld, hot_c, spec_points};
pub use replaced::{Effect, Replaced, ReplacedBy};
pub use schema::{add_ranges, schema};
