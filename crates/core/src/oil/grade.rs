//! The common grades and their typical values, from `knowledge/oils.toml`.
use super::{Oil, OilError};
use serde::Deserialize;
use std::sync::LazyLock;

/// One grade's typical values when new.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Grade {
    /// The name as it stands on the can, for example `5W-30`.
    pub grade: String,
    /// Kinematic viscosity at 40 °C, mm²/s.
    pub nu_40_mm2_s: f64,
    /// Kinematic viscosity at 100 °C, mm²/s.
    pub nu_100_mm2_s: f64,
    /// Density at 15 °C, kg/m³.
    pub density_15_kg_m3: f64,
    /// Why this value stands for the grade.
    pub reason: String,
}

#[derive(Deserialize)]
struct Table {
    oil: Vec<Grade>,
}

static GRADES: LazyLock<Vec<Grade>> = LazyLock::new(|| {
    toml::from_str::<Table>(include_str!("../../knowledge/oils.toml"))
        .map(|table| table.oil)
        // OK because the file is compiled in, and the knowledge test parses it.
        .unwrap_or_default()
});

/// Every grade the product knows, in the order of the file.
pub fn grades() -> &'static [Grade] {
    &GRADES
}

/// The typical oil of a grade; spaces, case and a leading `SAE` do not matter.
///
/// # Errors
/// [`OilError::UnknownGrade`] lists what is known.
///
/// ```
/// # use velvet_dial_core::oil;
/// assert!(oil::typical("sae 5w30").is_ok());
/// assert!(oil::typical("7W-35").is_err());
/// ```
pub fn typical(grade: &str) -> Result<Oil, OilError> {
    let wanted = plain(grade);
    GRADES
        .iter()
        .find(|row| plain(&row.grade) == wanted)
        .ok_or_else(|| OilError::UnknownGrade {
            grade: grade.trim().to_owned(),
            known: GRADES.iter().map(|row| row.grade.as_str()).collect::<Vec<_>>().join(", "),
        })
        .and_then(|row| Oil::new(row.nu_40_mm2_s, row.nu_100_mm2_s, row.density_15_kg_m3))
}

fn plain(grade: &str) -> String {
    let letters: String = grade.chars().filter(char::is_ascii_alphanumeric).collect();
    let upper = letters.to_ascii_uppercase();
    upper.strip_prefix("SAE").map_or(upper.clone(), str::to_owned)
}
