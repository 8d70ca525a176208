//! An engine of a third kind, laid down from textbooks of pumps, valves and bearings and sharing no relation with the tracer's circuit or with [`crate::rival`].
//!
//! What differs: viscosity by Roelands' law; a pump whose delivery is rounded off by its inlet (no floor) and then falls with a power of speed, and whose side
//! clearance grows as its housing warms (slip with the cube of it); a relief plunger in balance with its spring and the flow's own force (Merritt, *Hydraulic
//! Control Systems*, §5.3), which makes it rise steeply once it is wide open; an element by Darcy and Forchheimer; main bearings with a full groove and
//! rods in series behind them through the crank, with centrifugal head and an eccentricity that follows load and speed (Pinkus and Sternlicht, *Theory of Hydrodynamic
//! Lubrication*); losses along the gallery by the square of flow; rockers fed by a plain jet. Nested bisection solves it.
use crate::engine::{ATMOSPHERE_PA, Engine, Read, bisect};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::circuit::Fault;

const CD: f64 = 0.65;

/// Viscosity by Roelands (1966): log μ + 4.2 in mPa·s falls as a power of the temperature over −135 °C.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Roelands {
    at_40: f64,
    slope: f64,
}

impl Roelands {
    /// From dynamic viscosities at 40 and 100 °C, Pa·s.
    pub fn new(mu_40: f64, mu_100: f64) -> Self {
        let up = |mu: f64| (1e3 * mu).log10() + 1.2;
        Self { at_40: up(mu_40), slope: (up(mu_40) / up(mu_100)).ln() / (235.0f64 / 175.0).ln() }
    }

    pub fn mu(&self, temp_c: f64) -> f64 {
        let up = self.at_40 * ((temp_c.max(-40.0) + 135.0) / 175.0).powf(-self.slope);
        1e-3 * 10f64.powf(up - 1.2)
    }

    fn times(&self, by: f64) -> Self {
        Self::new(self.mu(40.0) * by, self.mu(100.0) * by)
    }

    /// With fuel in it: thinned the more, the colder.
    fn with_fuel(&self, share: f64) -> Self {
        Self::new(self.mu(40.0) * (-5.0 * share).exp(), self.mu(100.0) * (-3.5 * share).exp())
    }
}

/// A spring-loaded plunger over a port as wide as `width_m`, uncovered by its lift.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Plunger {
    pub face_m2: f64,
    pub preload_n: f64,
    pub rate_n_m: f64,
    pub width_m: f64,
    pub most_lift_m: f64,
    pub stuck_lift_m: f64,
    /// Lifted by what is behind the filter.
    pub by_gallery: bool,
}

impl Plunger {
    /// Flow force 2·Cd·w·x·p·cos 69° closes it: lift = (p·A − F0)/(k + 0.43·w·p).
    fn flow(&self, lifts_pa: f64, pump_pa: f64, rho: f64) -> f64 {
        let over_n = lifts_pa * self.face_m2 - self.preload_n;
        let lift = (over_n / (self.rate_n_m + 0.43 * self.width_m * pump_pa)).clamp(0.0, self.most_lift_m).max(self.stuck_lift_m);
        CD * self.width_m * lift * (2.0 * pump_pa.max(0.0) / rho).sqrt()
    }
}

/// A main bearing and the rod that is fed through it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Throw {
    /// Conductance of a centred bearing, m³; leaks with (1 + 1.5 ε²).
    pub main_m3: f64,
    pub rod_m3: f64,
    /// Passage through the crank, m².
    pub bore_m2: f64,
    /// Its clearance over that of a new one.
    pub wide: f64,
}

