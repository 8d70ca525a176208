//! A healthy circuit from the card, with what nobody knows drawn at random.
//!
//! Steps, in this order because each needs the one before: the pump's size from the displacement; the relief's pressure from the card or
//! the sheet; the hot-idle pressure of this healthy engine (log-normal over the sheet's minimum, median 1.8, sd of ln 0.3); then the
//! leak total that gives exactly that pressure with this pump, shared among the branches the layout has. So every draw is an engine
//! that reproduces its own hot idle, and no branch is tuned by hand. What is not known is sampled, not guessed.

use super::part::{Branch, CD, Control, Filter, Law, Place, Pump, Relief};
use super::{CamFeed, Card, Circuit, Cooler, PointOfSpec, Port, PumpKind, Rockers, Suction, Working};
use crate::oil::Oil;

/// Hot oil of the calibration point when the sheet names none, °C.
pub const HOT_C: f64 = 100.0;
/// The trade's rule of thumb: 10 psi per 1000 rpm, hot.
pub const RULE_OF_THUMB_KPA_PER_KRPM: f64 = 70.0;
/// How many numbers in 0..1 make one engine.
pub const DIMENSIONS: usize = 16;

const MEDIAN_OVER_MINIMUM: f64 = 1.8;
const SD_LN_HOT_IDLE: f64 = 0.3;
/// Share of the gallery's pressure that a restrictor takes at hot idle.
const RESTRICTOR_SHARE: f64 = 0.5;

/// Everything about one healthy engine that the card does not say.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unknowns {
    /// Hot-idle pressure over the sheet's minimum.
    pub hot_idle_over_minimum: f64,
    /// Pump's displacement over the typical one.
    pub pump_size: f64,
    /// Share of the pump's flow lost as slip at hot idle.
    pub slip_share: f64,
    /// Relief pressure over the stated or derived one.
    pub relief_pressure: f64,
    /// Rise of the relief's pressure from cracking to full flow at 6000 rpm, share.
    pub relief_override: f64,
    /// Film heating, K per 1000 rpm.
    pub film_rise_k_per_krpm: f64,
    /// Weight of the crank bearings among the branches.
    pub crank_weight: f64,
    /// Weight of the cam bearings and the head.
    pub top_weight: f64,
    /// Viscosity over the grade's typical one.
    pub viscosity: f64,
    /// Filter resistance over the typical one.
    pub filter: f64,
    /// Suction losses over the typical ones.
    pub suction: f64,
    /// A controlled pump's lower level over its upper one.
    pub control_low: f64,
    /// Its upper level over the relief's pressure.
    pub control_high: f64,
    /// Speed of its step, turns a minute.
    pub control_step_rpm: f64,
    /// Oil temperature at which a cooler's thermostat begins to open, °C.
    pub thermostat_c: f64,
    /// Share of the gallery's pressure lost on the way to its far end.
    pub gallery_end_loss: f64,
}

impl Unknowns {
    /// The middle of every range: the typical healthy engine.
    pub fn typical() -> Self {
        Self::from_unit(&[0.5; DIMENSIONS], false)
    }

    /// An engine from numbers in 0..1; `relief_known` narrows the relief's spread to what a stated value leaves.
    pub fn from_unit(u: &[f64; DIMENSIONS], relief_known: bool) -> Self {
        let [idle, pump, slip, relief, over, film, crank, top, nu, filter, suction, low, high, step, thermostat, end] = *u;
        let log_normal = |u: f64, sd_ln: f64| (sd_ln * normal_quantile(u)).exp();
        Self {
            hot_idle_over_minimum: MEDIAN_OVER_MINIMUM * log_normal(idle, SD_LN_HOT_IDLE),
            pump_size: log_normal(pump, 0.15),
            slip_share: 0.06 + 0.16 * slip,
            relief_pressure: log_normal(relief, if relief_known { 0.05 } else { 0.13 }),
            relief_override: 0.12 + 0.25 * over,
            film_rise_k_per_krpm: 6.0 + 6.0 * film,
            crank_weight: log_normal(crank, 0.25),
            top_weight: log_normal(top, 0.35),
            viscosity: log_normal(nu, 0.06),
            filter: log_normal(filter, 0.35),
            suction: log_normal(suction, 0.3),
            control_low: 0.42 + 0.28 * low,
            control_high: 0.78 + 0.18 * high,
            control_step_rpm: 2400.0 + 1600.0 * step,
            thermostat_c: 76.0 + 16.0 * thermostat,
            gallery_end_loss: 0.03 + 0.06 * end,
        }
    }
}

