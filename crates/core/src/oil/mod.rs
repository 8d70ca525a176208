//! Oil: how thick it is at a temperature, and what thins it.
//!
//! Words: *kinematic viscosity* ν in mm²/s is what a data sheet prints; *dynamic viscosity* μ = ν·ρ in Pa·s is what the
//! clearances feel. An [`Oil`] knows both at any temperature of its range.
mod grade;
mod viscosity;

pub use grade::{Grade, grades, typical};
pub use viscosity::{Fuel, MOST_FUEL_SHARE, MOST_SHEARED, MOST_THICKENED, Oil, OilError, TEMP_RANGE_C, blend_mm2_s, walther_mm2_s};