#[derive(Debug, Clone)]
pub(crate) struct Stranger {
    pub oil: Roelands,
    pub rho: f64,
    pub heats_k: f64,
    pub per_turn_m3: f64,
    /// A second stage is let run free above this speed, and what share of the pump it is.
    pub stage: Option<(f64, f64)>,
    /// Side clearance at 20 °C as a conductance, m³, and its growth a kelvin.
    pub side_m3: f64,
    pub side_grows: f64,
    /// Depression at the rated speed hot, Pa; a share of it laminar.
    pub inlet_pa: f64,
    pub inlet_laminar: f64,
    pub inlet_hot_mu: f64,
    /// Depression the pump still fills at, Pa, and the power with which it falls beyond.
    pub fills_to_pa: f64,
    pub falls: f64,
    pub air: f64,
    pub air_by_speed: f64,
    pub sucks_m2: f64,
    pub rated_rpm: f64,
    pub relief: Plunger,
    pub element_darcy: f64,
    pub element_square: f64,
    pub bypass: Option<(f64, f64)>,
    pub cooler: f64,
    pub cooler_opens_c: Option<f64>,
    pub gallery_square: f64,
    /// Throw from which on the gallery is narrowed, and the loss there.
    pub narrowed: Option<(usize, f64)>,
    pub throws: Vec<Throw>,
    pub crank_m: f64,
    pub cam_m3: f64,
    pub cam_bore_m2: Option<f64>,
    pub rocker_m2: f64,
    pub rocker_leak_m3: f64,
    pub turbo_m3: f64,
    pub phaser_m3: f64,
    pub jets: Option<(f64, f64)>,
    pub opening_m2: f64,
}

fn hole(area_m2: f64, pa: f64, rho: f64) -> f64 {
    CD * area_m2 * (2.0 * pa.max(0.0) / rho).sqrt()
}

impl Stranger {
    /// Eccentricity of a loaded bearing: near the middle where speed and oil carry it, near the wall where they do not.
    fn eccentricity(&self, wide: f64, mu: f64, rpm: f64) -> f64 {
        let carries = mu / self.inlet_hot_mu * rpm / (0.3 * self.rated_rpm) / (wide * wide);
        1.0 / (1.0 + carries.powf(0.6)).max(1.02)
    }

    /// Oil delivered by the pump at a pressure behind it.
    fn delivered(&self, rpm: f64, temp_c: f64, mu: f64, pump_pa: f64) -> f64 {
        let stage = self.stage.filter(|(above, _)| rpm > *above).map_or(1.0, |(_, share)| 1.0 - share);
        let swept = self.per_turn_m3 * rpm / 60.0;
        let at_rated = rpm / self.rated_rpm;
        let down = |share: f64| {
            let q = at_rated * share;
            self.inlet_pa * (self.inlet_laminar * mu / self.inlet_hot_mu * q + (1.0 - self.inlet_laminar) * q * q)
        };
        // It fills as far as its inlet bears; beyond, less the faster it turns.
        let most = bisect(0.0, 1.0, |share| self.fills_to_pa - down(share));
        let fills = if most < 0.999 { most.powf(1.0 + self.falls) } else { 1.0 };
        let depression = down(fills).min(0.9 * ATMOSPHERE_PA);
        let swell = ATMOSPHERE_PA / (ATMOSPHERE_PA - depression);
        let air = (self.air + self.air_by_speed * at_rated) * swell;
        let sucked = CD * self.sucks_m2 * (2.0 * depression / 1.2).sqrt() * swell;
        let slip = self.side_m3 * (1.0 + self.side_grows * (temp_c - 20.0)).powi(3) * pump_pa / mu;
        (stage * (swept * fills * (1.0 - air).max(0.0) - sucked).max(0.0) - slip).max(0.0)
    }