/// The standard normal's quantile with its argument held inside (0, 1).
pub fn normal_quantile(u: f64) -> f64 {
    use statrs::distribution::{ContinuousCDF, Normal};
    Normal::standard().inverse_cdf(u.clamp(1e-6, 1.0 - 1e-6))
}

/// The point the leaks are calibrated at, and the sheet's least pressure there.
fn calibration(card: &Card, spec: &[PointOfSpec]) -> (Working, f64) {
    spec.iter()
        .filter_map(|point| point.min_kpa.map(|min| (point, min)))
        .filter(|(point, _)| point.rpm <= 1.6 * card.idle_rpm && point.oil_temp_c >= 60.0)
        .min_by(|(a, _), (b, _)| a.rpm.total_cmp(&b.rpm))
        .map_or_else(
            || (Working { rpm: card.idle_rpm, oil_temp_c: HOT_C }, RULE_OF_THUMB_KPA_PER_KRPM * card.idle_rpm / 1000.0),
            |(point, min)| (Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c }, min),
        )
}

/// Where the relief opens, kPa: as stated; else between the sheet's limits at its highest speed; else 4.5 bar.
fn relief_kpa(card: &Card, spec: &[PointOfSpec]) -> f64 {
    if let Some(stated) = card.relief_opens_kpa {
        return stated;
    }
    let fastest = spec.iter().filter(|p| p.rpm > 1.6 * card.idle_rpm).max_by(|a, b| a.rpm.total_cmp(&b.rpm));
    match fastest.map(|p| (p.min_kpa, p.max_kpa)) {
        Some((Some(min), Some(max))) => 0.5 * (min + max),
        Some((Some(min), None)) => 1.35 * min,
        Some((None, Some(max))) => 0.8 * max,
        _ => 450.0,
    }
}

