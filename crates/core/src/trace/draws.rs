//! The draws of an engine: healthy circuits of its card, each harmed by every hypothesis, and what the gauge would show.
//!
//! A scrambled Sobol sequence (Owen scrambling; Burley 2020) draws healthy engines; each hypothesis harms all of them alike, so
//! causes are compared on the same engines. Pressures at an operating point are solved once and kept, as are the slopes about it.
//!
//! A draw weighs by two things known before anything is read: a healthy engine keeps to the sheet it was sold with, and a job comes in because
//! something was noticed, so an engine that a slight fault leaves as it was seldom stands in the shop.
use super::knowledge::{Hypothesis, Knowledge};
use crate::circuit::nominal::{self, DIMENSIONS, Unknowns};
use crate::circuit::{Beside, Card, Circuit, Fault, PointOfSpec, Working, harm};
use crate::oil::Oil;
use rayon::prelude::*;
use std::collections::HashMap;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Draws of each hypothesis.
pub(super) const DRAWS: usize = 1024;
/// Draws for local slopes and ratios, the first of the same sequence.
const LOCAL_DRAWS: usize = 32;
/// Operating points kept before the store is emptied: far more than a job has.
const KEPT_POINTS: usize = 64;
/// Share of a limit by which a sound engine of the model may miss it before it counts a third.
const OUTSIDE: f64 = 0.08;
/// What an engine that strays far still counts: a sheet can be typed wrong, and the model is not the engine.
const LEAST_SOLD: f64 = 1e-3;
/// Gauges of one job that are drawn apart.
const GAUGES: usize = 3;
/// Points of the run at which a fault would be noticed: cold idle, hot idle, fast and hot.
const COLD_C: f64 = 20.0;
const HOT_C: f64 = 100.0;
const FAST_RPM: f64 = 3000.0;
/// A change of pressure, as a logarithm, that nobody sees, and one that everybody does.
const UNSEEN: f64 = 0.1;
const SEEN: f64 = 0.4;
/// Share of jobs that come in by another way: a drop in a bend, a noise, a puddle, a service.
const ANYWAY: f64 = 0.15;
const SEED: u32 = 0x0e1d_1a17;

/// Faults of a hypothesis; the second is [`Fault::None`] when there is one cause alone.
pub(super) type Harm = (Fault, Fault);

/// Port pressures at a point, by harm and draw. Each is solved when it is first asked for: most draws are ruled out by the readings before.
#[derive(Debug)]
pub(super) struct Grid {
    sound: Vec<Beside>,
    /// Bits of an f32 in kPa; NaN while unsolved. Two threads that solve the same one write the same.
    kpa: Vec<AtomicU32>,
}
type PointKey = (i64, i64);
type Store<K, V> = Mutex<HashMap<K, Arc<V>>>;

/// What is known about one draw at a point and on the way from there to another.
#[derive(Debug, Clone, Copy)]
pub(super) struct Near {
    pub here_kpa: f64,
    pub ratio: f64,
    pub kpa_per_k: f64,
    pub kpa_per_rpm: f64,
}

#[derive(Debug)]
pub(super) struct Draws {
    healthy: Vec<Circuit>,
    /// How well each healthy engine keeps to the sheet it was sold with, 0 to 1.
    sold: Vec<f64>,
    /// Severity of the first and of the second fault.
    severity: Vec<[f64; 2]>,
    /// A number in 0..1 for what no part of the circuit explains.
    aside: Vec<f64>,
    /// How far each gauge is off, of its common half width, −1 to 1.
    gauges_off: Vec<[f64; GAUGES]>,
    /// Distinct harms.
    harms: Vec<Harm>,
    idle_rpm: f64,
    spec: Vec<PointOfSpec>,
    came: OnceLock<Vec<f32>>,
    kept: Store<PointKey, Grid>,
    near: Store<(PointKey, PointKey), Vec<Near>>,
}

/// A tenth of a degree and one turn a minute: far finer than anything a technician holds. Points are kept and solved as rounded, so that what is kept
/// does not hang on which of two neighbours came first.
fn key(at: Working) -> (PointKey, Working) {
    let (rpm, tenths) = (at.rpm.round(), (at.oil_temp_c * 10.0).round());
    ((rpm as i64, tenths as i64), Working { rpm, oil_temp_c: 0.1 * tenths })
}

/// Returns what is kept under `key`, or makes and keeps it; emptied when it has grown beyond [`KEPT_POINTS`].
fn kept_or<K: std::hash::Hash + Eq, V>(store: &Store<K, V>, key: K, make: impl FnOnce() -> V) -> Arc<V> {
    if let Some(found) = store.lock().unwrap_or_else(PoisonError::into_inner).get(&key) {
        return Arc::clone(found);
    }
    let made = Arc::new(make());
    let mut store = store.lock().unwrap_or_else(PoisonError::into_inner);
    if store.len() >= KEPT_POINTS {
        store.clear();
    }
    store.insert(key, Arc::clone(&made));
    made
}

