//! What takes time: the knee along a slow sweep, the seconds until pressure shows after a start, and the gauge's own lag.
//!
//! Sources: conservation of volume for the fill (empty volume over delivered flow); a dry positive-displacement pump moves air at
//! a fraction of its swept volume, so the suction line must first be emptied of it; a gauge behind a small bore follows as a
//! first-order lag (any text on measurement, e.g. Doebelin, *Measurement Systems*, §3.3).
use super::{Circuit, Working};

/// What is empty when the engine starts, m³.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Dry {
    /// After the pump: filter, cooler and gallery.
    pub after_pump_m3: f64,
    /// Before the pump: pickup and suction bore, air to be moved before oil arrives.
    pub suction_m3: f64,
}

impl Dry {
    /// After a night's rest with a filter that holds its oil back: gallery half empty, suction full.
    pub fn rested(displacement_l: f64) -> Self {
        Self { after_pump_m3: 30e-6 * displacement_l, suction_m3: 0.0 }
    }

    /// After work: filter, cooler, gallery and suction all empty.
    pub fn after_work(displacement_l: f64) -> Self {
        Self { after_pump_m3: 350e-6 * displacement_l, suction_m3: 60e-6 * displacement_l }
    }
}

/// How a start went.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Build {
    /// Pressure shows after so many seconds.
    After(f64),
    /// The pump never gets oil.
    Never,
}

/// A dry pump moves air at this share of its swept volume.
const DRY_SHARE: f64 = 0.35;
/// Longest sweep looked at for the knee, turns a minute.
const SWEEP_TO_RPM: f64 = 8000.0;
/// Longer than this is never, s.
const GIVEN_UP_S: f64 = 60.0;

impl Circuit {
    /// Seconds until the gallery is full and pressure shows, at a held speed (250 rpm when cranking).
    pub fn build_time(&self, at: Working, dry: Dry) -> Build {
        let swept = self.pump.per_turn_m3 * at.rpm / 60.0;
        let rho = self.oil.density_kg_m3(at.oil_temp_c);
        let delivered = self.suction.draw(swept, at.rpm, self.oil.mu_pa_s(at.oil_temp_c), rho).liquid_m3_s;
        if delivered <= 0.0 {
            return Build::Never;
        }
        let seconds = dry.suction_m3 / (DRY_SHARE * swept) + dry.after_pump_m3 / delivered;
        if seconds > GIVEN_UP_S { Build::Never } else { Build::After(seconds) }
    }

    /// The speed at which pressure stops rising in a slow sweep at this oil temperature, turns a minute: relief valve or pump
    /// control takes over, or the pump starves. `None` when it rises to the end of the sweep.
    pub fn knee_rpm(&self, oil_temp_c: f64) -> Option<f64> {
        let over = |rpm: f64| {
            let state = self.solve(Working { rpm, oil_temp_c });
            state.pump_pa > self.relief.cracks_pa || state.displacement < 1.0 || state.drawn.starving
        };
        // Each of the three, once begun, lasts to the end of the sweep but for a control's step, where the first crossing is meant.
        let step_rpm = SWEEP_TO_RPM / 40.0;
        let mut high = (1..=40).map(|step| step_rpm * f64::from(step)).find(|rpm| over(*rpm))?;
        let mut low = high - step_rpm;
        while high - low > 1.0 {
            let middle = 0.5 * (low + high);
            if over(middle) {
                high = middle;
            } else {
                low = middle;
            }
        }
        Some(high)
    }
}

/// What a gauge with a time constant of `tau_s` shows `after_s` seconds after the pressure stepped from `from_kpa` to `to_kpa`.
///
/// ```
/// # use velvet_dial_core::circuit::lagged_kpa;
/// assert!((lagged_kpa(0.0, 100.0, 2.0, 2.0) - 63.2).abs() < 0.1);
/// assert_eq!(lagged_kpa(0.0, 100.0, 0.0, 1.0), 100.0);
/// ```
pub fn lagged_kpa(from_kpa: f64, to_kpa: f64, tau_s: f64, after_s: f64) -> f64 {
    if tau_s <= 0.0 { to_kpa } else { to_kpa + (from_kpa - to_kpa) * (-after_s.max(0.0) / tau_s).exp() }
}
