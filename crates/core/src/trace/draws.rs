//! The draws of an engine: healthy circuits of its card, each harmed by every hypothesis, and what the gauge would show.
//!
//! A scrambled Sobol sequence (Owen scrambling; Burley 2020) draws healthy engines; each hypothesis harms all of them alike, so causes are compared on the
//! same engines. Pressures at an operating point are solved once and kept, as are the slopes about it.
//!
//! What is drawn with the engine beside its parts: how far speed and oil temperature were from what was noted (each draw is solved at its own point), how
//! far every gauge is off, and the discrepancy between this model and any real engine, a smooth error of level, slope in speed and cold-to-hot twist (Kennedy
//! and O'Hagan, *J. R. Statist. Soc. B* 63, 2001; Brynjarsdóttir and O'Hagan, *Inverse Problems* 30, 2014).
//!
//! A draw weighs by two things known before anything is read. Its *prior weight*: a sheet's limits are floors set anywhere from a sixth to nine tenths of
//! what a good engine shows, and engines at half their rated speed mostly show 320 kPa hot; paper alone never moves the odds of two draws by more than
//! [`PAPER`]. Its *selection weight*: a job comes in because something was noticed, so an engine that a slight fault leaves as it was seldom stands in the shop.
use super::knowledge::{Hypothesis, Knowledge};
use crate::circuit::nominal::{self, DIMENSIONS, Unknowns, normal_quantile};
use crate::circuit::{Beside, Card, Circuit, Fault, PointOfSpec, Working, harm};
use crate::oil::Oil;
use rayon::prelude::*;
use siphasher::sip::SipHasher13;
use std::hash::{Hash, Hasher};
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

/// Draws of each hypothesis.
pub(super) const DRAWS: usize = 2048;
/// Draws for local slopes and ratios, the first of the same sequence.
const LOCAL_DRAWS: usize = 32;
/// Draws from which the share that would be noticed is estimated.
const NOTICED_DRAWS: usize = 192;
/// Operating points kept, beside those at which a fault is noticed: as many as a plan looks at. Each takes half a megabyte, until the tracer rests.
const KEPT_POINTS: usize = 32;
/// Ways from a point to another kept; each takes some 40 kB.
const KEPT_WAYS: usize = 24;
/// Most that limits on paper move the odds of two draws.
const PAPER: f64 = 2.2;
/// Share of the healthy pressure that a maker prints as its least: anywhere between, with soft ends (standard deviations of the logarithm).
const PRINTED: (f64, f64) = (1.0 / 6.0, 0.9);
const PRINTED_SOFT: (f64, f64) = (0.5, 0.1);
/// Healthy pressure hot at half the rated speed, kPa, and its standard deviation of the logarithm as far as the parts do not settle it.
const HALF_SPEED_KPA: f64 = 320.0;
const HALF_SPEED_SD_LN: f64 = 0.45;
/// The points of the run at which a fault would be noticed are cold idle, hot idle, and half the rated speed hot.
const COLD_C: f64 = 20.0;
const HOT_C: f64 = 100.0;
/// A change of pressure, as a logarithm, that nobody sees, and one that everybody does.
const UNSEEN: f64 = 0.1;
const SEEN: f64 = 0.4;
/// Share of jobs that come in by another way: a drop in a bend, a noise, a puddle, a service.
const ANYWAY: f64 = 0.15;
/// A cause keeps its whole share among complaints when at least this share of its faults would be noticed on this engine.
const NOTICED_SHARE: f64 = 0.4;
/// Discrepancy: standard deviations of level, of slope for each e-fold of speed, and of twist for each 60 K. Set by calibration on the tuned rivals.
const LEVEL: f64 = 0.05;
const SLOPE: f64 = 0.03;
const TWIST: f64 = 0.05;
/// Speed held by a counter and by hand, half widths as shares.
const SPEED_MEASURED: f64 = 0.01;
const SPEED_BY_HAND: f64 = 0.03;
/// Oil temperature by a probe, half width; and how much colder than estimated the oil may be, since it lags the coolant, K. An estimate of cold oil
/// is the day's temperature, which everybody knows.
const PROBE_K: f64 = 3.0;
const ESTIMATED_K: f64 = 12.0;
const ESTIMATED_FROM_C: f64 = 40.0;
const SEED: u32 = 0x0e1d_1a17;