impl Draws {
    pub(super) fn new(card: &Card, spec: &[PointOfSpec], oil: Oil, know: &Knowledge) -> Self {
        let unit = |draw: usize, dimension: usize| f64::from(sobol_burley::sample(draw as u32, dimension as u32, SEED));
        let healthy: Vec<Circuit> = (0..DRAWS)
            .into_par_iter()
            .map(|draw| {
                let numbers: [f64; DIMENSIONS] = std::array::from_fn(|dimension| unit(draw, dimension));
                nominal::circuit(card, spec, oil, &Unknowns::from_unit(&numbers, card.relief_opens_kpa.is_some()))
            })
            .collect();
        let mut harms: Vec<Harm> = know.hypotheses.iter().map(|hypothesis| harm_of(know, hypothesis)).collect();
        harms.sort();
        harms.dedup();
        let strays: Vec<f64> = healthy.par_iter().map(|circuit| spec.iter().map(|point| strays(circuit, point)).sum()).collect();
        let least = strays.iter().copied().fold(f64::INFINITY, f64::min);
        // A sheet that no drawn engine keeps is held against none of them more than against the one that comes nearest.
        let sold = strays.iter().map(|stray| (least - stray).exp().max(LEAST_SOLD)).collect();
        Self {
            healthy,
            sold,
            severity: (0..DRAWS).map(|draw| [unit(draw, DIMENSIONS), unit(draw, DIMENSIONS + 1)]).collect(),
            aside: (0..DRAWS).map(|draw| unit(draw, DIMENSIONS + 2)).collect(),
            gauges_off: (0..DRAWS).map(|draw| std::array::from_fn(|gauge| 2.0 * unit(draw, DIMENSIONS + 3 + gauge) - 1.0)).collect(),
            harms,
            idle_rpm: card.idle_rpm,
            spec: spec.to_vec(),
            came: OnceLock::new(),
            kept: Mutex::default(),
            near: Mutex::default(),
        }
    }

    /// Severity of the first fault of a draw.
    pub(super) fn severity(&self, draw: usize) -> f64 {
        self.severity.get(draw).map_or(0.5, |[first, _]| *first)
    }

    /// Weight of every draw of every harm before anything is read, in the order of a grid.
    fn came(&self) -> &[f32] {
        self.came.get_or_init(|| {
            let points =
                [(self.idle_rpm, COLD_C), (self.idle_rpm, HOT_C), (FAST_RPM, HOT_C)].map(|(rpm, oil_temp_c)| Working { rpm, oil_temp_c });
            let grids = points.map(|at| self.grid(at));
            let least = points.map(|at| self.least_kpa(at));
            let quiet = self.place((Fault::None, Fault::None));
            let of_draw = |place: usize, draw: usize| {
                let mut off = 0.0f64;
                for (grid, least) in grids.iter().zip(least) {
                    let (now, sound) = (self.kpa(grid, place, draw), self.kpa(grid, quiet, draw));
                    let change = (now.max(1.0) / sound.max(1.0)).ln().abs();
                    off = off.max(if now < least { 1.0 } else { ((change - UNSEEN) / (SEEN - UNSEEN)).clamp(0.0, 1.0) });
                }
                let noticed = if place == quiet { 1.0 } else { ANYWAY + (1.0 - ANYWAY) * off };
                (noticed * self.sold.get(draw).copied().unwrap_or(0.0)) as f32
            };
            (0..self.harms.len())
                .into_par_iter()
                .flat_map_iter(|place| (0..DRAWS).map(move |draw| (place, draw)).map(|(place, draw)| of_draw(place, draw)))
                .collect()
        })
    }

    /// The part of [`Draws::came`] that belongs to the harm at `place`.
    pub(super) fn came_with(&self, place: usize) -> &[f32] {
        self.came().get(place * DRAWS..(place + 1) * DRAWS).unwrap_or_default()
    }

    /// The sheet's least pressure near a point, 0 where it names none.
    fn least_kpa(&self, at: Working) -> f64 {
        self.spec
            .iter()
            .filter(|point| (point.rpm / at.rpm - 1.0).abs() < 0.15 && (point.oil_temp_c - at.oil_temp_c).abs() < 15.0)
            .filter_map(|point| point.min_kpa)
            .fold(0.0, f64::max)
    }

    /// A number in 0..1 that belongs to the draw and to nothing in the circuit.
    pub(super) fn aside(&self, draw: usize) -> f64 {
        self.aside.get(draw).copied().unwrap_or(0.5)
    }

