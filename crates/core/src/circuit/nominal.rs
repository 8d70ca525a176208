//! A healthy circuit from the card, with what nobody knows drawn at random.
//!
//! Steps, in this order because each needs the one before: the pump's size from the displacement; the relief's pressure from the card, else from what
//! engines mostly have; the hot-idle pressure of this healthy engine, where its sheet or its type has it hot (log-normal, median 150 kPa, sd of ln 0.4); then the leak total that gives exactly that
//! pressure with this pump, shared among the branches the layout has. So every draw is an engine that reproduces its own hot idle, and no branch is tuned by
//! hand. What is not known is sampled, not guessed, and wide enough: a sheet's limits are floors that a maker sets anywhere under what a good engine shows,
//! so they are no scale for it; how well a draw agrees with them is weighed where the draws are ([`crate::trace`]).

use super::network::film_rise_k;
use super::part::{Branch, CD, Control, Filter, Law, Place, Pump, Relief};
use super::{CamFeed, Card, Circuit, Cooler, Cooling, HeadFeed, PointOfSpec, Port, PumpKind, ReliefSenses, Rockers, Suction, Working};
use crate::oil::Oil;

/// Oil temperature of a hot engine where neither sheet nor type says otherwise, °C.
pub const HOT_C: f64 = 100.0;
/// Oil temperature of a hot engine that is filled with a single grade, cooled by air or turns slowly.
const MILD_C: f64 = 85.0;
/// Rated speed under which an engine turns slowly.
const SLOW_RPM: f64 = 1500.0;
/// A point of the sheet from this oil temperature on says how hot the engine runs.
const SHEET_HOT_FROM_C: f64 = 60.0;
/// The trade's rule of thumb: 10 psi per 1000 rpm, hot.
pub const RULE_OF_THUMB_KPA_PER_KRPM: f64 = 70.0;
/// How many numbers in 0..1 make one engine.
pub const DIMENSIONS: usize = 25;

const MEDIAN_HOT_IDLE_KPA: f64 = 150.0;
const SD_LN_HOT_IDLE: f64 = 0.4;
const MEDIAN_RELIEF_KPA: f64 = 420.0;
/// Share of the gallery's pressure that a restrictor takes at hot idle; the shaft of old engines is fed by a wide drilling or by a small hole.
const RESTRICTOR_SHARE: (f64, f64) = (0.3, 0.7);
const SHAFT_SHARE: (f64, f64) = (0.1, 0.8);
/// What all jets together pass at the relief's pressure, as a share of the pump's flow at rated speed, and what they open at, kPa.
const JETS_SHARE: (f64, f64) = (0.05, 0.25);
const JETS_OPEN_KPA: (f64, f64) = (110.0, 280.0);
/// Power of speed with which a starving pump's delivery falls.
const STARVES: (f64, f64) = (0.1, 2.5);
/// How many heads, and cam bearings, of an unknown supply are fed straight from the gallery, and how many reliefs of an unknown kind are lifted by the gallery's pressure.
const STRAIGHT_SHARE: f64 = 0.3;
const GALLERY_SHARE: f64 = 0.4;

/// Everything about one healthy engine that the card does not say.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Unknowns {
    /// Oil temperature at which this engine is hot, °C.
    pub hot_c: f64,
    /// Hot-idle pressure, kPa.
    pub hot_idle_kpa: f64,
    /// Pump's displacement over the typical one.
    pub pump_size: f64,
    /// Share of the pump's flow lost as slip at hot idle.
    pub slip_share: f64,
    /// Relief pressure over the stated or usual one.
    pub relief_pressure: f64,
    /// Rise of the relief's pressure from cracking to full flow at rated speed, share of cracking.
    pub relief_rise: f64,
    /// The gallery's pressure lifts the relief, where the card does not say.
    pub relief_senses_gallery: bool,
    /// Film heating, K per 1000 rpm.
    pub film_rise_k_per_krpm: f64,
    /// Weight of the crank bearings among the branches.
    pub crank_weight: f64,
    /// Weight of the cam bearings and the head.
    pub top_weight: f64,
    /// The head is fed straight, where the card does not say.
    pub head_straight: bool,
    /// The cam bearings are fed straight, where the card does not say.
    pub cam_straight: bool,
    /// Viscosity over the grade's typical one: another can, used.
    pub viscosity: f64,
    /// Filter resistance over the typical one.
    pub filter: f64,
    /// Pressure at which the filter's bypass opens, kPa.
    pub bypass_kpa: f64,
    /// Suction losses over the typical ones.
    pub suction: f64,
    /// Power of speed with which delivery falls once the pump starves.
    pub starves: f64,
    /// A controlled pump's lower level over its upper one.
    pub control_low: f64,
    /// Its upper level over the relief's pressure.
    pub control_high: f64,
    /// Speed of its step over the rated one.
    pub control_step: f64,
    /// Oil temperature at which a cooler's thermostat begins to open, °C.
    pub thermostat_c: f64,
    /// Share of the gallery's pressure lost on the way to its far end.
    pub gallery_end_loss: f64,
    /// Rated speed over the stated or usual one.
    pub rated: f64,
    /// What all jets together pass at the relief's pressure, as a share of the pump's flow at rated speed.
    pub jets_share: f64,
    /// What they open at where the card does not say, kPa.
    pub jets_open_kpa: f64,
    /// Share of the gallery's pressure that a restrictor takes at hot idle.
    pub restrictor_share: f64,
}

