//! The parts oil passes after the pump, each with its flow law. SI units throughout: Pa, m³/s, Pa·s, m².
//!
//! Sources: plain journal bearing fed under pressure, Q ∝ c³·p/μ (Cameron, *Basic Lubrication Theory*, ch. 7; Hamrock, Schmid and
//! Jacobson, *Fundamentals of Fluid Film Lubrication*, ch. 11), with the factor (1 + 1.5 ε²) inside the conductance; sharp-edged
//! orifice Q = Cd·A·√(2p/ρ), Cd = 0.62 (ISO 5167-2 for large Reynolds number).

/// Discharge coefficient of a sharp-edged opening.
pub const CD: f64 = 0.62;

/// Where a branch takes its oil to; several faults act on a place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// Main and rod bearings.
    Crank,
    /// Cam bearings.
    Cam,
    /// Lifters or a rocker shaft, behind their restrictor.
    Head,
    /// The turbocharger's feed.
    Turbo,
    /// Piston-cooling jets.
    Jets,
    /// Hydraulic valve control.
    ValveControl,
    /// An opening that should not be there.
    Leak,
}

/// How flow depends on the pressure before the branch.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Law {
    /// Q = g·p/μ with g in m³.
    Laminar {
        /// Conductance, m³.
        g_m3: f64,
    },
    /// An orifice in series with a laminar leak: p = (Q/k)²·ρ + Qμ/g.
    Restricted {
        /// Orifice: Cd·A·√2, m².
        k_m2: f64,
        /// Conductance behind it, m³.
        g_m3: f64,
    },
    /// Shut below its opening pressure, an orifice well above it.
    Jet {
        /// Cd·A·√2, m².
        k_m2: f64,
        /// Opening pressure, Pa.
        opens_pa: f64,
    },
    /// An orifice at all pressures.
    Orifice {
        /// Cd·A·√2, m².
        k_m2: f64,
    },
}

/// One way from the gallery back to the sump.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Branch {
    /// Where it leads.
    pub place: Place,
    /// Its law.
    pub law: Law,
}

/// Pressure band over which a jet's ball lifts fully, as a share of its opening pressure.
const JET_BAND: f64 = 0.15;

impl Law {
    /// Flow in m³/s and its slope in m³/s/Pa at `pressure_pa` ≥ 0.
    pub fn flow(&self, pressure_pa: f64, mu_pa_s: f64, rho_kg_m3: f64) -> (f64, f64) {
        let p = pressure_pa.max(0.0);
        match *self {
            Self::Laminar { g_m3 } => {
                let slope = g_m3 / mu_pa_s;
                (slope * p, slope)
            }
            Self::Restricted { k_m2, g_m3 } => {
                // ρQ²/k² + Qμ/g − p = 0, the positive root written so that nothing cancels.
                let half_b = 0.5 * mu_pa_s / g_m3;
                let c = rho_kg_m3 / (k_m2 * k_m2);
                let root = (half_b * half_b + c * p).sqrt();
                (p / (half_b + root), 0.5 / root)
            }
            Self::Orifice { k_m2 } => orifice(k_m2, p, rho_kg_m3),
            Self::Jet { k_m2, opens_pa } => {
                if p <= opens_pa {
                    return (0.0, 0.0);
                }
                let band = JET_BAND * opens_pa;
                let lift = ((p - opens_pa) / band).min(1.0);
                let (full, slope) = orifice(k_m2, p, rho_kg_m3);
                let lift_slope = if lift < 1.0 { full / band } else { 0.0 };
                (lift * full, lift * slope + lift_slope)
            }
        }
    }
}

fn orifice(k_m2: f64, p: f64, rho_kg_m3: f64) -> (f64, f64) {
    let root = (p / rho_kg_m3).sqrt();
    let slope = if p > 0.0 { 0.5 * k_m2 * root / p } else { f64::INFINITY };
    (k_m2 * root, slope)
}

/// A pump as the crank sees it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pump {
    /// Swept volume per turn of the crank at full displacement, m³.
    pub per_turn_m3: f64,
    /// Slip: Q = c·Δp/μ, c in m³; grows with the cube of the clearances.
    pub slip_m3: f64,
    /// What sheds displacement; none on a fixed pump.
    pub control: Option<Control>,
}

/// Control of a variable pump: the gallery's pressure pushes its ring towards less displacement against a spring, and a solenoid
/// chooses between two levels by speed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Control {
    /// Gallery pressure at which displacement begins to fall below the step, Pa.
    pub low_pa: f64,
    /// The same above the step, Pa.
    pub high_pa: f64,
    /// Speed of the step, turns a minute.
    pub step_rpm: f64,
}