/// Faults of a hypothesis; the second is [`Fault::None`] when there is one cause alone.
pub(super) type Harm = (Fault, Fault);

/// An operating point as it was noted, and how well.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Noted {
    pub at: Working,
    pub temp_estimated: bool,
    pub speed_by_hand: bool,
}

impl From<Working> for Noted {
    fn from(at: Working) -> Self {
        Self { at, temp_estimated: false, speed_by_hand: false }
    }
}

/// Port pressures at a point, by harm and draw. Each is solved when it is first asked for: most draws are ruled out by the readings before.
#[derive(Debug)]
pub(super) struct Grid {
    at: Noted,
    /// By draw: the sound engine, beside which a harmed one is solved; each solved when a draw is first asked for, and again after it was let go.
    sound: OnceLock<Box<[OnceLock<Beside>]>>,
    /// Bits of an f32 in kPa; NaN while unsolved. Two threads that solve the same one write the same.
    kpa: Vec<AtomicU32>,
}

impl Grid {
    fn new(noted: Noted, harms: usize) -> Self {
        let unsolved = || AtomicU32::new(f32::NAN.to_bits());
        Self { at: key(noted).1, sound: OnceLock::new(), kpa: (0..harms * DRAWS).map(|_| unsolved()).collect() }
    }
}

type PointKey = (i64, i64, bool, bool);
/// What was made for a key, the one unused for longest first.
type Store<K, V> = Mutex<Vec<(K, Arc<V>)>>;

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
    /// Weight of each healthy engine by what is on paper, before any reading.
    prior_weight: Vec<f64>,
    /// Severity of the first and of the second fault.
    severity: Vec<[f64; 2]>,
    /// A number in 0..1 for what no part of the circuit explains.
    latent_offset: Vec<f64>,
    /// Level, slope and twist of the discrepancy, as logarithms.
    discrepancy: Vec<[f64; 3]>,
    /// How far the run's thermometer is off, −1 to 1, and how far the oil lags an estimate, 0 to 1.
    thermometer: Vec<[f64; 2]>,
    /// Distinct harms, and of each how many of its faults would be noticed.
    harms: Vec<Harm>,
    noticed_share: Vec<f64>,
    all_weight: f64,
    half_rpm: f64,
    noticed_at: [(Working, f64); 3],
    /// The grids of `noticed_at`, which every weighing needs.
    noticed: Mutex<[Arc<Grid>; 3]>,
    kept: Store<PointKey, Grid>,
    near: Store<(PointKey, PointKey), Vec<Near>>,
}

/// A tenth of a degree and one turn a minute: far finer than anything a technician holds. Points are kept and solved as rounded, so that what is kept
/// does not hang on which of two neighbours came first.
fn key(noted: Noted) -> (PointKey, Noted) {
    let (rpm, tenths) = (noted.at.rpm.round(), (noted.at.oil_temp_c * 10.0).round());
    let rounded = Noted { at: Working { rpm, oil_temp_c: 0.1 * tenths }, ..noted };
    ((rpm as i64, tenths as i64, noted.temp_estimated, noted.speed_by_hand), rounded)
}

/// Returns what is kept under `key`, or makes and keeps it; the one unused for longest makes room. The lock is never held while it is made.
fn kept_or<K: Eq, V>(store: &Store<K, V>, most: usize, key: K, make: impl FnOnce() -> V) -> Arc<V> {
    let used = |store: &mut Vec<(K, Arc<V>)>| {
        let place = store.iter().position(|(known, _)| *known == key)?;
        let found = store.remove(place);
        let kept = Arc::clone(&found.1);
        store.push(found);
        Some(kept)
    };
    if let Some(kept) = used(&mut store.lock().unwrap_or_else(PoisonError::into_inner)) {
        return kept;
    }
    let made = Arc::new(make());
    let mut store = store.lock().unwrap_or_else(PoisonError::into_inner);
    // Two who ask at once may both make it, and share the first.
    if let Some(kept) = used(&mut store) {
        return kept;
    }
    if store.len() >= most {
        store.remove(0);
    }
    store.push((key, Arc::clone(&made)));
    made
}

