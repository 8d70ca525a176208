//! The way from the sump to the pump's inlet, and what keeps the pump from filling.
//!
//! Relations: depression at the inlet = ρ g h + a·μ·Q + ½ρ(Q/A)² of the line + the screen's loss; free air of share φ₀ at one
//! atmosphere swells with p_atm/p_in (Boyle) and takes swept volume; an opening at the joint draws air by the depression across it.
//! Below a floor of about 35 kPa absolute the oil gives off its gas and the pump draws no more than what keeps that floor.

use super::part::CD;
use super::root;

/// The air's pressure, Pa.
pub const ATMOSPHERE_PA: f64 = 101_325.0;
const GRAVITY_M_S2: f64 = 9.806_65;
const AIR_KG_M3: f64 = 1.2;
/// Absolute pressure below which a pump no longer fills; 30 to 40 kPa is usual for gear and rotor pumps on engine oil.
const FLOOR_PA: f64 = 35_000.0;

/// Pickup, screen and joint. SI units.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Suction {
    /// Height of the pump over the oil, m.
    pub lift_m: f64,
    /// Laminar loss of the line: Δp = a·μ·Q, 1/m³.
    pub line_per_m3: f64,
    /// Section of the line, m², for its velocity losses.
    pub line_m2: f64,
    /// Open section of the screen, m².
    pub screen_m2: f64,
    /// Screen loss in laminar flow: Δp = b·μ·Q/A, 1/m.
    pub screen_per_m: f64,
    /// Free air in the oil at one atmosphere at rest, share of volume.
    pub air_share: f64,
    /// Rise of that share per 1000 rpm (a low sump: oil is held up in the engine).
    pub air_share_per_krpm: f64,
    /// Opening to air at the joint, m².
    pub joint_m2: f64,
    /// Power of speed with which delivery falls once the pump starves: gas released at the floor grows with what is asked. 0 keeps what the floor lets through.
    pub starves: f64,
}

/// What the pump gets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Inflow {
    /// Liquid oil, m³/s.
    pub liquid_m3_s: f64,
    /// Absolute pressure at the inlet, Pa.
    pub inlet_abs_pa: f64,
    /// Share of the swept volume taken by air or gas.
    pub air_share: f64,
    /// The floor is reached.
    pub starving: bool,
}

impl Suction {
    /// Liquid drawn by `swept_m3_s` of pump at this oil and speed; always between 0 and what is swept.
    pub fn draw(&self, swept_m3_s: f64, rpm: f64, mu_pa_s: f64, rho_kg_m3: f64) -> Inflow {
        if swept_m3_s <= 0.0 {
            return Inflow { liquid_m3_s: 0.0, inlet_abs_pa: ATMOSPHERE_PA, air_share: 0.0, starving: false };
        }
        let head = rho_kg_m3 * GRAVITY_M_S2 * self.lift_m;
        let linear = self.line_per_m3 * mu_pa_s + self.screen_per_m * mu_pa_s / self.screen_m2;
        let square = 0.5 * rho_kg_m3 * (1.0 / self.line_m2.powi(2) + 1.0 / (CD * self.screen_m2).powi(2));
        let air = (self.air_share + self.air_share_per_krpm * rpm / 1000.0).clamp(0.0, 0.9);
        let joint = CD * self.joint_m2 * (2.0 / AIR_KG_M3).sqrt();
        let inlet = |q: f64| ATMOSPHERE_PA - head - (linear + square * q) * q;

        // The liquid flow at which the floor is reached: the positive root of square·q² + linear·q = room.
        let room = (ATMOSPHERE_PA - head - FLOOR_PA).max(0.0);
        let most = 2.0 * room / (linear + (linear * linear + 4.0 * square * room).sqrt());
        let carried = air / (1.0 - air);
        let space_left = |q: f64| {
            let p_in = inlet(q).max(FLOOR_PA);
            let swell = ATMOSPHERE_PA / p_in;
            let per_q = linear + 2.0 * square * q;
            let swell_per_q = swell / p_in * per_q;
            let mut value = swept_m3_s - q * (1.0 + carried * swell);
            let mut slope = -(1.0 + carried * (swell + q * swell_per_q));
            if joint > 0.0 {
                let speed = (ATMOSPHERE_PA - p_in).max(0.0).sqrt();
                value -= joint * speed * swell;
                slope -= joint * (0.5 * per_q / speed.max(1e-9) * swell + speed * swell_per_q);
            }
            (value, slope)
        };
        // Past the floor gas comes out of the oil the more, the more is asked: that caps what is drawn, whatever else is in the way.
        let cap = if most < swept_m3_s { most * (most / swept_m3_s).powf(self.starves) } else { swept_m3_s };
        let starving = most < swept_m3_s && space_left(cap).0 > 0.0;
        let liquid = if starving {
            cap
        } else if space_left(0.0).0 <= 0.0 {
            0.0
        } else {
            root::falling(space_left, 0.0, cap, swept_m3_s * (1.0 - air), 1e-12 * swept_m3_s)
        };
        Inflow { liquid_m3_s: liquid, inlet_abs_pa: inlet(liquid).max(FLOOR_PA), air_share: 1.0 - liquid / swept_m3_s, starving }
    }
}
