//! Viscosity against temperature, and dilution by fuel.
//!
//! Sources: ASTM D341-20 (Walther equation, form log₁₀ log₁₀(ν + 0.7) = A − B·log₁₀ T) for temperature; the Refutas
//! viscosity blending index (Maples, *Petroleum Refinery Process Economics*, 2nd ed., 2000) for blends; permanent shear loss as
//! ASTM D6278 reports it (share of the 100 °C viscosity), thickening as oxidation tests do (share of the 40 °C viscosity); density falls
//! linearly by α = 7·10⁻⁴ /K from its value at 15 °C. Valid from −20 to 150 °C: below, waxes and yield make an oil thicker than
//! Walther says; above, the constant 0.7 no longer holds.
//! Checked against its two defining points and values computed apart from this code (`tests/golden/oil.csv`).
use thiserror::Error;

/// Temperatures over which the relations hold, °C.
pub const TEMP_RANGE_C: std::ops::RangeInclusive<f64> = -20.0..=150.0;

const DENSITY_FALL_PER_K: f64 = 7.0e-4;
const ZERO_C_K: f64 = 273.15;

/// Fuel that finds its way into the oil.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fuel {
    /// What stays of petrol in a sump: about 0.7 mm²/s at 40 °C, 0.6 hot.
    Petrol,
    /// About 3 mm²/s at 40 °C, 1.2 at 100 °C; cold-flow winter grades a little less.
    Diesel,
}

impl Fuel {
    /// Kinematic viscosity at 40 and 100 °C (mm²/s) and density (kg/m³).
    fn values(self) -> (f64, f64, f64) {
        match self {
            Self::Petrol => (0.7, 0.6, 740.0),
            Self::Diesel => (3.0, 1.2, 835.0),
        }
    }
}

/// Greatest share of fuel the blending index is used for here; an engine with more has other troubles.
pub const MOST_FUEL_SHARE: f64 = 0.4;
/// Greatest permanent loss of viscosity by shear, share (bench shear of a weak multigrade, ASTM D6278, loses about a quarter).
pub const MOST_SHEARED: f64 = 0.3;
/// Greatest thickening by oxidation and soot, share; an oil is condemned near a half, and gels beyond three.
pub const MOST_THICKENED: f64 = 3.0;

/// Why an oil could not be described or asked.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum OilError {
    /// The grade is not in the table.
    #[error("oil grade “{grade}” is not known; use one of: {known}")]
    UnknownGrade {
        /// What was asked for.
        grade: String,
        /// What would have been right.
        known: String,
    },
    /// The two viscosities do not describe an engine oil.
    #[error(
        "{nu_40_mm2_s} mm²/s at 40 °C and {nu_100_mm2_s} at 100 °C are not an engine oil; the first lies between 10 and 400 and the second between 2 and 40, well below the first"
    )]
    NotAnOil {
        /// At 40 °C.
        nu_40_mm2_s: f64,
        /// At 100 °C.
        nu_100_mm2_s: f64,
    },
    /// A share outside what the relation holds for.
    #[error("{what} of {share} is outside 0 to {most}, where the relation holds")]
    Share {
        /// Which share.
        what: &'static str,
        /// What was asked for.
        share: f64,
        /// The greatest.
        most: f64,
    },
    /// Outside [`TEMP_RANGE_C`].
    #[error("{temp_c} °C is outside −20 to 150 °C, where the viscosity relation holds")]
    Temperature {
        /// What was asked for.
        temp_c: f64,
    },
}

/// An oil by its Walther constants and density. 24 bytes, cheap to copy.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Oil {
    a: f64,
    b: f64,
    density_15_kg_m3: f64,
}

