//! An engine built otherwise than the one the tracer assumes, so that blind cases are not drawn from its own model.
//!
//! What differs in structure: viscosity by Vogel's law (ln μ = A + B/(T + 95)) with thinning by shear in the films, instead of Walther's line;
//! a gallery of segments with a main and a rod bearing at each, instead of one lumped conductance; slip partly through an orifice; a relief
//! slot, a poppet or a soft spring, in the pump or behind the filter; a filter with a square
//! term; a pump that fills by what its speed asks of the inlet instead of a hard floor; air as a polytrope. The constants differ as well:
//! [`super::build`]. Solved by plain bisection from the far end of the gallery: slow, and nothing in common with the tracer's solver.

use crate::build::between;
use crate::engine::{ATMOSPHERE_PA, Engine, Read, bisect};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::circuit::Fault;

const ORIFICE: f64 = 0.7;

/// Viscosity by Vogel's law, T in °C and the constant 95 °C (Vogel 1921; the usual one for mineral oil).
#[derive(Debug, Clone, Copy)]
pub(crate) struct Vogel {
    a: f64,
    b: f64,
    pub rho: f64,
    /// Share of viscosity the films lose to shear at the rated speed.
    pub shear: f64,
}

impl Vogel {
    /// From dynamic viscosities in Pa·s at 40 and 100 °C.
    pub fn new(mu_40: f64, mu_100: f64, rho: f64, shear: f64) -> Self {
        let b = (mu_40 / mu_100).ln() / (1.0 / 135.0 - 1.0 / 195.0);
        Self { a: mu_100.ln() - b / 195.0, b, rho, shear }
    }

    pub fn mu(&self, temp_c: f64) -> f64 {
        (self.a + self.b / (temp_c + 95.0)).exp()
    }

    /// Mixed with a thin liquid by Grunberg and Nissan (1949): logarithms in proportion.
    pub fn thinned(&self, share: f64, fuel_40: f64, fuel_100: f64) -> Self {
        let mix = |oil: f64, fuel: f64| ((1.0 - share) * oil.ln() + share * fuel.ln()).exp();
        Self::new(mix(self.mu(40.0), fuel_40), mix(self.mu(100.0), fuel_100), self.rho, self.shear)
    }

    pub fn times(&self, factor: f64) -> Self {
        Self { a: self.a + factor.ln(), ..*self }
    }
}

/// A bearing along the gallery: a main, and the rod fed through its drilling.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Bearing {
    pub main_m3: f64,
    pub drilling_m2: f64,
    pub rod_m3: f64,
}

/// How the relief valve opens.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Opens {
    /// A plunger uncovers a slot: area per Pa over cracking, m²/Pa, up to the whole slot, m².
    Slot { per_pa: f64, whole_m2: f64 },
    /// A poppet lifts off its seat: area per Pa, m²/Pa, and a weep of so much of it before it cracks.
    Poppet { per_pa: f64, weep: f64 },
    /// A soft spring: flow per Pa, m³/s/Pa.
    Soft { flow_per_pa: f64 },
}

/// Where the relief valve takes its pressure.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum ReliefAt {
    Pump,
    Gallery,
}

#[derive(Debug, Clone)]
pub(crate) struct Rival {
    pub oil: Vogel,
    pub film_rise: f64,
    /// Power of speed with which the films heat.
    pub film_power: f64,
    pub per_turn_m3: f64,
    pub slip_m3: f64,
    pub slip_m2: f64,
    /// Level a controlled pump holds below and above its step (Pa), and the step (rpm).
    pub control: Option<(f64, f64, f64)>,
    pub suction_per_m3: f64,
    pub suction_m2: f64,
    pub screen_m2: f64,
    pub screen_per_m: f64,
    pub joint_m2: f64,
    pub air: f64,
    /// Air at the rated speed on top of that at rest, growing with the power 1.5 of speed.
    pub air_at_rated: f64,
    pub rated_rpm: f64,
    /// A second stage that runs free above this speed, and its share of the pump.
    pub stage: Option<(f64, f64)>,
    /// Depression an idle pump bears, and what the rated speed asks more, by its square, Pa absolute.
    pub fills_above: (f64, f64),
    /// Power with which it fills less beyond that.
    pub starves: f64,
    pub relief_at: ReliefAt,
    pub relief_cracks: f64,
    pub relief_opens: Opens,
    pub relief_stuck_m2: f64,
    pub filter_per_m3: f64,
    pub filter_square: f64,
    pub bypass_pa: f64,
    pub cooler_per_m3: f64,
    /// Where a thermostat sends oil through it, °C; none where it always goes.
    pub cooler_opens_c: Option<f64>,
    pub bearings: Vec<Bearing>,
    pub segment_per_m3: f64,
    /// Segment (from the pump) whose loss is multiplied, and by how much.
    pub blocked: Option<(usize, f64)>,
    pub cam_m3: f64,
    /// Restrictor to cam and head; none where the cam is fed straight.
    pub cam_feed_m2: Option<f64>,
    /// Restrictor to the head; none where it is fed straight.
    pub head_feed_m2: Option<f64>,
    pub head_m3: f64,
    pub turbo: Option<(f64, f64)>,
    pub valve: Option<(f64, f64)>,
    pub jets: Option<(f64, f64)>,
    pub jets_stuck_m2: f64,
    pub leak_m2: f64,
    pub worst: Worst,
}