/// Share of the level over which the ring goes from full to least displacement.
const CONTROL_BAND: f64 = 0.12;
/// Least displacement a ring goes back to.
const LEAST_DISPLACEMENT: f64 = 0.2;

impl Control {
    /// The level held at a speed, Pa.
    pub fn level_pa(&self, rpm: f64) -> f64 {
        if rpm < self.step_rpm { self.low_pa } else { self.high_pa }
    }

    /// Share of full displacement at a gallery pressure, and its slope per Pa (never above zero).
    pub fn share(&self, gallery_pa: f64, rpm: f64) -> (f64, f64) {
        let level = self.level_pa(rpm);
        let band = CONTROL_BAND * level;
        let over = (gallery_pa - level) / band;
        if over <= 0.0 {
            (1.0, 0.0)
        } else if over >= 1.0 {
            (LEAST_DISPLACEMENT, 0.0)
        } else {
            (1.0 - (1.0 - LEAST_DISPLACEMENT) * over, -(1.0 - LEAST_DISPLACEMENT) / band)
        }
    }
}

/// The relief valve at the pump's outlet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Relief {
    /// Pressure at which it leaves its seat, Pa.
    pub cracks_pa: f64,
    /// Flow per Pa above that, m³/s/Pa.
    pub slope_m3_s_pa: f64,
    /// Opening that never closes, as Cd·A·√2 in m²; 0 when it seats.
    pub held_open_k_m2: f64,
    /// The gallery's pressure lifts it, not the pump's.
    pub senses_gallery: bool,
}

impl Relief {
    /// Flow at the pump's and the gallery's pressure, and its slope per Pa of the gallery when the pump's pressure rises by `pump_per_gallery`.
    pub fn flow(&self, pump_pa: f64, gallery_pa: f64, pump_per_gallery: f64, rho_kg_m3: f64) -> (f64, f64) {
        let (lifts_pa, rises) = if self.senses_gallery { (gallery_pa, 1.0) } else { (pump_pa, pump_per_gallery) };
        let over = lifts_pa - self.cracks_pa;
        let lifted = if over > 0.0 { (self.slope_m3_s_pa * over, self.slope_m3_s_pa * rises) } else { (0.0, 0.0) };
        if self.held_open_k_m2 > 0.0 {
            let held = orifice(self.held_open_k_m2, pump_pa.max(0.0), rho_kg_m3);
            return (lifted.0 + held.0, lifted.1 + held.1 * pump_per_gallery);
        }
        lifted
    }
}

/// Filter element with its bypass, and a cooler in series where there is one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Filter {
    /// Δp = r·μ·Q of the element, 1/m³.
    pub r_per_m3: f64,
    /// Δp at which the bypass opens, Pa.
    pub bypass_pa: f64,
    /// Bypass flow per Pa above that, m³/s/Pa.
    pub bypass_slope_m3_s_pa: f64,
    /// Δp = r·μ·Q of the cooler, which no bypass guards, 1/m³.
    pub cooler_r_per_m3: f64,
    /// Oil temperature at which a thermostat begins to send oil through the cooler, °C; none where it always goes.
    pub cooler_opens_c: Option<f64>,
}

/// Travel of a cooler's thermostat from shut to open, K.
const THERMOSTAT_TRAVEL_K: f64 = 8.0;

impl Filter {
    /// The filter as it stands at an oil temperature, its thermostat in place.
    pub fn at(&self, oil_temp_c: f64) -> Self {
        let open = self.cooler_opens_c.map_or(1.0, |opens| ((oil_temp_c - opens) / THERMOSTAT_TRAVEL_K).clamp(0.0, 1.0));
        Self { cooler_r_per_m3: self.cooler_r_per_m3 * open, ..*self }
    }

    /// Pressure lost at a flow, and its slope in Pa/(m³/s).
    pub fn drop(&self, flow_m3_s: f64, mu_pa_s: f64) -> (f64, f64) {
        let r = self.r_per_m3 * mu_pa_s;
        let cooler = self.cooler_r_per_m3 * mu_pa_s;
        let element = r * flow_m3_s;
        let (drop, slope) = if element <= self.bypass_pa {
            (element, r)
        } else {
            let slope = 1.0 / (1.0 / r + self.bypass_slope_m3_s_pa);
            ((flow_m3_s + self.bypass_slope_m3_s_pa * self.bypass_pa) * slope, slope)
        };
        (drop + cooler * flow_m3_s, slope + cooler)
    }
}