/// A healthy engine of this card with these unknowns, filled with `oil`.
pub fn circuit(card: &Card, spec: &[PointOfSpec], oil: Oil, unknown: &Unknowns) -> Circuit {
    let layout = &card.layout;
    let oil = oil.scaled(unknown.viscosity);
    let (at, least_kpa) = calibration(card, spec);
    let hot_mu = oil.mu_pa_s(at.oil_temp_c);
    let rho = oil.density_kg_m3(at.oil_temp_c);

    // 7 cm³ a turn for the first litre, less than in proportion above; a tenth to a quarter more where jets, turbo or valve control are fed.
    let extra = 1.0
        + 0.12 * f64::from(u8::from(layout.turbo))
        + 0.2 * f64::from(u8::from(layout.piston_jets))
        + 0.15 * f64::from(u8::from(layout.valve_control));
    let per_turn_m3 = 7.0e-6 * card.displacement_l.powf(0.85) * extra * unknown.pump_size;
    let cracks_pa = 1e3 * relief_kpa(card, spec) * unknown.relief_pressure;
    let full_m3_s = per_turn_m3 * 100.0;

    // Typical depression of 8 kPa at full flow, half of it in the line and half in the screen; hot oil.
    let line_m2 = full_m3_s * (0.5 * rho / 4_000.0).sqrt() / unknown.suction.sqrt();
    let suction = Suction {
        lift_m: 0.12,
        line_per_m3: 1_500.0 * unknown.suction / (hot_mu * full_m3_s),
        line_m2,
        screen_m2: line_m2 / CD,
        screen_per_m: 1_000.0 * unknown.suction / (hot_mu * full_m3_s) * line_m2,
        air_share: 0.03,
        air_share_per_krpm: 0.006,
        joint_m2: 0.0,
        collapse: 0.25,
    };
    let idle_m3_s = per_turn_m3 * at.rpm / 60.0;
    let drawn = suction.draw(idle_m3_s, at.rpm, hot_mu, rho).liquid_m3_s;
    // An engine whose sheet asks for more at idle than its relief allows does not exist: the draw is held below it.
    let port_pa = 1e3 * least_kpa * unknown.hot_idle_over_minimum;
    let gallery_share = match layout.port {
        Port::Head if layout.rockers != Rockers::None => 1.0 - RESTRICTOR_SHARE,
        Port::GalleryEnd => 1.0 - unknown.gallery_end_loss,
        _ => 1.0,
    };
    let control = (layout.pump == PumpKind::Controlled).then(|| {
        let high_pa = cracks_pa * unknown.control_high;
        Control { low_pa: high_pa * unknown.control_low, high_pa, step_rpm: unknown.control_step_rpm }
    });
    let ceiling_pa = control.map_or(cracks_pa, |control| control.level_pa(at.rpm));
    let idle_pa = (port_pa / gallery_share).clamp(5e3, 0.9 * ceiling_pa);
    // 15 kPa lost in the element at hot idle's flow, which grows to about a bar and a half cold, where the bypass opens.
    let filter = Filter {
        r_per_m3: 6_000.0 * unknown.filter / (hot_mu * idle_m3_s),
        bypass_pa: 120e3,
        bypass_slope_m3_s_pa: full_m3_s / 60e3,
        cooler_r_per_m3: if layout.cooler == Cooler::None { 0.0 } else { 3_000.0 / (hot_mu * idle_m3_s) },
        cooler_opens_c: (layout.cooler == Cooler::Thermostat).then_some(unknown.thermostat_c),
    };
    let gallery_m3_s = drawn * (1.0 - unknown.slip_share);
    let (drop, _) = filter.at(at.oil_temp_c).drop(gallery_m3_s, hot_mu);
    let pump = Pump { per_turn_m3, slip_m3: drawn * unknown.slip_share * hot_mu / (idle_pa + drop), control };
    let relief = Relief { cracks_pa, slope_m3_s_pa: full_m3_s / (unknown.relief_override * cracks_pa), held_open_k_m2: 0.0 };

    let mut circuit = Circuit::new(oil, suction, pump, relief, filter, layout.port);
    circuit.film_rise_k_per_krpm = unknown.film_rise_k_per_krpm;
    circuit.gallery_end_loss = unknown.gallery_end_loss;
    let film_mu = oil.mu_pa_s(at.oil_temp_c + unknown.film_rise_k_per_krpm * at.rpm / 1000.0);

    let mut shared_m3_s = gallery_m3_s;
    if layout.piston_jets {
        // All jets together pass a fifth of full flow at the relief's pressure. Where the card does not say when they open, it is above this
        // engine's hot idle; jets that are open there already leave the rest to the other branches, and never take more than half.
        let opens_pa = layout.jets_open_kpa.map_or((1.15 * idle_pa).max(180e3), |kpa| 1e3 * kpa);
        let whole_k_m2 = 0.2 * full_m3_s * (rho / cracks_pa).sqrt();
        let (taken, _) = Law::Jet { k_m2: whole_k_m2, opens_pa }.flow(idle_pa, film_mu, rho);
        let kept = (0.5 * gallery_m3_s / taken.max(f64::MIN_POSITIVE)).min(1.0);
        circuit.add(Branch { place: Place::Jets, law: Law::Jet { k_m2: whole_k_m2 * kept, opens_pa } });
        shared_m3_s -= taken * kept;
    }
    let mut weights = vec![(Place::Crank, 0.55 * unknown.crank_weight, false)];
    weights.push((Place::Cam, 0.14 * unknown.top_weight, layout.cam_feed == CamFeed::Restricted));
    if layout.rockers != Rockers::None {
        weights.push((Place::Head, 0.16 * unknown.top_weight, true));
    }
    if layout.turbo {
        weights.push((Place::Turbo, 0.07, true));
    }
    if layout.valve_control {
        weights.push((Place::ValveControl, 0.08, true));
    }
    let total: f64 = weights.iter().map(|(_, weight, _)| weight).sum();
    for (place, weight, restricted) in weights {
        let share_m3_s = shared_m3_s * weight / total;
        let law = if restricted {
            Law::Restricted {
                k_m2: share_m3_s * (rho / (RESTRICTOR_SHARE * idle_pa)).sqrt(),
                g_m3: share_m3_s * film_mu / ((1.0 - RESTRICTOR_SHARE) * idle_pa),
            }
        } else {
            Law::Laminar { g_m3: share_m3_s * film_mu / idle_pa }
        };
        circuit.add(Branch { place, law });
    }
    circuit
}