/// How far its faults go, by its maker's habit.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Worst {
    pub cooler: f64,
    pub feed: f64,
    /// Share of choked filters whose bypass stays shut.
    pub stays_shut: f64,
}

fn orifice(area_m2: f64, pa: f64, rho: f64) -> f64 {
    ORIFICE * area_m2 * (2.0 * pa.max(0.0) / rho).sqrt()
}

/// Flow through an orifice and then a laminar leak, and the pressure between the two.
fn behind(area_m2: f64, g_m3: f64, pa: f64, mu: f64, rho: f64) -> (f64, f64) {
    let between = bisect(0.0, pa.max(0.0), |p| orifice(area_m2, pa - p, rho) - g_m3 * p / mu);
    (g_m3 * between / mu, between)
}

impl Rival {
    /// Liquid oil the pump takes in when it sweeps `swept` m³/s.
    fn drawn(&self, swept: f64, rpm: f64, mu: f64) -> f64 {
        let rho = self.oil.rho;
        let air = self.air + self.air_at_rated * (rpm / self.rated_rpm).powf(1.5);
        let asks = self.fills_above.0 + self.fills_above.1 * (rpm / self.rated_rpm).powi(2);
        let got = |q: f64| {
            let line = self.suction_per_m3 * mu * q + rho * (q / self.suction_m2).powi(2);
            let screen = self.screen_per_m * mu * q / self.screen_m2 + 0.9 * rho * (q / self.screen_m2).powi(2);
            let inlet = (ATMOSPHERE_PA - 1_500.0 - line - screen).max(2_000.0);
            let fills = ((inlet - 8_000.0) / (asks - 8_000.0)).clamp(0.0, 1.0).powf(self.starves);
            let gas = air * (ATMOSPHERE_PA / inlet).powf(0.9);
            let sucked = ORIFICE * self.joint_m2 * (2.0 * (ATMOSPHERE_PA - inlet) / 1.2).sqrt() * (ATMOSPHERE_PA / inlet).powf(0.9);
            (swept * fills * (1.0 - gas).max(0.0) - sucked).max(0.0)
        };
        bisect(0.0, swept, |q| got(q) - q)
    }

    /// Pressure and flow at the gallery's start when its far end stands at `end_pa`; also the pressure in the head.
    fn gallery(&self, end_pa: f64, rpm: f64, mu: f64, mu_film: f64) -> (f64, f64, f64) {
        let rho = self.oil.rho;
        let mut flow = 0.0;
        let (to_head, head_pa) =
            self.head_feed_m2.map_or((self.head_m3 * end_pa / mu_film, end_pa), |feed| behind(feed, self.head_m3, end_pa, mu_film, rho));
        flow += to_head;
        flow += self.cam_feed_m2.map_or(self.cam_m3 * end_pa / mu_film, |feed| behind(feed, self.cam_m3, end_pa, mu_film, rho).0);
        let mut pa = end_pa;
        for (place, bearing) in self.bearings.iter().enumerate().rev() {
            // The drilling to the rod gains from the crank's turning what its end lost: a few per cent at speed.
            let to_rod = behind(bearing.drilling_m2, bearing.rod_m3, pa * (1.0 + 0.01 * rpm / 1000.0), mu_film, rho).0;
            flow += bearing.main_m3 * pa / mu_film + to_rod;
            let narrowed = self.blocked.filter(|(at, _)| *at == place).map_or(1.0, |(_, by)| by);
            pa += self.segment_per_m3 * narrowed * mu * flow;
        }
        for (feed, g) in [self.turbo, self.valve].into_iter().flatten() {
            flow += behind(feed, g, pa, mu_film, rho).0;
        }
        if let Some((area, opens)) = self.jets {
            flow += orifice(area * ((pa - opens) / (0.3 * opens)).clamp(0.0, 1.0), pa, rho);
        }
        flow += orifice(self.jets_stuck_m2 + self.leak_m2, pa, rho);
        (pa, flow, head_pa)
    }