/// The oil temperature at which an engine is hot: its sheet's, else its type's. Slow engines, engines cooled by air and single grades are not at 100 °C.
pub fn hot_c(card: &Card, spec: &[PointOfSpec]) -> f64 {
    let hot = spec.iter().filter(|point| point.oil_temp_c >= SHEET_HOT_FROM_C);
    let lowest = hot.min_by(|a, b| a.rpm.total_cmp(&b.rpm)).map(|point| point.oil_temp_c);
    let single_grade = !card.oil_grade.contains(['W', 'w']) && !card.oil_grade.is_empty();
    let mild = single_grade || card.cooling == Some(Cooling::Air) || card.rated_rpm() < SLOW_RPM;
    lowest.unwrap_or(if mild { MILD_C } else { HOT_C })
}

impl Unknowns {
    /// The middle of every range: the typical healthy engine.
    pub fn typical() -> Self {
        Self::from_unit(&[0.5; DIMENSIONS], &Card::of(2.0, 4, 750.0, ""))
    }

    /// An engine from numbers in 0..1; what the card states narrows its spread.
    pub fn from_unit(u: &[f64; DIMENSIONS], card: &Card) -> Self {
        let [
            idle,
            pump,
            slip,
            relief,
            rise,
            film,
            crank,
            top,
            nu,
            filter,
            suction,
            low,
            high,
            step,
            thermostat,
            end,
            senses,
            bypass,
            head,
            rated,
            starves,
            jets_share,
            jets_open,
            restrictor,
            cam,
        ] = *u;
        let evenly_in_logs = |(low, high): (f64, f64), u: f64| low * f64::powf(high / low, u);
        let evenly = |(low, high): (f64, f64), u: f64| low + (high - low) * u;
        let log_normal = |u: f64, sd_ln: f64| (sd_ln * normal_quantile(u)).exp();
        Self {
            hot_c: hot_c(card, &[]),
            hot_idle_kpa: MEDIAN_HOT_IDLE_KPA * log_normal(idle, SD_LN_HOT_IDLE),
            pump_size: log_normal(pump, 0.25),
            slip_share: 0.05 + 0.3 * slip,
            relief_pressure: if card.relief_opens_kpa.is_some() { 0.92 + 0.16 * relief } else { log_normal(relief, 0.2) },
            relief_rise: 0.1 * 10f64.powf(rise),
            relief_senses_gallery: senses < GALLERY_SHARE,
            film_rise_k_per_krpm: 4.0 + 10.0 * film,
            crank_weight: log_normal(crank, 0.25),
            top_weight: log_normal(top, 0.35),
            head_straight: head < STRAIGHT_SHARE,
            cam_straight: cam < STRAIGHT_SHARE,
            viscosity: log_normal(nu, 0.1),
            filter: log_normal(filter, 0.35),
            bypass_kpa: 80.0 + 120.0 * bypass,
            suction: log_normal(suction, 0.3),
            starves: evenly_in_logs(STARVES, starves),
            control_low: 0.42 + 0.28 * low,
            control_high: 0.78 + 0.18 * high,
            control_step: 0.4 + 0.25 * step,
            thermostat_c: 76.0 + 16.0 * thermostat,
            gallery_end_loss: 0.03 + 0.06 * end,
            rated: if card.rated_rpm.is_some() { 1.0 } else { log_normal(rated, 0.12) },
            jets_share: evenly_in_logs(JETS_SHARE, jets_share),
            jets_open_kpa: evenly(JETS_OPEN_KPA, jets_open),
            restrictor_share: evenly(if card.layout.rockers == Rockers::Shaft { SHAFT_SHARE } else { RESTRICTOR_SHARE }, restrictor),
        }
    }
}

/// The standard normal's quantile with its argument held inside (0, 1).
pub fn normal_quantile(u: f64) -> f64 {
    use statrs::distribution::{ContinuousCDF, Normal};
    Normal::standard().inverse_cdf(u.clamp(1e-6, 1.0 - 1e-6))
}

