//! What each cause does to the parts. Severity runs from 0 (just worth finding) to 1 (the worst that still turns).
//!
//! A fault changes clearances, openings, springs and oil, never a pressure. Clearances enter with their cube, as leakage does. Sizes of
//! openings are those of a pump of 12 cm³ a turn (a two-litre engine) and grow with the pump. [`harm`] takes several at once.
use super::part::{Branch, CD, Law, Place};
use super::{Circuit, Working};
use crate::oil::Fuel;

/// A cause as a change of parts. Those of the indication change nothing here: the oil is well.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Fault {
    /// The engine is as it should be.
    None,
    /// Level so low that the pickup draws froth.
    OilLow,
    /// Level so high that the crank whips air in.
    OilOver,
    /// A thinner grade than the sheet's.
    OilThin,
    /// A thicker grade than the sheet's.
    OilThick,
    /// Fuel in the oil.
    OilDiluted,
    /// Thickened, sludged oil that loads the filter.
    OilDegraded,
    /// Screen choked.
    ScreenBlocked,
    /// Air drawn in at the pickup's joint.
    PickupAir,
    /// Pickup cracked through or fallen off.
    PickupBroken,
    /// Wide pump clearances.
    PumpWorn,
    /// The pump hardly turns.
    PumpDrive,
    /// The pump runs dry after work.
    PumpUnprimed,
    /// A controlled pump held at a wrong level.
    PumpControl,
    /// Relief plunger held off its seat.
    ReliefOpen,
    /// Relief spring weak or wrong.
    ReliefWeak,
    /// Relief plunger seized shut.
    ReliefShut,
    /// Relief spring heavy, shimmed, or its adjuster turned in.
    ReliefHeavy,
    /// Filter element choked.
    FilterBlocked,
    /// A filter with another element and bypass.
    FilterWrong,
    /// Cooler, its thermostat or its bypass choked.
    CoolerPath,
    /// An opening in the gallery.
    GalleryLeak,
    /// A drilling shut: what lies behind it starves.
    GalleryBlocked,
    /// Wide crank bearings.
    BearingsCrank,
    /// One crank bearing of all of them.
    BearingSingle,
    /// Wide cam bearings.
    BearingsCam,
    /// Worn rocker shaft or bushes.
    RockersWorn,
    /// The head's restrictor left out or drilled up.
    FeedOversize,
    /// A leak at hydraulic valve control.
    ValveControl,
    /// Piston jets that no longer shut.
    JetsOpen,
    /// Wide turbocharger bearings.
    TurboFeed,
    /// Oil lost to the outside.
    ExternalLeak,
}

/// Severity from which a choked filter's bypass stays shut.
const BYPASS_SHUT_FROM: f64 = 0.6;

fn log_between(low: f64, high: f64, severity: f64) -> f64 {
    low * (high / low).powf(severity)
}

fn between(low: f64, high: f64, severity: f64) -> f64 {
    low + (high - low) * severity
}

/// What a slipping part still moves, and nothing once it is worse than slight.
fn stands(slips: f64, severity: f64) -> f64 {
    const SLIPS_UNDER: f64 = 0.3;
    if severity < SLIPS_UNDER { slips } else { 0.0 }
}

/// Harms a circuit by several faults at once, each with its severity.
pub fn harm(circuit: &mut Circuit, faults: &[(Fault, f64)]) {
    let size = size(circuit);
    for (fault, severity) in faults {
        fault.act(circuit, *severity, size);
    }
}

/// The pump over one of 12 cm³ a turn, before anything is broken.
fn size(circuit: &Circuit) -> f64 {
    circuit.pump.per_turn_m3 / 12e-6
}

impl Fault {
    /// Harms a circuit.
    pub fn apply(self, circuit: &mut Circuit, severity: f64) {
        self.act(circuit, severity, size(circuit));
    }

