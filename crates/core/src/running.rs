//! An engine that runs in time: speed follows the throttle, oil warms, the gallery fills after a start, the gauge follows.
//!
//! The pressures are the circuit's own ([`crate::circuit`]), steady from step to step: oil moves in hundredths of a second what a hand on a throttle moves in tenths. What is
//! slow is here: the turning masses and the oil's temperature as first-order lags, the empty volume after a rest over the flow that fills it, and the gauge behind its bore.
use crate::circuit::{Circuit, Dry, Working, lagged_kpa};

/// What a hand does.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Hand {
    /// Fuel and spark are on: once it turns, it runs.
    pub on: bool,
    /// The starter turns it.
    pub cranking: bool,
    /// From 0, idle, to 1, rated speed.
    pub throttle: f64,
}

/// An engine in time.
#[derive(Debug, Clone)]
pub struct Running {
    circuit: Circuit,
    idle_rpm: f64,
    rated_rpm: f64,
    /// The bay it stands in, °C.
    pub air_c: f64,
    /// How much faster than an engine the oil warms.
    pub warms: f64,
    /// Speed, turns a minute.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// What the gauge shows, kPa.
    pub kpa: f64,
    /// Still empty after the pump, m³, and when it stands again.
    empty_m3: f64,
    rested_m3: f64,
}

/// A starter turns an engine at this, turns a minute.
const CRANKED_RPM: f64 = 220.0;
/// Above this it runs by itself when fuel is on.
const CATCHES_RPM: f64 = 180.0;
/// Speed follows the throttle within this, s; a stopped engine runs down likewise.
const SPEED_S: f64 = 0.45;
/// Cold oil makes it idle faster by this, turns a minute, up to this temperature, °C.
const FAST_IDLE_RPM: f64 = 160.0;
const FAST_IDLE_C: f64 = 45.0;
/// The oil comes to this at idle, and to more at speed, °C, within minutes.
const WARM_C: f64 = 92.0;
const WARMER_K: f64 = 14.0;
const WARMS_S: f64 = 280.0;
const COOLS_S: f64 = 3000.0;
/// The gauge follows within this, s; when the engine stands the line empties within that.
const GAUGE_S: f64 = 0.12;
const EMPTIES_S: f64 = 0.9;

impl Running {
    /// An engine that has stood over night in a bay of so many °C.
    pub fn rested(circuit: Circuit, displacement_l: f64, idle_rpm: f64, rated_rpm: f64, air_c: f64) -> Self {
        let rested_m3 = Dry::rested(displacement_l).after_pump_m3;
        Self { circuit, idle_rpm, rated_rpm, air_c, warms: 1.0, rpm: 0.0, oil_temp_c: air_c, kpa: 0.0, empty_m3: rested_m3, rested_m3 }
    }

    /// The speed that a throttle asks for, turns a minute.
    pub fn asked_rpm(&self, throttle: f64) -> f64 {
        let cold = ((FAST_IDLE_C - self.oil_temp_c) / FAST_IDLE_C).clamp(0.0, 1.0) * FAST_IDLE_RPM;
        (self.idle_rpm + cold).max(self.idle_rpm + throttle.clamp(0.0, 1.0) * (self.rated_rpm - self.idle_rpm))
    }

    /// Goes on by so many seconds; long ones in steps.
    pub fn go_on(&mut self, seconds: f64, hand: Hand) {
        const LONGEST_S: f64 = 0.05;
        let steps = (seconds / LONGEST_S).ceil().max(1.0);
        for _ in 0..steps as u32 {
            self.step(seconds / steps, hand);
        }
    }

    fn step(&mut self, seconds: f64, hand: Hand) {
        let runs = hand.on && self.rpm > CATCHES_RPM;
        let asked = if runs {
            self.asked_rpm(hand.throttle)
        } else if hand.cranking {
            CRANKED_RPM
        } else {
            0.0
        };
        self.rpm = lagged_kpa(self.rpm, asked, SPEED_S, seconds);
        if !runs && !hand.cranking && self.rpm < 20.0 {
            self.rpm = 0.0;
        }
        let (towards, within) = if self.rpm > CATCHES_RPM {
            (WARM_C + WARMER_K * (self.rpm / self.rated_rpm).min(1.0), WARMS_S)
        } else {
            (self.air_c, COOLS_S)
        };
        self.oil_temp_c = lagged_kpa(self.oil_temp_c, towards, within, seconds * self.warms);
        if self.rpm <= 0.0 {
            // Oil runs back from the gallery while it stands.
            self.empty_m3 = (self.empty_m3 + self.rested_m3 * seconds / 600.0).min(self.rested_m3);
            self.kpa = lagged_kpa(self.kpa, 0.0, EMPTIES_S, seconds);
            return;
        }
        let at = Working { rpm: self.rpm, oil_temp_c: self.oil_temp_c };
        if self.empty_m3 > 0.0 {
            let swept = self.circuit.pump.per_turn_m3 * self.rpm / 60.0;
            let oil = self.circuit.oil;
            let drawn = self.circuit.suction.draw(swept, self.rpm, oil.mu_pa_s(self.oil_temp_c), oil.density_kg_m3(self.oil_temp_c));
            self.empty_m3 = (self.empty_m3 - drawn.liquid_m3_s * seconds).max(0.0);
        }
        let shows = if self.empty_m3 > 0.0 { 0.0 } else { self.circuit.port_kpa(at) };
        self.kpa = lagged_kpa(self.kpa, shows, GAUGE_S, seconds);
    }
}