/// A number in 0..1 of a draw that belongs to a thing with a name: each thing has a scrambling of its own. The hash is a named one, so that a record's figures
/// come out the same whatever the standard library hashes with.
fn unit_of(thing: impl Hash, draw: usize, dimension: u32) -> f64 {
    let mut hasher = SipHasher13::new();
    thing.hash(&mut hasher);
    f64::from(sobol_burley::sample(draw as u32, dimension, SEED ^ hasher.finish() as u32))
}

impl Draws {
    /// `discrepancy` scales the smooth error of the model; 1 is what the product uses.
    pub(super) fn new(card: &Card, spec: &[PointOfSpec], oil: Oil, know: &Knowledge, discrepancy: f64) -> Self {
        let unit = |draw: usize, dimension: usize| f64::from(sobol_burley::sample(draw as u32, dimension as u32, SEED));
        let extra = |draw: usize, place: usize| unit(draw, DIMENSIONS + place);
        let healthy: Vec<Circuit> = (0..DRAWS)
            .into_par_iter()
            .map(|draw| {
                let numbers: [f64; DIMENSIONS] = std::array::from_fn(|dimension| unit(draw, dimension));
                nominal::circuit(card, oil, &Unknowns::from_unit(&numbers, card))
            })
            .collect();
        let mut harms: Vec<Harm> = know.hypotheses.iter().map(|hypothesis| harm_of(know, hypothesis)).collect();
        harms.sort();
        harms.dedup();
        let half_rpm = (0.5 * card.rated_rpm()).max(1.3 * card.idle_rpm);
        let prior_weight: Vec<f64> = healthy.par_iter().map(|circuit| prior_weight(circuit, spec, half_rpm)).collect();
        let at = |rpm: f64, oil_temp_c: f64| {
            let point = Working { rpm, oil_temp_c };
            (point, least_kpa(spec, point))
        };
        let noticed_at = [at(card.idle_rpm, COLD_C), at(card.idle_rpm, HOT_C), at(half_rpm, HOT_C)];
        let mut draws = Self {
            noticed: Mutex::new(noticed_at.map(|(at, _)| Arc::new(Grid::new(at.into(), harms.len())))),
            all_weight: prior_weight.iter().sum(),
            healthy,
            prior_weight,
            severity: (0..DRAWS).map(|draw| [extra(draw, 0), extra(draw, 1)]).collect(),
            latent_offset: (0..DRAWS).map(|draw| extra(draw, 2)).collect(),
            discrepancy: (0..DRAWS)
                .map(|draw| [(3, LEVEL), (4, SLOPE), (5, TWIST)].map(|(place, sd)| discrepancy * sd * normal_quantile(extra(draw, place))))
                .collect(),
            thermometer: (0..DRAWS).map(|draw| [2.0 * extra(draw, 6) - 1.0, extra(draw, 7)]).collect(),
            noticed_share: Vec::new(),
            harms,
            half_rpm,
            noticed_at,
            kept: Mutex::default(),
            near: Mutex::default(),
        };
        let grids = draws.noticed_grids();
        draws.noticed_share = (0..draws.harms.len())
            .into_par_iter()
            .map(|place| {
                let weighed = (0..NOTICED_DRAWS).map(|draw| (draws.weight(draw), draws.selection_weight(&grids, place, draw)));
                let (sum, all) = weighed.fold((0.0, 0.0), |(sum, all), (weight, noticed)| (sum + weight * noticed, all + weight));
                sum / f64::max(all, f64::MIN_POSITIVE)
            })
            .collect();
        draws
    }

    /// Roughly the memory these draws and what is kept of them take.
    pub(super) fn bytes(&self) -> usize {
        let grids = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let near = self.near.lock().unwrap_or_else(PoisonError::into_inner);
        let of_draws = size_of::<Circuit>() + 10 * size_of::<f64>();
        let of_grid = |grid: &Arc<Grid>| grid.sound.get().map_or(0, |sound| size_of_val(&**sound)) + size_of_val(grid.kpa.as_slice());
        let of_near = |near: &Arc<Vec<Near>>| size_of_val(near.as_slice());
        let noticed = self.noticed.lock().unwrap_or_else(PoisonError::into_inner);
        let grids = noticed.iter().chain(grids.iter().map(|(_, grid)| grid)).map(of_grid).sum::<usize>();
        DRAWS * of_draws + grids + near.iter().map(|(_, near)| of_near(near)).sum::<usize>()
    }