impl Oil {
    /// An oil from its viscosities at 40 and 100 °C (mm²/s) and its density at 15 °C (kg/m³).
    ///
    /// # Errors
    /// [`OilError::NotAnOil`] unless 10 ≤ ν40 ≤ 400, 2 ≤ ν100 ≤ 40 and ν40 > 1.5·ν100.
    ///
    /// ```
    /// # use velvet_dial_core::oil::Oil;
    /// let oil = Oil::new(63.0, 10.7, 852.0).unwrap();
    /// assert!((oil.nu_mm2_s(40.0).unwrap() - 63.0).abs() < 1e-9);
    /// assert!(Oil::new(10.7, 63.0, 852.0).is_err());
    /// ```
    pub fn new(nu_40_mm2_s: f64, nu_100_mm2_s: f64, density_15_kg_m3: f64) -> Result<Self, OilError> {
        let sane = (10.0..=400.0).contains(&nu_40_mm2_s)
            && (2.0..=40.0).contains(&nu_100_mm2_s)
            && nu_40_mm2_s > 1.5 * nu_100_mm2_s
            && (700.0..=1000.0).contains(&density_15_kg_m3);
        if !sane {
            return Err(OilError::NotAnOil { nu_40_mm2_s, nu_100_mm2_s });
        }
        Ok(Self::through(nu_40_mm2_s, nu_100_mm2_s, density_15_kg_m3))
    }

    fn through(nu_40_mm2_s: f64, nu_100_mm2_s: f64, density_15_kg_m3: f64) -> Self {
        let (w40, w100) = (double_log(nu_40_mm2_s), double_log(nu_100_mm2_s));
        let (t40, t100) = ((40.0 + ZERO_C_K).log10(), (100.0 + ZERO_C_K).log10());
        let b = (w40 - w100) / (t100 - t40);
        Self { a: w40 + b * t40, b, density_15_kg_m3 }
    }

    /// Kinematic viscosity in mm²/s.
    ///
    /// # Errors
    /// [`OilError::Temperature`] outside −20…150 °C.
    pub fn nu_mm2_s(&self, temp_c: f64) -> Result<f64, OilError> {
        if TEMP_RANGE_C.contains(&temp_c) { Ok(self.nu_raw(temp_c)) } else { Err(OilError::Temperature { temp_c }) }
    }

    /// Dynamic viscosity in Pa·s at a temperature held to −20…150 °C: film temperatures of a hot engine at speed may pass the upper
    /// end, where the fall is slow and holding it is the safer side. A solved circuit is marked when that happened
    /// ([`crate::circuit::State::in_range`]); [`Oil::nu_mm2_s`] is for a person's question and refuses instead.
    pub fn mu_pa_s(&self, temp_c: f64) -> f64 {
        let held_c = temp_c.clamp(*TEMP_RANGE_C.start(), *TEMP_RANGE_C.end());
        self.nu_raw(held_c) * 1e-6 * self.density_kg_m3(held_c)
    }

    /// Density in kg/m³.
    pub fn density_kg_m3(&self, temp_c: f64) -> f64 {
        self.density_15_kg_m3 * (1.0 - DENSITY_FALL_PER_K * (temp_c - 15.0))
    }

    /// The same oil with both viscosities multiplied by `share` (another can of the grade, or a thinner grade).
    pub fn scaled(&self, share: f64) -> Self {
        let nu = |t| (self.nu_raw(t) * share).max(0.5);
        Self::through(nu(40.0), nu(100.0), self.density_15_kg_m3)
    }

    /// A thicker grade: viscosity at 100 °C multiplied by `hot`, at 40 °C by its power 1.3, since thick grades gain more when cold (SAE J300's 20W-50 over 5W-30:
    /// 1.6 hot, 2.4 at 40 °C).
    pub fn thicker(&self, hot: f64) -> Self {
        Self::through(self.nu_raw(40.0) * hot.powf(1.3), self.nu_raw(100.0) * hot, self.density_15_kg_m3)
    }