    /// Flow into the gallery at a pressure at its start, and what is left at its end and in the head.
    fn taken(&self, start_pa: f64, rpm: f64, mu: f64, film: f64) -> (f64, f64, f64) {
        let mut flow = hole(self.opening_m2, start_pa, self.rho) + (self.turbo_m3 + self.phaser_m3) * start_pa / film;
        if let Some((area, opens)) = self.jets {
            flow += hole(area * ((start_pa - opens) / (0.2 * opens)).clamp(0.0, 1.0), start_pa, self.rho);
        }
        let turns = rpm * std::f64::consts::TAU / 60.0;
        let head = 0.5 * self.rho * (turns * self.crank_m).powi(2);
        let each = |throw: &Throw, pa: f64| {
            let eccentric = |wide: f64| 1.0 + 1.5 * self.eccentricity(wide, film, rpm).powi(2);
            let leaks = throw.wide.powi(3) * eccentric(throw.wide) / film;
            let rod_pa = (pa + 0.4 * head).max(0.0);
            let rod = bisect(0.0, rod_pa, |between| hole(throw.bore_m2, rod_pa - between, self.rho) - throw.rod_m3 * leaks * between);
            throw.main_m3 * leaks * pa + throw.rod_m3 * leaks * rod
        };
        let mut pa = start_pa;
        // What is still to go along the gallery shrinks from throw to throw; the loss of each stretch goes by its square.
        let mut ahead: f64 = self.throws.iter().map(|throw| each(throw, start_pa)).sum();
        let top = |pa: f64| {
            let cam = self.cam_bore_m2.map_or(self.cam_m3 * pa / film, |bore| {
                let between = bisect(0.0, pa, |between| hole(bore, pa - between, self.rho) - self.cam_m3 * between / film);
                self.cam_m3 * between / film
            });
            let head = bisect(0.0, pa, |between| hole(self.rocker_m2, pa - between, self.rho) - self.rocker_leak_m3 * between / mu);
            (cam + self.rocker_leak_m3 * head / mu, head)
        };
        let (to_top, _) = top(start_pa);
        ahead += to_top;
        for (place, throw) in self.throws.iter().enumerate() {
            let by = self.narrowed.filter(|(at, _)| *at == place).map_or(1.0, |(_, by)| by);
            pa = (pa - self.gallery_square * by * ahead * ahead).max(0.0);
            let here = each(throw, pa);
            flow += here;
            ahead = (ahead - here).max(0.0);
        }
        let (to_top, head_pa) = top(pa);
        (flow + to_top, pa, head_pa)
    }
}

impl Engine for Stranger {
    fn clone_box(&self) -> Box<dyn Engine> {
        Box::new(self.clone())
    }

    fn read(&self, rpm: f64, temp_c: f64) -> Read {
        if rpm <= 0.0 || self.per_turn_m3 <= 0.0 {
            return Read::default();
        }
        let mu = self.oil.mu(temp_c);
        let film = self.oil.mu(temp_c + self.heats_k * (rpm / 1000.0).powf(1.1) * (mu / self.inlet_hot_mu).powf(0.3).min(3.0));
        let cooled = self.cooler_opens_c.is_none_or(|opens| temp_c >= opens);
        let at = |start: f64| {
            let (taken, end, head) = self.taken(start, rpm, mu, film);
            let over = |pump: f64| {
                let by_gallery = self.relief.by_gallery;
                let through = taken + if by_gallery { self.relief.flow(start, start, self.rho) } else { 0.0 };
                let cooler = if cooled { self.cooler * mu * through } else { 0.0 };
                // What the element lets pass at this difference, and the bypass beside it.
                let across = (pump - start - cooler).max(0.0);
                let darcy = self.element_darcy * mu;
                let element = 2.0 * across / (darcy + (darcy * darcy + 4.0 * self.element_square * across).sqrt());
                let beside = self.bypass.map_or(0.0, |(opens, per_pa)| per_pa * (across - opens).max(0.0));
                through - element - beside
            };
            let pump = bisect(start, start + 6e6, over);
            let back =
                if self.relief.by_gallery { self.relief.flow(start, start, self.rho) } else { self.relief.flow(pump, pump, self.rho) };
            (self.delivered(rpm, temp_c, mu, pump) - back - taken, Read { pump, gallery: start, end, head })
        };
        at(bisect(0.0, 3e6, |start| at(start).0)).1
    }

    fn opened(&self, by: f64) -> Box<dyn Engine> {
        let mut engine = self.clone();
        for throw in &mut engine.throws {
            throw.main_m3 *= by;
            throw.rod_m3 *= by;
        }
        engine.cam_m3 *= by;
        engine.rocker_leak_m3 *= by;
        Box::new(engine)
    }