    fn relief(&self, pa: f64) -> f64 {
        let over = (pa - self.relief_cracks).max(0.0);
        let stuck = orifice(self.relief_stuck_m2, pa, self.oil.rho);
        stuck
            + match self.relief_opens {
                Opens::Slot { per_pa, whole_m2 } => orifice((per_pa * over).min(whole_m2), pa, self.oil.rho),
                Opens::Poppet { per_pa, weep } => {
                    let weeps = weep * (pa / self.relief_cracks).min(1.0).powi(4) * self.relief_cracks;
                    orifice(per_pa * (over + weeps), pa, self.oil.rho)
                }
                Opens::Soft { flow_per_pa } => flow_per_pa * over,
            }
    }
}

impl Engine for Rival {
    fn clone_box(&self) -> Box<dyn Engine> {
        Box::new(self.clone())
    }

    fn read(&self, rpm: f64, temp_c: f64) -> Read {
        let mu = self.oil.mu(temp_c);
        let film_c = temp_c + self.film_rise * (rpm / 1000.0).powf(self.film_power);
        let mu_film = self.oil.mu(film_c) * (1.0 - self.oil.shear * (rpm / self.rated_rpm).min(1.0));
        let stage = self.stage.filter(|(above, _)| rpm > *above).map_or(1.0, |(_, share)| 1.0 - share);
        let swept = stage * self.per_turn_m3 * rpm / 60.0;
        let cooler_per_m3 = if self.cooler_opens_c.is_none_or(|opens| temp_c >= opens) { self.cooler_per_m3 } else { 0.0 };
        let whole = self.drawn(swept, rpm, mu);
        let at_end = |end_pa: f64| {
            let (start, mut flow, head) = self.gallery(end_pa, rpm, mu, mu_film);
            if self.relief_at == ReliefAt::Gallery {
                flow += self.relief(start);
            }
            let element = self.filter_per_m3 * mu * flow + self.filter_square * flow * flow;
            // Past the bypass's setting a quarter of what the element would take.
            let loss =
                if element > self.bypass_pa { self.bypass_pa + 0.25 * (element - self.bypass_pa).min(self.bypass_pa) } else { element };
            let pump = start + loss + cooler_per_m3 * mu * flow;
            let slip = self.slip_m3 * pump / mu + orifice(self.slip_m2, pump, self.oil.rho);
            let back = if self.relief_at == ReliefAt::Pump { self.relief(pump) } else { 0.0 };
            let share = self.control.map_or(1.0, |(low, high, step)| {
                let level = if rpm < step { low } else { high };
                (1.0 - 0.75 * (start - level) / (0.2 * level)).clamp(0.25, 1.0)
            });
            let drawn = if share < 1.0 { self.drawn(share * swept, rpm, mu) } else { whole };
            (drawn - slip - back - flow, Read { pump, gallery: start, end: end_pa, head })
        };
        if whole <= 0.0 {
            return Read::default();
        }
        at_end(bisect(0.0, 4e6, |end| at_end(end).0)).1
    }

    fn opened(&self, by: f64) -> Box<dyn Engine> {
        let mut tried = self.clone();
        for bearing in &mut tried.bearings {
            bearing.main_m3 *= by;
            bearing.rod_m3 *= by;
        }
        tried.cam_m3 *= by;
        tried.head_m3 *= by;
        Box::new(tried)
    }

