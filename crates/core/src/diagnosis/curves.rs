//! What the healthy engine and the leading causes would show over the speed: the curves of the pressure map.
use super::Diagnosis;
use crate::case::{Case, Phase};
use crate::knowledge::{Cause, knowledge};
use crate::trace::Tracer;
use serde::{Deserialize, Serialize};

/// Speeds at which curves are computed, rpm.
pub const SPEEDS: [f64; 13] = [500.0, 650.0, 800.0, 1000.0, 1250.0, 1500.0, 1800.0, 2200.0, 2600.0, 3000.0, 3500.0, 4000.0, 4500.0];
/// Oil under this is cold: its curves are drawn apart, °C.
pub const COLD_C: f64 = 60.0;
/// Suspects' curves drawn, and how probable one must be.
const CURVES: usize = 4;
const LEAST_CURVE: f64 = 0.05;
/// Causes among which they are looked for: those that a report lists.
const CAUSES: usize = 6;

/// A suspect's curve at [`SPEEDS`], or the healthy engine's.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Curve {
    /// Word of the cause.
    pub cause: String,
    /// Its name.
    pub name: String,
    /// At the temperature of the cold readings.
    pub cold: bool,
    /// kPa at each speed.
    pub kpa: Vec<f64>,
    /// Between which it lies in eight engines of ten, kPa at each speed; older records have none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub band: Vec<[f64; 2]>,
}

impl Curve {
    /// The word that stands in the place of a cause for the healthy engine.
    pub const HEALTHY: &'static str = "healthy";

    /// From the bands of some engines at [`SPEEDS`].
    pub fn of((cause, name): (&str, &str), bands: &[[f64; 3]], cold: bool) -> Self {
        Self {
            cause: cause.to_owned(),
            name: name.to_owned(),
            cold,
            kpa: bands.iter().map(|[_, middle, _]| *middle).collect(),
            band: bands.iter().map(|[low, _, high]| [*low, *high]).collect(),
        }
    }

    /// It is the healthy engine's.
    pub fn is_healthy(&self) -> bool {
        self.cause == Self::HEALTHY
    }
}

/// What the healthy engine and the leading causes would show at the temperatures of the readings before, hot and cold. A cause under which the circuit is sound has no
/// curve of its own: the healthy band is its. Once it is put right and read again, the healthy band stands alone. Worked out once for a diagnosis.
pub fn curves<'a>(case: &Case, now: &'a Diagnosis, tracer: &Tracer) -> &'a [Curve] {
    now.curves.get_or_init(|| solved(case, now, tracer))
}

fn solved(case: &Case, now: &Diagnosis, tracer: &Tracer) -> Vec<Curve> {
    // To the degree: the healthy engine's is then seldom worked out anew as a reading more moves the mean.
    let mean = |cold: bool| {
        let temps: Vec<f64> = case.readings.iter().map(|reading| reading.oil_temp_c).filter(|temp| (*temp < COLD_C) == cold).collect();
        (!temps.is_empty()).then(|| (temps.iter().sum::<f64>() / temps.len() as f64).round())
    };
    let hot = mean(false).or_else(|| mean(true).is_none().then_some(100.0));
    let know = knowledge();
    let proven = case.readings.iter().any(|reading| reading.phase == Phase::After);
    // A curve is named by its cause, so only the causes that are listed have one.
    let suspects = now.posterior.ranked().into_iter().take(CAUSES).filter(|index| !proven && now.posterior.of(*index) >= LEAST_CURVE);
    let suspects: Vec<(usize, &Cause)> = suspects.filter_map(|index| know.causes.get(index).map(|cause| (index, cause))).collect();
    let mut curves = Vec::new();
    for (cold, temp) in [(false, hot), (true, mean(true))] {
        let Some(temp) = temp else { continue };
        curves.push(Curve::of((Curve::HEALTHY, "Healthy"), &tracer.healthy_bands(&SPEEDS, temp), cold));
        for (index, cause) in suspects.iter().filter(|(_, cause)| !cause.conforms).take(CURVES) {
            curves.extend(
                tracer.left(*index, &now.pressures).map(|left| Curve::of((&cause.id, &cause.name), &left.bands(&SPEEDS, temp), cold)),
            );
        }
    }
    curves
}