    fn break_it(&mut self, fault: Fault, s: f64, rng: &mut ChaCha8Rng) {
        let lin = |low: f64, high: f64| low + (high - low) * s;
        let log = |low: f64, high: f64| low * (high / low).powf(s);
        let size = self.per_turn_m3 / 12e-6;
        match fault {
            Fault::None => {}
            Fault::OilLow => (self.air, self.air_by_speed) = (self.air + lin(0.04, 0.3), self.air_by_speed + lin(0.1, 0.5)),
            Fault::OilOver => (self.air, self.air_by_speed) = (self.air + lin(0.01, 0.06), self.air_by_speed + lin(0.1, 0.35)),
            Fault::OilThin => self.oil = self.oil.times(lin(0.82, 0.45)),
            Fault::OilThick => self.oil = self.oil.times(log(1.25, 2.4)),
            Fault::OilDiluted => self.oil = self.oil.with_fuel(lin(0.03, 0.16)),
            Fault::OilDegraded => {
                self.oil = self.oil.times(log(1.1, 2.5));
                self.element_darcy *= log(2.0, 18.0);
                self.inlet_pa *= log(1.1, 4.0);
            }
            Fault::ScreenBlocked => {
                (self.inlet_pa, self.inlet_laminar) = (self.inlet_pa * log(15.0, 900.0), self.inlet_laminar * lin(1.0, 0.6))
            }
            Fault::PickupAir => self.sucks_m2 = size * log(0.5e-6, 10e-6),
            Fault::PickupBroken => self.sucks_m2 = size * log(25e-6, 250e-6),
            Fault::PumpWorn => self.side_m3 *= log(2.2, 16.0),
            Fault::PumpDrive | Fault::PumpUnprimed => self.per_turn_m3 *= if s < 0.2 { lin(0.45, -1.6) } else { 0.0 },
            Fault::PumpControl => self.stage = self.stage.map(|(_, share)| (0.0, share)),
            Fault::ReliefOpen => self.relief.stuck_lift_m = self.relief.most_lift_m * log(0.04, 0.7),
            Fault::ReliefWeak => self.relief.preload_n *= lin(0.72, 0.25),
            Fault::ReliefShut => self.relief.preload_n *= log(1.7, 6.0),
            Fault::ReliefHeavy => self.relief.preload_n *= lin(1.2, 1.9),
            Fault::FilterBlocked => {
                self.element_darcy *= log(4.0, 40.0);
                self.element_square *= log(3.0, 30.0);
                if rng.random::<f64>() < 0.4 {
                    self.bypass = None;
                }
            }
            Fault::FilterWrong => {
                self.element_darcy *= log(1.5, 5.0);
                self.bypass = self.bypass.map(|(opens, per_pa)| (opens * lin(1.1, 2.2), per_pa));
            }
            Fault::CoolerPath => self.cooler *= log(6.0, 300.0),
            Fault::GalleryLeak => self.opening_m2 = size * log(2e-6, 28e-6),
            Fault::GalleryBlocked => self.narrowed = Some((rng.random_range(1..self.throws.len().max(2)), log(60.0, 4_000.0))),
            Fault::BearingsCrank => {
                let wide = lin(1.3, 2.3);
                for throw in &mut self.throws {
                    throw.wide *= 1.0 + (wide - 1.0) * (0.4 + 0.9 * rng.random::<f64>());
                }
            }
            Fault::BearingSingle => {
                let which = rng.random_range(0..self.throws.len().max(1));
                if let Some(throw) = self.throws.get_mut(which) {
                    throw.wide *= lin(1.3, 2.6);
                }
            }
            Fault::BearingsCam => self.cam_m3 *= lin(1.5, 3.2).powi(3),
            Fault::RockersWorn => self.rocker_leak_m3 *= lin(1.6, 3.4).powi(3),
            Fault::FeedOversize => {
                self.rocker_m2 *= log(3.0, 25.0);
                self.rocker_leak_m3 *= log(4.0, 40.0);
            }
            Fault::ValveControl => self.opening_m2 = size * log(1.5e-6, 12e-6),
            Fault::JetsOpen => {
                self.jets = self.jets.map(|(area, opens)| if s < 0.5 { (area, opens * 0.1) } else { (area * 1.4, 0.01 * opens) })
            }
            Fault::TurboFeed => self.turbo_m3 *= log(3.0, 25.0),
            Fault::ExternalLeak => {
                self.opening_m2 = size * log(0.3e-6, 4e-6);
                self.air += lin(0.0, 0.12);
                self.air_by_speed += lin(0.0, 0.2);
            }
        }
    }
}