    fn act(self, circuit: &mut Circuit, severity: f64, size: f64) {
        let s = severity.clamp(0.0, 1.0);
        match self {
            Self::None => {}
            Self::OilLow => {
                circuit.suction.air_share = between(0.05, 0.35, s);
                circuit.suction.air_share_per_krpm = between(0.03, 0.14, s);
            }
            Self::OilOver => {
                circuit.suction.air_share = between(0.05, 0.14, s);
                circuit.suction.air_share_per_krpm = between(0.03, 0.11, s);
            }
            Self::OilThin => circuit.oil = circuit.oil.scaled(between(0.82, 0.42, s)),
            // A grade or two up: half as thick again hot, and more than that cold, where a thick grade gains most.
            Self::OilThick => circuit.oil = circuit.oil.thicker(log_between(1.15, 2.0, s)),
            // OK because the share stays inside the relation's range.
            Self::OilDiluted => circuit.oil = circuit.oil.diluted(Fuel::Petrol, between(0.03, 0.18, s)).unwrap_or(circuit.oil),
            Self::OilDegraded => {
                circuit.oil = circuit.oil.scaled(log_between(1.1, 2.4, s));
                circuit.filter.r_per_m3 *= log_between(2.0, 20.0, s);
                circuit.suction.screen_m2 *= between(0.95, 0.45, s);
            }
            Self::ScreenBlocked => circuit.suction.screen_m2 *= 1.0 - between(0.80, 0.985, s),
            Self::PickupAir => circuit.suction.joint_m2 = size * log_between(0.4e-6, 12e-6, s),
            Self::PickupBroken => circuit.suction.joint_m2 = size * log_between(20e-6, 300e-6, s),
            Self::PumpWorn => circuit.pump.slip_m3 *= log_between(1.35, 2.6, s).powi(3),
            // Slips on its drive, or stands and delivers nothing at all.
            Self::PumpDrive => circuit.pump.per_turn_m3 *= stands(between(0.5, 0.05, 3.0 * s), s),
            // Moves a little of what it leaks, or nothing at all.
            Self::PumpUnprimed => circuit.pump.per_turn_m3 *= stands(between(0.25, 0.02, 3.0 * s), s),
            Self::PumpControl => control(circuit, s),
            Self::ReliefOpen => circuit.relief.held_open_k_m2 = CD * std::f64::consts::SQRT_2 * size * log_between(2e-6, 30e-6, s),
            Self::ReliefWeak => circuit.relief.cracks_pa *= between(0.72, 0.25, s),
            Self::ReliefShut => {
                circuit.relief.cracks_pa *= log_between(1.6, 6.0, s);
                circuit.relief.slope_m3_s_pa *= 0.3;
            }
            Self::ReliefHeavy => circuit.relief.cracks_pa *= log_between(1.15, 1.9, s),
            // Its bypass opens, and in the worse part of the range stays shut.
            Self::FilterBlocked if s < BYPASS_SHUT_FROM => circuit.filter.r_per_m3 *= log_between(4.0, 60.0, s / BYPASS_SHUT_FROM),
            Self::FilterBlocked => {
                circuit.filter.r_per_m3 *= log_between(6.0, 40.0, (s - BYPASS_SHUT_FROM) / (1.0 - BYPASS_SHUT_FROM));
                circuit.filter.bypass_pa = f64::INFINITY;
            }
            Self::FilterWrong => {
                circuit.filter.r_per_m3 *= log_between(1.6, 6.0, s);
                circuit.filter.bypass_pa *= between(1.2, 2.0, s);
            }
            Self::CoolerPath => circuit.filter.cooler_r_per_m3 *= log_between(5.0, 300.0, s),
            Self::GalleryLeak => opening(circuit, Place::Leak, size * log_between(2e-6, 30e-6, s)),
            Self::GalleryBlocked => {
                widen(circuit, Place::Crank, between(0.85, 0.35, s), 1.0);
                circuit.gallery_end_loss = between(circuit.gallery_end_loss.max(0.2), 0.9, s);
            }
            Self::BearingsCrank => widen(circuit, Place::Crank, log_between(1.25, 2.4, s).powi(3), 1.0),
            Self::BearingSingle => widen(circuit, Place::Crank, between(1.02, 1.25, s), 1.0),
            Self::BearingsCam => widen(circuit, Place::Cam, log_between(1.4, 3.2, s).powi(3), 1.0),
            Self::RockersWorn => widen(circuit, Place::Head, log_between(1.5, 3.5, s).powi(3), 1.0),
            Self::FeedOversize => widen(circuit, Place::Head, log_between(1.5, 3.2, s).powi(3), log_between(2.5, 25.0, s)),
            Self::ValveControl => opening(circuit, Place::ValveControl, size * log_between(1e-6, 14e-6, s)),
            // One ball of several, all of them, and at the worst jets that have come off.
            Self::JetsOpen => jets_stuck(circuit, CD * std::f64::consts::SQRT_2 * size * log_between(0.8e-6, 40e-6, s)),
            Self::TurboFeed => widen(circuit, Place::Turbo, log_between(1.4, 3.0, s).powi(3), log_between(1.0, 2.0, s)),
            Self::ExternalLeak => {
                opening(circuit, Place::Leak, size * log_between(0.3e-6, 5e-6, s));
                circuit.suction.air_share = between(0.03, 0.2, s);
                circuit.suction.air_share_per_krpm = between(0.006, 0.08, s);
            }
        }
    }

    /// Port pressure in kPa of a harmed copy.
    pub fn port_kpa(self, healthy: &Circuit, severity: f64, at: Working) -> f64 {
        let mut harmed = healthy.clone();
        self.apply(&mut harmed, severity);
        harmed.port_kpa(at)
    }
}

/// A sharp-edged opening of `area_m2` from the gallery.
fn opening(circuit: &mut Circuit, place: Place, area_m2: f64) {
    circuit.add(Branch { place, law: Law::Orifice { k_m2: CD * std::f64::consts::SQRT_2 * area_m2 } });
}

/// Multiplies the clearances' conductance and the restrictor's section of every branch at a place.
/// Widens what leaks at a place: its clearance's conductance, and the restrictor before it.
pub(crate) fn widen(circuit: &mut Circuit, place: Place, conductance: f64, restrictor: f64) {
    for branch in circuit.branches_at(place) {
        match &mut branch.law {
            Law::Laminar { g_m3 } => *g_m3 *= conductance,
            Law::Restricted { k_m2, g_m3 } => {
                *g_m3 *= conductance;
                *k_m2 *= restrictor;
            }
            Law::Jet { .. } | Law::Orifice { .. } => {}
        }
    }
}

/// The level never steps up and sinks (milder half), or the ring is stuck at full displacement and only the relief holds (worse half).
fn control(circuit: &mut Circuit, severity: f64) {
    let Some(control) = &mut circuit.pump.control else { return };
    if severity < 0.65 {
        let level = control.low_pa * between(1.0, 0.5, severity / 0.65);
        (control.low_pa, control.high_pa) = (level, level);
    } else {
        circuit.pump.control = None;
    }
}

/// So much section is always open, and taken off what the jets still open and shut by themselves; more than all of it where jets are off.
fn jets_stuck(circuit: &mut Circuit, stuck_k_m2: f64) {
    let mut jets = false;
    for branch in circuit.branches_at(Place::Jets) {
        if let Law::Jet { k_m2, .. } = &mut branch.law {
            jets = true;
            *k_m2 = (*k_m2 - stuck_k_m2).max(0.0);
        }
    }
    if jets {
        circuit.add(Branch { place: Place::Jets, law: Law::Orifice { k_m2: stuck_k_m2 } });
    }
}