    /// Lets go what is only needed while a reading is weighed. What is solved stays solved.
    pub(super) fn rest(&self) {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner).clear();
        let mut noticed = self.noticed.lock().unwrap_or_else(PoisonError::into_inner);
        for grid in noticed.iter_mut().filter(|grid| grid.sound.get().is_some()) {
            let kpa = grid.kpa.iter().map(|kpa| AtomicU32::new(kpa.load(Relaxed))).collect();
            *grid = Arc::new(Grid { at: grid.at, sound: OnceLock::new(), kpa });
        }
    }

    fn weight(&self, draw: usize) -> f64 {
        self.prior_weight.get(draw).copied().unwrap_or(0.0)
    }

    /// Severity of the first fault of a draw.
    pub(super) fn severity(&self, draw: usize) -> f64 {
        self.severity.get(draw).map_or(0.5, |[first, _]| *first)
    }

    /// Grids of the points at which a fault is noticed.
    pub(super) fn noticed_grids(&self) -> [Arc<Grid>; 3] {
        self.noticed.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// How likely a draw with this harm is to be brought in, from [`ANYWAY`] to 1.
    fn selection_weight(&self, grids: &[Arc<Grid>; 3], place: usize, draw: usize) -> f64 {
        let quiet = self.place((Fault::None, Fault::None));
        if place == quiet {
            return 1.0;
        }
        let mut off = 0.0f64;
        for (grid, (_, least)) in grids.iter().zip(self.noticed_at) {
            let (now, sound) = (self.kpa(grid, place, draw), self.kpa(grid, quiet, draw));
            let change = (now.max(1.0) / sound.max(1.0)).ln().abs();
            off = off.max(if now < least { 1.0 } else { ((change - UNSEEN) / (SEEN - UNSEEN)).clamp(0.0, 1.0) });
        }
        ANYWAY + (1.0 - ANYWAY) * off
    }

    /// What a draw of a harm weighs before any reading: by paper, and by whether it would be brought in.
    pub(super) fn before_reading(&self, grids: &[Arc<Grid>; 3], place: usize, draw: usize) -> f64 {
        self.weight(draw) * self.selection_weight(grids, place, draw)
    }

    /// What all draws of a harm weigh together before any reading. A cause that leaves the pressures alone weighs more than its draws: it keeps only its
    /// share among those that come in by another way.
    pub(super) fn all_before_reading(&self, place: usize) -> f64 {
        self.all_weight * self.noticed_share.get(place).copied().unwrap_or(1.0).max(NOTICED_SHARE)
    }

    /// A number in 0..1 that belongs to the draw and to nothing in the circuit.
    pub(super) fn latent_offset(&self, draw: usize) -> f64 {
        self.latent_offset.get(draw).copied().unwrap_or(0.5)
    }

    /// How far a gauge is off in every draw, of its common half width; a gauge is known by its name, not by its place among others.
    pub(super) fn gauge_off(&self, gauge: &str) -> Vec<f64> {
        (0..DRAWS).map(|draw| 2.0 * unit_of(("gauge", gauge), draw, 0) - 1.0).collect()
    }

    /// What this model is off on a real engine at a point, as a factor, in every draw.
    pub(super) fn discrepancy(&self, at: Working) -> Vec<f64> {
        let (speed, warm) = ((at.rpm.max(100.0) / self.half_rpm).ln(), (at.oil_temp_c - 70.0) / 60.0);
        self.discrepancy.iter().map(|[level, slope, twist]| (level + slope * speed + twist * warm).exp()).collect()
    }

    /// Where a draw really stood when a point was noted.
    fn stood(&self, key: PointKey, noted: Noted, draw: usize) -> Working {
        let [thermometer, lag] = self.thermometer.get(draw).copied().unwrap_or_default();
        let held = if noted.speed_by_hand { SPEED_BY_HAND } else { SPEED_MEASURED };
        let rpm = noted.at.rpm * (1.0 + held * (2.0 * unit_of(("speed", key), draw, 0) - 1.0));
        let lags = if noted.temp_estimated && noted.at.oil_temp_c >= ESTIMATED_FROM_C { ESTIMATED_K * lag } else { 0.0 };
        Working { rpm, oil_temp_c: noted.at.oil_temp_c + PROBE_K * thermometer - lags }
    }

    /// The engine of a draw, harmed.
    pub(super) fn harmed(&self, (first, second): Harm, draw: usize) -> Option<Circuit> {
        let mut circuit = self.healthy.get(draw)?.clone();
        let [a, b] = *self.severity.get(draw)?;
        harm(&mut circuit, &[(first, a), (second, b)]);
        Some(circuit)
    }

    /// The grid of a point, made once and kept.
    pub(super) fn grid(&self, noted: Noted) -> Arc<Grid> {
        let place = self.noticed_at.iter().position(|(at, _)| key(noted).0 == key((*at).into()).0);
        match place.and_then(|place| self.noticed_grids().get(place).cloned()) {
            Some(grid) => grid,
            None => kept_or(&self.kept, KEPT_POINTS, key(noted).0, || Grid::new(noted, self.harms.len())),
        }
    }

    /// The place of a harm among the harms.
    pub(super) fn place(&self, harm: Harm) -> usize {
        self.harms.binary_search(&harm).unwrap_or(0)
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
            let (sound, places) = (self.healthy.get(draw)?, grid.sound.get_or_init(|| (0..DRAWS).map(|_| OnceLock::new()).collect()));
            let beside = places.get(draw)?.get_or_init(|| {
                let (key, noted) = key(grid.at);
                sound.beside(self.stood(key, noted, draw))
            });
            Some(harmed.port_kpa_beside(sound, beside) as f32)
        };
        let solved = solve().unwrap_or(0.0);
        kept.store(solved.to_bits(), Relaxed);
        f64::from(solved)
    }

    /// Slopes at a point and ratios from there to another, for the first draws of every harm.
    pub(super) fn near(&self, at: Working, to: Working) -> Arc<Vec<Near>> {
        let ((from, at), (end, to)) = (key(at.into()), key(to.into()));
        kept_or(&self.near, KEPT_WAYS, (from, end), || {
            self.around(at.at, |circuit, here| if to.at == at.at { 1.0 } else { circuit.port_kpa(to.at) / here })
        })
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

    /// Healthy engines with their weights, for whoever asks what is believed before anything is read.
    pub(super) fn healthy(&self) -> impl Iterator<Item = (&Circuit, f64)> {
        self.healthy.iter().zip(self.prior_weight.iter().copied())
    }
}