    /// How far a gauge is off in a draw, of its common half width; gauges beyond [`GAUGES`] share.
    pub(super) fn gauge_off(&self, draw: usize, gauge: usize) -> f64 {
        self.gauges_off.get(draw).and_then(|off| off.get(gauge % GAUGES)).copied().unwrap_or(0.0)
    }

    /// The engine of a draw, harmed.
    pub(super) fn harmed(&self, (first, second): Harm, draw: usize) -> Option<Circuit> {
        let mut circuit = self.healthy.get(draw)?.clone();
        let [a, b] = *self.severity.get(draw)?;
        harm(&mut circuit, &[(first, a), (second, b)]);
        Some(circuit)
    }

    /// The grid of a point, made once and kept.
    pub(super) fn grid(&self, at: Working) -> Arc<Grid> {
        let (key, at) = key(at);
        kept_or(&self.kept, key, || Grid {
            sound: self.healthy.par_iter().with_min_len(64).map(|circuit| circuit.beside(at)).collect(),
            kpa: (0..self.harms.len() * DRAWS).map(|_| AtomicU32::new(f32::NAN.to_bits())).collect(),
        })
    }

    /// The place of a harm among the harms.
    pub(super) fn place(&self, harm: Harm) -> usize {
        self.harms.iter().position(|known| *known == harm).unwrap_or(0)
    }

    /// Port pressure of a draw harmed by the harm at `place`, kPa.
    pub(super) fn kpa(&self, grid: &Grid, place: usize, draw: usize) -> f64 {
        let Some(kept) = grid.kpa.get(place * DRAWS + draw) else { return 0.0 };
        let known = f32::from_bits(kept.load(Relaxed));
        if !known.is_nan() {
            return f64::from(known);
        }
        let solve = || {
            let harmed = self.harmed(*self.harms.get(place)?, draw)?;
            Some(harmed.port_kpa_beside(self.healthy.get(draw)?, grid.sound.get(draw)?) as f32)
        };
        let solved = solve().unwrap_or(0.0);
        kept.store(solved.to_bits(), Relaxed);
        f64::from(solved)
    }

    /// Slopes at a point and ratios from there to another, for the first draws of every harm.
    pub(super) fn near(&self, at: Working, to: Working) -> Arc<Vec<Near>> {
        let ((from, at), (end, to)) = (key(at), key(to));
        kept_or(&self.near, (from, end), || self.around(at, |circuit, here| if to == at { 1.0 } else { circuit.port_kpa(to) / here }))
    }

    /// As [`Draws::near`], with any question to the harmed circuit in place of the ratio; not kept.
    pub(super) fn around(&self, at: Working, ratio: impl Fn(&Circuit, f64) -> f64 + Sync) -> Vec<Near> {
        const WARMER_K: f64 = 4.0;
        const FASTER_RPM: f64 = 40.0;
        let warmer = Working { oil_temp_c: at.oil_temp_c + WARMER_K, ..at };
        let faster = Working { rpm: at.rpm + FASTER_RPM, ..at };
        let sound: Vec<(&Circuit, [Beside; 3])> = self
            .healthy
            .iter()
            .take(LOCAL_DRAWS)
            .map(|circuit| (circuit, [at, warmer, faster].map(|point| circuit.beside(point))))
            .collect();
        self.harms
            .par_iter()
            .flat_map_iter(|harm| {
                sound.iter().enumerate().filter_map(|(draw, sound)| Some((sound, self.harmed(*harm, draw)?))).map(
                    |((sound, [here, warm, fast]), circuit)| {
                        let here_kpa = circuit.port_kpa_beside(sound, here).max(0.1);
                        Near {
                            here_kpa,
                            ratio: ratio(&circuit, here_kpa),
                            kpa_per_k: (circuit.port_kpa_beside(sound, warm) - here_kpa) / WARMER_K,
                            kpa_per_rpm: (circuit.port_kpa_beside(sound, fast) - here_kpa) / FASTER_RPM,
                        }
                    },
                )
            })
            .collect()
    }
}

/// How far a healthy engine strays from a line of the sheet: 0 while it conforms, 1 where it is [`OUTSIDE`] beyond, growing by the square.
fn strays(circuit: &Circuit, point: &PointOfSpec) -> f64 {
    let kpa = circuit.port_kpa(Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c });
    let short = point.min_kpa.map_or(0.0, |min| (min / kpa.max(1.0) - 1.0).max(0.0));
    let over = point.max_kpa.map_or(0.0, |max| (kpa / max.max(1.0) - 1.0).max(0.0));
    ((short + over) / OUTSIDE).powi(2)
}

/// The faults of a hypothesis.
pub(super) fn harm_of(know: &Knowledge, hypothesis: &Hypothesis) -> Harm {
    let fault = |cause: usize| know.causes.get(cause).map_or(Fault::None, |cause| cause.fault);
    (fault(hypothesis.first), hypothesis.second.map_or(Fault::None, fault))
}