/// A healthy engine of this card with these unknowns, filled with `oil`.
pub fn circuit(card: &Card, oil: Oil, unknown: &Unknowns) -> Circuit {
    let layout = &card.layout;
    let oil = oil.scaled(unknown.viscosity);
    let at = Working { rpm: card.idle_rpm, oil_temp_c: unknown.hot_c };
    let hot_mu = oil.mu_pa_s(at.oil_temp_c);
    let rho = oil.density_kg_m3(at.oil_temp_c);
    let rated_rpm = (card.rated_rpm() * unknown.rated).max(1.5 * card.idle_rpm);

    // 7 cm³ a turn for the first litre, less than in proportion above; a tenth to a quarter more where jets, turbo or valve control are fed.
    let extra = 1.0
        + 0.12 * f64::from(u8::from(layout.turbo))
        + 0.2 * f64::from(u8::from(layout.piston_jets))
        + 0.15 * f64::from(u8::from(layout.valve_control));
    let per_turn_m3 = 7.0e-6 * card.displacement_l.powf(0.85) * extra * unknown.pump_size;
    let cracks_pa = 1e3 * card.relief_opens_kpa.unwrap_or(MEDIAN_RELIEF_KPA) * unknown.relief_pressure;
    let full_m3_s = per_turn_m3 * rated_rpm / 60.0;

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
        starves: unknown.starves,
    };
    let idle_m3_s = per_turn_m3 * at.rpm / 60.0;
    let drawn = suction.draw(idle_m3_s, at.rpm, hot_mu, rho).liquid_m3_s;
    let head_straight = layout.head_feed.map_or(unknown.head_straight, |feed| feed == HeadFeed::Straight);
    // An engine that idles above its relief does not exist: the draw is held below it.
    let port_pa = 1e3 * unknown.hot_idle_kpa;
    let gallery_share = match layout.port {
        Port::Head if layout.rockers != Rockers::None && !head_straight => 1.0 - unknown.restrictor_share,
        Port::GalleryEnd => 1.0 - unknown.gallery_end_loss,
        _ => 1.0,
    };
    let control = (layout.pump == PumpKind::Controlled).then(|| {
        let high_pa = cracks_pa * unknown.control_high;
        Control { low_pa: high_pa * unknown.control_low, high_pa, step_rpm: unknown.control_step * rated_rpm }
    });
    let ceiling_pa = control.map_or(cracks_pa, |control| control.level_pa(at.rpm));
    let idle_pa = (port_pa / gallery_share).max(5e3).min(0.9 * ceiling_pa);
    // 15 kPa lost in the element at hot idle's flow, which grows to about a bar and a half cold, where the bypass opens.
    let filter = Filter {
        r_per_m3: 6_000.0 * unknown.filter / (hot_mu * idle_m3_s),
        bypass_pa: 1e3 * unknown.bypass_kpa,
        bypass_slope_m3_s_pa: full_m3_s / 60e3,
        cooler_r_per_m3: if layout.cooler == Cooler::None { 0.0 } else { 3_000.0 / (hot_mu * idle_m3_s) },
        cooler_opens_c: (layout.cooler == Cooler::Thermostat).then_some(unknown.thermostat_c),
    };
    let gallery_m3_s = drawn * (1.0 - unknown.slip_share);
    let (drop, _) = filter.at(at.oil_temp_c).drop(gallery_m3_s, hot_mu);
    let pump = Pump { per_turn_m3, slip_m3: drawn * unknown.slip_share * hot_mu / (idle_pa + drop), control };
    let relief = Relief {
        cracks_pa,
        slope_m3_s_pa: full_m3_s / (unknown.relief_rise * cracks_pa),
        held_open_k_m2: 0.0,
        senses_gallery: card.relief_senses.map_or(unknown.relief_senses_gallery, |senses| senses == ReliefSenses::Gallery),
    };

    let mut circuit = Circuit::new(oil, suction, pump, relief, filter, layout.port);
    circuit.film_rise_k_per_krpm = unknown.film_rise_k_per_krpm;
    circuit.gallery_end_loss = unknown.gallery_end_loss;
    let film_mu = oil.mu_pa_s(at.oil_temp_c + film_rise_k(unknown.film_rise_k_per_krpm, at.rpm, hot_mu));

    let mut shared_m3_s = gallery_m3_s;
    if layout.piston_jets {
        // Jets that are open at hot idle already leave the rest to the other branches, and never take more than half.
        let opens_pa = 1e3 * layout.jets_open_kpa.unwrap_or(unknown.jets_open_kpa);
        let whole_k_m2 = unknown.jets_share * full_m3_s * (rho / cracks_pa).sqrt();
        let (taken, _) = Law::Jet { k_m2: whole_k_m2, opens_pa }.flow(idle_pa, film_mu, rho);
        let kept = (0.5 * gallery_m3_s / taken.max(f64::MIN_POSITIVE)).min(1.0);
        circuit.add(Branch { place: Place::Jets, law: Law::Jet { k_m2: whole_k_m2 * kept, opens_pa } });
        shared_m3_s -= taken * kept;
    }
    let mut weights = vec![(Place::Crank, 0.55 * unknown.crank_weight, false)];
    let cam_straight = layout.cam_feed.map_or(unknown.cam_straight, |feed| feed == CamFeed::Straight);
    weights.push((Place::Cam, 0.14 * unknown.top_weight, !cam_straight));
    if layout.rockers != Rockers::None {
        weights.push((Place::Head, 0.16 * unknown.top_weight, !head_straight));
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
                k_m2: share_m3_s * (rho / (unknown.restrictor_share * idle_pa)).sqrt(),
                g_m3: share_m3_s * film_mu / ((1.0 - unknown.restrictor_share) * idle_pa),
            }
        } else {
            Law::Laminar { g_m3: share_m3_s * film_mu / idle_pa }
        };
        circuit.add(Branch { place, law });
    }
    circuit
}
