//! The columns of a file as a person named them.
use serde::{Deserialize, Serialize};

/// As they are kept.
#[derive(Debug, Clone, Default, Serialize, Deserialize, PartialEq, Eq)]
#[serde(default)]
pub struct Named {
    pub time: String,
    pub time_unit: String,
    pub pressure: String,
    pub pressure_unit: String,
    pub speed: String,
    pub oil_temp: String,
    pub oil_temp_unit: String,
}

impl Named {
    /// In the words of a map; none when pressure or time have no column, or two quantities share one.
    pub fn map(&self) -> Option<String> {
        let place = |column: &str| column.parse::<usize>().ok().map(|at| at + 1);
        let said = [
            ("time", place(&self.time), self.time_unit.as_str()),
            ("pressure", place(&self.pressure), self.pressure_unit.as_str()),
            ("speed", place(&self.speed), "rpm"),
            ("oil_temp", place(&self.oil_temp), self.oil_temp_unit.as_str()),
        ];
        let mut taken: Vec<usize> = said.iter().filter_map(|(_, at, _)| *at).collect();
        taken.sort_unstable();
        let apart = taken.array_windows().all(|[a, b]| a != b);
        let enough = place(&self.time).is_some() && place(&self.pressure).is_some();
        let parts: Vec<String> = said.iter().filter_map(|(what, at, unit)| at.map(|at| format!("{what}={at}:{unit}"))).collect();
        (apart && enough).then(|| parts.join(","))
    }
}