/// Weight of a healthy engine by what is on paper and by what engines mostly show at half their rated speed.
fn prior_weight(circuit: &Circuit, spec: &[PointOfSpec], half_rpm: f64) -> f64 {
    let misses = |far: f64, soft: f64| 0.5 * (far.max(0.0) / soft).powi(2);
    let mut off = 0.0;
    for point in spec {
        let kpa = circuit.port_kpa(Working { rpm: point.rpm, oil_temp_c: point.oil_temp_c }).max(1.0);
        if let Some(min) = point.min_kpa {
            let printed = (min.max(1.0) / kpa).ln();
            off += misses(printed - PRINTED.1.ln(), PRINTED_SOFT.1) + misses(PRINTED.0.ln() - printed, PRINTED_SOFT.0);
        }
        if let Some(max) = point.max_kpa {
            off += misses((kpa / max.max(1.0)).ln(), PRINTED_SOFT.1);
        }
    }
    let paper = 1.0 / PAPER + (1.0 - 1.0 / PAPER) * (-off).exp();
    let half = (circuit.port_kpa(Working { rpm: half_rpm, oil_temp_c: HOT_C }).max(1.0) / HALF_SPEED_KPA).ln();
    paper * (-0.5 * (half / HALF_SPEED_SD_LN).powi(2)).exp()
}

/// The sheet's least pressure near a point, 0 where it names none.
fn least_kpa(spec: &[PointOfSpec], at: Working) -> f64 {
    spec.iter()
        .filter(|point| (point.rpm / at.rpm - 1.0).abs() < 0.15 && (point.oil_temp_c - at.oil_temp_c).abs() < 25.0)
        .filter_map(|point| point.min_kpa)
        .fold(0.0, f64::max)
}

/// The faults of a hypothesis.
pub(super) fn harm_of(know: &Knowledge, hypothesis: &Hypothesis) -> Harm {
    let fault = |cause: usize| know.causes.get(cause).map_or(Fault::None, |cause| cause.fault);
    (fault(hypothesis.first), hypothesis.second.map_or(Fault::None, fault))
}