    fn break_it(&mut self, fault: Fault, s: f64, rng: &mut ChaCha8Rng) {
        let engine = self;
        let lin = |low: f64, high: f64| low + (high - low) * s;
        let log = |low: f64, high: f64| low * (high / low).powf(s);
        let size = engine.per_turn_m3 / 12e-6;
        match fault {
            Fault::None => {}
            Fault::OilLow => (engine.air, engine.air_at_rated) = (engine.air + lin(0.03, 0.25), engine.air_at_rated + lin(0.08, 0.4)),
            Fault::OilOver => (engine.air, engine.air_at_rated) = (engine.air + lin(0.02, 0.08), engine.air_at_rated + lin(0.08, 0.3)),
            Fault::OilThin => engine.oil = engine.oil.times(lin(0.85, 0.5)),
            Fault::OilThick => engine.oil = engine.oil.times(log(1.2, 2.2)),
            Fault::OilDiluted => engine.oil = engine.oil.thinned(lin(0.03, 0.15), 0.5e-3, 0.4e-3),
            Fault::OilDegraded => {
                engine.oil = engine.oil.times(log(1.15, 2.2));
                engine.filter_per_m3 *= log(2.0, 15.0);
                engine.screen_m2 *= lin(0.9, 0.5);
            }
            Fault::ScreenBlocked => engine.screen_m2 *= log(0.12, 0.012),
            Fault::PickupAir => engine.joint_m2 = size * log(0.35e-6, 8e-6),
            Fault::PickupBroken => engine.joint_m2 = size * log(20e-6, 200e-6),
            Fault::PumpWorn => {
                engine.slip_m3 *= log(2.5, 14.0);
                engine.slip_m2 *= log(1.5, 4.0);
            }
            Fault::PumpDrive | Fault::PumpUnprimed => engine.per_turn_m3 *= if s < 0.25 { lin(0.5, -1.4) } else { 0.0 },
            Fault::PumpControl => {
                engine.control = match engine.control {
                    Some((low, _, step)) if s < 0.6 => Some((low * lin(1.0, 0.6), low * lin(1.0, 0.6), step)),
                    _ => None,
                }
            }
            Fault::ReliefOpen => engine.relief_stuck_m2 = size * log(2e-6, 25e-6),
            Fault::ReliefWeak => engine.relief_cracks *= lin(0.75, 0.3),
            Fault::ReliefShut => {
                engine.relief_cracks *= log(1.5, 4.0);
            }
            Fault::ReliefHeavy => engine.relief_cracks *= lin(1.2, 1.8),
            Fault::FilterBlocked => {
                (engine.filter_per_m3, engine.filter_square) =
                    (engine.filter_per_m3 * log(4.0, 50.0), engine.filter_square * log(2.0, 10.0));
                if rng.random::<f64>() < engine.worst.stays_shut {
                    engine.bypass_pa = f64::INFINITY;
                }
            }
            Fault::FilterWrong => {
                (engine.filter_per_m3, engine.bypass_pa) = (engine.filter_per_m3 * log(1.5, 5.0), engine.bypass_pa * lin(1.1, 1.8))
            }
            Fault::CoolerPath => engine.cooler_per_m3 *= log(5.0, engine.worst.cooler),
            Fault::GalleryLeak => engine.leak_m2 = size * log(2e-6, 25e-6),
            Fault::GalleryBlocked => engine.blocked = Some((rng.random_range(1..engine.bearings.len().max(2)), log(40.0, 1_500.0))),
            Fault::BearingsCrank => {
                // Not all alike: each is somewhere between half and all of the way, and one is half as wide again.
                let worst = rng.random_range(0..engine.bearings.len().max(1));
                let wide = lin(1.3, 2.2);
                for (place, bearing) in engine.bearings.iter_mut().enumerate() {
                    let way = between(rng, 0.5, 1.0) + if place == worst { 0.5 } else { 0.0 };
                    let opened = (1.0 + (wide - 1.0) * way).powi(3);
                    bearing.main_m3 *= opened;
                    bearing.rod_m3 *= opened;
                }
            }
            Fault::BearingSingle => {
                let which = rng.random_range(0..engine.bearings.len().max(1));
                if let Some(bearing) = engine.bearings.get_mut(which) {
                    bearing.rod_m3 *= lin(1.3, 3.0).powi(3);
                }
            }
            Fault::BearingsCam => engine.cam_m3 *= lin(1.5, 3.0).powi(3),
            Fault::RockersWorn => engine.head_m3 *= lin(1.6, 3.2).powi(3),
            Fault::FeedOversize => {
                let worst = engine.worst.feed;
                engine.head_feed_m2 = engine.head_feed_m2.map(|feed| feed * log(2.5, worst));
                engine.head_m3 *= log(3.0, 1.2 * worst);
            }
            Fault::ValveControl => engine.leak_m2 = size * log(1.5e-6, 12e-6),
            Fault::JetsOpen => {
                if let Some((area, _)) = &mut engine.jets {
                    engine.jets_stuck_m2 = *area * lin(0.2, 1.0);
                    *area *= 1.0 - lin(0.2, 1.0);
                }
            }
            Fault::TurboFeed => engine.turbo = engine.turbo.map(|(feed, g)| (feed * lin(1.0, 1.8), g * lin(1.5, 3.0).powi(3))),
            Fault::ExternalLeak => {
                engine.leak_m2 = size * log(0.3e-6, 4e-6);
                engine.air += lin(0.0, 0.12);
                engine.air_at_rated += lin(0.0, 0.2);
            }
        }
    }
}