    /// The same oil with a share of fuel in it, 0 to 0.4 by mass.
    ///
    /// # Errors
    /// [`OilError::Share`].
    ///
    /// ```
    /// # use velvet_dial_core::oil::{Fuel, Oil};
    /// let oil = Oil::new(63.0, 10.7, 852.0).unwrap();
    /// assert!(oil.diluted(Fuel::Petrol, 0.05).unwrap().nu_mm2_s(100.0).unwrap() < 9.0);
    /// assert!(oil.diluted(Fuel::Petrol, 0.9).is_err());
    /// ```
    pub fn diluted(&self, fuel: Fuel, share: f64) -> Result<Self, OilError> {
        let share = held("fuel share", share, MOST_FUEL_SHARE)?;
        let (nu_40, nu_100, density) = fuel.values();
        // Near zero Walther's constant 0.7 dominates, which is why the blend is made first and the line drawn through its two points.
        let nu_40 = blend_mm2_s(self.nu_raw(40.0), nu_40, share);
        let nu_100 = blend_mm2_s(self.nu_raw(100.0), nu_100, share);
        Ok(Self::through(nu_40, nu_100, self.density_15_kg_m3 * (1.0 - share) + density * share))
    }

    /// The same oil used: `sheared` is the permanent loss at 100 °C (0 to 0.3), half of it at 40 °C, since the polymer that breaks
    /// carries more of the hot viscosity; `thickened` the gain at both by oxidation and soot (0 to 3).
    ///
    /// # Errors
    /// [`OilError::Share`].
    ///
    /// ```
    /// # use velvet_dial_core::oil::Oil;
    /// let new = Oil::new(63.0, 10.7, 852.0).unwrap();
    /// assert!((new.aged(0.1, 0.0).unwrap().nu_mm2_s(100.0).unwrap() - 9.63).abs() < 0.01);
    /// assert!(new.aged(0.5, 0.0).is_err());
    /// ```
    pub fn aged(&self, sheared: f64, thickened: f64) -> Result<Self, OilError> {
        let sheared = held("shear loss", sheared, MOST_SHEARED)?;
        let thicker = 1.0 + held("thickening", thickened, MOST_THICKENED)?;
        let nu_40 = self.nu_raw(40.0) * (1.0 - 0.5 * sheared) * thicker;
        let nu_100 = self.nu_raw(100.0) * (1.0 - sheared) * thicker;
        Ok(Self::through(nu_40, nu_100, self.density_15_kg_m3))
    }

    fn nu_raw(&self, temp_c: f64) -> f64 {
        walther_mm2_s(self.a, self.b, temp_c)
    }
}

/// ν(T) in mm²/s of ASTM D341 for the constants A and B.
pub fn walther_mm2_s(a: f64, b: f64, temp_c: f64) -> f64 {
    let w = a - b * (temp_c + ZERO_C_K).log10();
    (std::f64::consts::LN_10 * (std::f64::consts::LN_10 * w).exp()).exp() - 0.7
}

/// The viscosity in mm²/s of a blend by the Refutas index: VBN = 14.534·ln ln(ν + 0.8) + 10.975, mixed by mass share.
///
/// Both viscosities at the same temperature, each above 0.3 mm²/s; `share` is that of the second, 0 to 1.
pub fn blend_mm2_s(base_mm2_s: f64, other_mm2_s: f64, share: f64) -> f64 {
    let vbn = |nu: f64| 14.534 * (nu + 0.8).ln().ln() + 10.975;
    let mixed = (1.0 - share) * vbn(base_mm2_s) + share * vbn(other_mm2_s);
    ((mixed - 10.975) / 14.534).exp().exp() - 0.8
}

fn held(what: &'static str, share: f64, most: f64) -> Result<f64, OilError> {
    if (0.0..=most).contains(&share) { Ok(share) } else { Err(OilError::Share { what, share, most }) }
}

fn double_log(nu_mm2_s: f64) -> f64 {
    (nu_mm2_s + 0.7).log10().log10()
}
