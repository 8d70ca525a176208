//! The engine of a stand-in and the samples that its gauge makes of it.
use super::{Oddity, Plan};
use crate::said::{Channel, Kind, Sample};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::VecDeque;
use velvet_dial_core::running::{Hand, Running};

/// Samples are held for so long, s, for a link that breaks.
const HOLDS_S: f64 = 120.0;
/// What the gauge adds of its own, kPa; turns a minute; °C.
const NOISE_KPA: f64 = 0.8;
const NOISE_RPM: f64 = 6.0;
const NOISE_K: f64 = 0.1;
/// Pumps and gear trains move the needle by this share of the pressure, once in so many turns.
const RIPPLE: f64 = 0.012;
/// A dash signal follows within this, s, and its module stores a code when it stayed under this at a running engine for so long, s.
const DASH_S: f64 = 0.4;
const DASH_LOW_KPA: f64 = 80.0;
const DASH_LOW_S: f64 = 4.0;

/// An engine with a gauge on it.
pub struct Bench {
    engine: Running,
    pub hand: Hand,
    pub channels: Vec<Channel>,
    rate_hz: f64,
    odd: Vec<Oddity>,
    module: bool,
    samples: VecDeque<Sample>,
    next: u64,
    random: ChaCha8Rng,
    shown_kpa: f64,
    peak_kpa: f64,
    swing_kpa: f64,
    turned: f64,
    dash_kpa: f64,
    low_s: f64,
    pub code: Option<&'static str>,
}

impl Bench {
    pub fn new(engine: Running, plan: &Plan) -> Self {
        let kind = |kind| Channel { kind, rate_hz: plan.rate_hz };
        let mut channels = vec![
            kind(Kind::Pressure { kpa: 1.0 }),
            kind(Kind::Speed { per_turn: None }),
            kind(Kind::Oil { fahrenheit: false }),
            kind(Kind::Supply),
        ];
        if plan.module {
            channels.push(kind(Kind::Dash { kpa: 1.0 }));
        }
        Self {
            engine,
            hand: Hand::default(),
            channels,
            rate_hz: plan.rate_hz,
            odd: plan.odd.clone(),
            module: plan.module,
            samples: VecDeque::new(),
            next: 0,
            random: ChaCha8Rng::seed_from_u64(plan.seed ^ 0x5eed),
            shown_kpa: 0.0,
            peak_kpa: 0.0,
            swing_kpa: 0.0,
            turned: 0.0,
            dash_kpa: 0.0,
            low_s: 0.0,
            code: None,
        }
    }

    /// Makes the samples up to this time, s.
    pub fn go_on_to(&mut self, time_s: f64) {
        while (self.next as f64) / self.rate_hz <= time_s {
            self.sample();
        }
    }

    fn is(&self, oddity: Oddity) -> bool {
        self.odd.contains(&oddity)
    }

    fn sample(&mut self) {
        let step = 1.0 / self.rate_hz;
        let time = self.next as f64 * step;
        // A starter turns until the engine runs by itself.
        self.hand.cranking = self.hand.on && self.engine.rpm < 200.0;
        self.engine.go_on(step, self.hand);
        self.turned = (self.turned + self.engine.rpm / 60.0 * step).fract();
        let before = self.shown_kpa;
        self.shown_kpa = self.engine.kpa * (1.0 + RIPPLE * (std::f64::consts::TAU * self.turned).sin());
        let mut kpa = self.shown_kpa;
        if self.is(Oddity::Bounce) {
            // Trapped air rings at some hertz and dies away.
            self.swing_kpa = self.swing_kpa * (1.0 - step / 0.7).max(0.0) + 0.6 * (self.shown_kpa - before).abs();
            kpa += self.swing_kpa * (std::f64::consts::TAU * 7.0 * time).sin();
        }
        if self.is(Oddity::Drift) {
            kpa += time / 60.0;
        }
        if self.is(Oddity::WrongZero) {
            kpa += 14.0;
        }
        kpa += NOISE_KPA * self.random.random_range(-1.0..1.0);
        self.peak_kpa = self.peak_kpa.max(kpa);
        if self.is(Oddity::StuckPeak) {
            kpa = self.peak_kpa;
        }
        let rpm = if self.engine.rpm > 0.0 { (self.engine.rpm + NOISE_RPM * self.random.random_range(-1.0..1.0)).max(0.0) } else { 0.0 };
        let oil = self.engine.oil_temp_c + NOISE_K * self.random.random_range(-1.0..1.0);
        let supply = if self.engine.rpm > 300.0 { 14.1 } else { 12.4 } + 0.03 * self.random.random_range(-1.0..1.0);
        let mut values = vec![rounded(kpa, 100.0), rounded(rpm, 10.0), rounded(oil, 100.0), rounded(supply, 100.0)];
        if self.module {
            self.dash_kpa += (self.engine.kpa - self.dash_kpa) * (step / DASH_S).min(1.0);
            let jumps = self.is(Oddity::JumpingDash) && (time * 1.7).sin() * (time * 4.3).sin() > 0.55;
            let told = if jumps { 0.0 } else { self.dash_kpa };
            self.low_s = if told < DASH_LOW_KPA && self.engine.rpm > 500.0 { self.low_s + step } else { 0.0 };
            if self.low_s > DASH_LOW_S {
                self.code = Some("oil pressure too low for the speed, stored");
            }
            values.push(rounded(told, 1.0));
        }
        self.samples.push_back(Sample { seq: self.next, us: (time * 1e6).round() as u64, values });
        if self.samples.len() as f64 > HOLDS_S * self.rate_hz {
            self.samples.pop_front();
        }
        self.next += 1;
    }

    /// The first number that is still held.
    pub fn first(&self) -> u64 {
        self.samples.front().map_or(self.next, |sample| sample.seq)
    }

    /// Some samples from a number on.
    pub fn from(&self, seq: u64, most: usize) -> Vec<Sample> {
        let skip = seq.saturating_sub(self.first()) as usize;
        self.samples.iter().skip(skip).take(most).cloned().collect()
    }
}

fn rounded(value: f64, parts: f64) -> f64 {
    (value * parts).round() / parts
}
