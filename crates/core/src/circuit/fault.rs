//! What each cause does to the parts. Severity runs from 0 (just worth finding) to 1 (the worst that still runs).
use super::part::{Branch, CD, Law, Place};
use super::{Circuit, Working};

/// A cause as a change of parts. Those of the indication change nothing here: the oil is well.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fault {
    /// The engine is as it should be.
    None,
    /// A thinner grade than the sheet's.
    OilThin,
    /// Fuel in the oil.
    OilDiluted,
    /// Level so low that the pickup draws froth.
    OilLow,
    /// Screen choked.
    ScreenBlocked,
    /// Air drawn in at the pickup's joint.
    PickupAir,
    /// Wide pump clearances.
    PumpWorn,
    /// Relief plunger held off its seat.
    ReliefOpen,
    /// Relief spring weak or wrong.
    ReliefWeak,
    /// Relief plunger seized shut.
    ReliefShut,
    /// Filter element choked.
    FilterBlocked,
    /// Wide crank bearings.
    BearingsCrank,
    /// An opening in the gallery.
    GalleryLeak,
}

fn log_between(low: f64, high: f64, severity: f64) -> f64 {
    low * (high / low).powf(severity)
}

fn between(low: f64, high: f64, severity: f64) -> f64 {
    low + (high - low) * severity
}

impl Fault {
    /// Harms a healthy circuit.
    pub fn apply(self, circuit: &mut Circuit, severity: f64) {
        let severity = severity.clamp(0.0, 1.0);
        match self {
            Self::None => {}
            Self::OilThin => circuit.oil = circuit.oil.scaled(between(0.82, 0.42, severity)),
            Self::OilDiluted => circuit.oil = circuit.oil.diluted(between(0.03, 0.18, severity)),
            Self::OilLow => {
                circuit.suction.air_share = between(0.05, 0.35, severity);
                circuit.suction.air_share_per_krpm = between(0.03, 0.14, severity);
            }
            Self::ScreenBlocked => {
                let open = 1.0 - between(0.80, 0.985, severity);
                circuit.suction.screen_m2 *= open;
            }
            Self::PickupAir => {
                // 0.4 to 12 mm² on a pump of 12 cm³ a turn, in proportion for others.
                let size = circuit.pump.per_turn_m3 / 12e-6;
                circuit.suction.joint_m2 = size * log_between(0.4e-6, 12e-6, severity);
            }
            Self::PumpWorn => circuit.pump.slip_m3 *= log_between(1.35, 2.6, severity).powi(3),
            Self::ReliefOpen => circuit.relief.held_open_k_m2 = Self::opening(circuit, severity),
            Self::ReliefWeak => circuit.relief.cracks_pa *= between(0.72, 0.25, severity),
            Self::ReliefShut => {
                circuit.relief.cracks_pa *= log_between(1.6, 6.0, severity);
                circuit.relief.slope_m3_s_pa *= 0.3;
            }
            Self::FilterBlocked => circuit.filter.r_per_m3 *= log_between(4.0, 60.0, severity),
            Self::BearingsCrank => {
                let leak = log_between(1.25, 2.4, severity).powi(3);
                for branch in circuit.branches_at(Place::Crank) {
                    if let Law::Laminar { g_m3 } = &mut branch.law {
                        *g_m3 *= leak;
                    }
                }
            }
            Self::GalleryLeak => {
                let k_m2 = Self::opening(circuit, severity);
                circuit.add(Branch { place: Place::Leak, law: Law::Orifice { k_m2 } });
            }
        }
    }

    /// An opening (Cd·A·√2, m²) that takes a third to all of the pump's hot-idle flow at 1 bar: 2 to 30 mm² on a two-litre engine.
    fn opening(circuit: &Circuit, severity: f64) -> f64 {
        let size = circuit.pump.per_turn_m3 / 12e-6;
        CD * std::f64::consts::SQRT_2 * size * log_between(2e-6, 30e-6, severity)
    }

    /// Port pressure in kPa of a harmed copy.
    pub fn port_kpa(self, healthy: &Circuit, severity: f64, at: Working) -> f64 {
        let mut harmed = healthy.clone();
        self.apply(&mut harmed, severity);
        harmed.port_kpa(at)
    }
}
