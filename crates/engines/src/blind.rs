//! A blind case: what a technician would have on paper of an engine whose fault only the examiner knows.
use crate::build::{Made, between, healthy, scatter};
use crate::engine::{Engine as Built, port_kpa};
use crate::habit::Habit;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::case::{Case, Reading};
use velvet_dial_core::circuit::{Fault, Layout, Port, Working};
use velvet_dial_core::instrument::{Instrument, Kind};
use velvet_dial_core::knowledge::{BANDS, Check, Hypothesis, Knowledge, Link, SLIGHT_UNDER, ShownAs, knowledge};
use velvet_dial_core::trace::{leader_of, pick};
use velvet_dial_core::vehicle::Vehicle;

/// An engine with its four points of the run: cold idle, hot idle, two held speeds.
#[derive(Debug, Clone)]
pub struct Engine {
    made: Made,
    points: [(f64, f64); 4],
    /// Which of them are read, and whether hot idle is read again at the end.
    read: ([bool; 4], bool),
    gauge: Instrument,
    /// The oil is so much colder than the technician estimates, K; none with a probe.
    lags_k: Option<f64>,
}

/// A case and its secret.
#[derive(Debug, Clone)]
pub struct Blind {
    pub case: Case,
    /// The hypothesis it was drawn from, by index.
    pub truth: usize,
    /// The same with how bad it is: a state of the knowledge.
    pub state: usize,
    /// What every check would answer, by check: as the fault shows it, and as the tables have it.
    pub answers: [Vec<usize>; 2],
    /// What was told at intake.
    pub told: Vec<String>,
    /// A hot reading is under the sheet's least, in truth.
    pub below: bool,
    engine: Box<dyn Built>,
    /// The same engine before it was broken.
    sound: Box<dyn Built>,
    lies: Lies,
    broken: Broken,
}

/// How the engine was broken, so that some of it can be repaired.
#[derive(Debug, Clone)]
struct Broken {
    /// By cause.
    faults: Vec<(usize, Fault)>,
    severity: f64,
    /// What the sizes of its faults are drawn from.
    rng: ChaCha8Rng,
}

/// The engine as it stands at one moment: some of its causes repaired, others come since.
#[derive(Debug)]
pub struct Standing {
    engine: Box<dyn Built>,
    port: Port,
    lies: Lies,
}

impl Standing {
    /// What a perfect gauge would show at the port, kPa.
    pub fn true_kpa(&self, at: Working) -> f64 {
        port_kpa(&*self.engine, self.port, at.rpm, at.oil_temp_c)
    }

    /// What the gauge shows, kPa.
    pub fn shows_kpa(&self, at: Working) -> f64 {
        self.lies.shown(self.true_kpa(at))
    }

    /// Along the oil: behind the pump, in the gallery, at its end, in the head, kPa.
    pub fn stations_kpa(&self, at: Working) -> [f64; 4] {
        [Port::BeforeFilter, Port::AfterFilter, Port::GalleryEnd, Port::Head]
            .map(|port| port_kpa(&*self.engine, port, at.rpm, at.oil_temp_c))
    }
}

/// How a gauge lies.
#[derive(Debug, Clone, Copy)]
struct Lies {
    class_kpa: f64,
    offset_kpa: f64,
    slope: f64,
}

impl Blind {
    /// The vehicle that answers: clearly, as its fault shows it, or as the tables have it, in which sound parts are mistaken and broken ones missed.
    pub fn answering(&self, clear: bool) -> Answering<'_> {
        Answering { blind: self, clear }
    }

    /// The same engine read with a gauge that is off: so much at rest, and so much in its slope.
    pub fn with_gauge_off(mut self, offset_kpa: f64, slope: f64) -> Self {
        self.lies = Lies { offset_kpa, slope, ..self.lies };
        self
    }

    /// The engine once these causes are repaired, with faults that have come since, each with how bad it is from 0 to 1. What is left of the old ones is as bad as it was.
    pub fn standing(&self, repaired: impl Fn(usize) -> bool, since: &[(Fault, f64)]) -> Standing {
        let mut rng = self.broken.rng.clone();
        let (mut engine, mut mended) = (self.sound.clone(), self.sound.clone());
        for (cause, fault) in &self.broken.faults {
            let target = if repaired(*cause) { &mut mended } else { &mut engine };
            target.break_it(*fault, self.broken.severity, &mut rng);
        }
        for (fault, severity) in since {
            engine.break_it(*fault, *severity, &mut rng);
        }
        Standing { engine, port: self.case.engine.layout.port, lies: self.lies }
    }

    /// Where the needle rests with the line open, kPa: under nothing where it is bent below its pin.
    pub fn at_rest_kpa(&self) -> f64 {
        self.lies.offset_kpa + 0.8 * self.lies.class_kpa
    }

    /// The causes that are in it, what came first before what it led to.
    pub fn causes(&self) -> impl Iterator<Item = usize> {
        self.broken.faults.iter().map(|(cause, _)| *cause)
    }

    /// What this engine's gauge would show at another point.
    pub fn shows_kpa(&self, rpm: f64, temp_c: f64) -> f64 {
        self.lies.shown(port_kpa(&*self.engine, self.case.engine.layout.port, rpm, temp_c))
    }
}

/// A blind case that answers, in one of its two manners.
#[derive(Debug, Clone, Copy)]
pub struct Answering<'a> {
    blind: &'a Blind,
    clear: bool,
}

impl Vehicle for Answering<'_> {
    fn gauge_kpa(&self, at: Working) -> f64 {
        self.blind.shows_kpa(at.rpm, at.oil_temp_c)
    }

    fn outcome(&self, check: &str) -> usize {
        let [clear, tables] = &self.blind.answers;
        let answers = if self.clear { clear } else { tables };
        knowledge().checks.iter().zip(answers).find(|(known, _)| known.id == check).map_or(0, |(_, outcome)| *outcome)
    }

    fn is_cured_by(&self, cause: usize) -> bool {
        knowledge().hypotheses.get(self.blind.truth).is_some_and(|hypothesis| is_true(hypothesis, cause))
    }
}

impl Lies {
    fn shown(self, kpa: f64) -> f64 {
        (kpa * self.slope + self.offset_kpa + 0.8 * self.class_kpa).max(0.0)
    }
}

/// Share of wrong answers on top of what the checks themselves miss.
const WRONG: f64 = 0.05;
/// Share of findings that are overlooked where answers are as the tables have them: the part is taken for a sound one.
const OVERLOOKED: f64 = 0.1;
/// Share of the runs without a probe, and how far the oil lags what is then estimated, K.
const ESTIMATED: f64 = 0.3;
const LAGS_K: f64 = 12.0;
/// An outcome counts as what a fault shows when it is at least this share as frequent as the most frequent one.
const SHOWS: f64 = 0.5;
/// How far the examiner's tables stray from the tracer's: standard deviation of the logarithm of every entry.
const PERTURBED_SD_LN: f64 = 0.5;
/// Place of hot idle among the points of a run.
const HOT_IDLE: usize = 1;
/// Severities tried until a fault is bad enough to be complained of.
const TRIES: usize = 12;

impl Engine {
    pub fn drawn(habit: &Habit, rng: &mut ChaCha8Rng) -> Self {
        let made = healthy(habit, rng);
        let idle = made.card.idle_rpm;
        let cold = between(rng, 5.0, 28.0).round();
        let hot = made.hot_c + between(rng, -4.0, 6.0);
        let [middle, fast] = made.fast_rpm;
        let mut near_hot = |rpm: f64| (rpm, (hot + between(rng, -3.0, 4.0)).round());
        let points = [((1.1 * idle).round(), cold), near_hot(idle), near_hot(middle), near_hot(fast)];
        let class_percent = if rng.random() { 1.0 } else { 1.6 };
        let gauge =
            Instrument { kind: Kind::Bourdon, full_scale_kpa: 1000.0, class_percent, graduation_kpa: 20.0, ..Instrument::default() };
        let lags_k = (rng.random::<f64>() < ESTIMATED).then(|| between(rng, 0.0, LAGS_K).round());
        // Six in ten read all four; the others two or three, or one of them twice.
        let mut read = ([true; 4], false);
        match rng.random_range(0..10) {
            0 => read.1 = true,
            1 | 2 => read.0 = [false, true, rng.random(), true],
            3 => read.0 = [rng.random(), true, true, false],
            _ => {}
        }
        Self { made, points, read, gauge, lags_k }
    }

    /// How warm the oil truly was at a reading, but for what the thermometer is off, °C.
    pub fn true_c(&self, reading: &Reading) -> f64 {
        reading.oil_temp_c - self.lags_k.filter(|_| reading.oil_temp_c > 40.0).unwrap_or(0.0)
    }

    /// Standard deviation of what the gauge is off by its class, kPa.
    pub fn gauge_kpa(&self) -> f64 {
        self.gauge.class_percent / 100.0 * self.gauge.full_scale_kpa / 3f64.sqrt()
    }

    pub fn layout(&self) -> &Layout {
        &self.made.card.layout
    }

    /// The case of this engine with a hypothesis of the tracer's behind it; `None` when nothing about it would be complained of.
    pub fn with(&self, know: &Knowledge, truth: usize, noticed: f64, rng: &mut ChaCha8Rng) -> Option<Blind> {
        let hypothesis = know.hypotheses.get(truth)?;
        let cause = know.causes.get(hypothesis.first)?;
        let layout = &self.made.card.layout;
        if cause.needs.is_some_and(|part| !part.is_in(layout)) {
            return None;
        }
        let causes = [Some(hypothesis.first), hypothesis.second].into_iter().flatten();
        let faults: Vec<(usize, Fault)> = causes.filter_map(|cause| Some((cause, know.causes.get(cause)?.fault))).collect();
        let quiet = faults.iter().all(|(_, fault)| *fault == Fault::None);
        // An idle that is too low is read as it runs.
        let mut points = self.points;
        if cause.id == "idle_low" {
            let drop = between(rng, 0.15, 0.4);
            let [cold, hot, ..] = &mut points;
            (cold.0, hot.0) = ((cold.0 * (1.0 - drop)).round(), (hot.0 * (1.0 - drop)).round());
        }
        let sound = points.map(|(rpm, temp)| port_kpa(&*self.made.engine, layout.port, rpm, temp));
        for _ in 0..TRIES {
            let severity: f64 = rng.random();
            let mut engine = self.made.engine.clone();
            let broken = Broken { faults: faults.clone(), severity, rng: rng.clone() };
            for (_, fault) in &faults {
                engine.break_it(*fault, severity, rng);
            }
            let true_kpa = points.map(|(rpm, temp)| port_kpa(&*engine, layout.port, rpm, temp));
            if quiet || self.noticed(noticed, &points, &sound, &true_kpa) {
                let lies = self.lies(cause.reading, rng);
                let readings = self.read((cause.reading, lies), &points, &true_kpa, rng);
                let state = BANDS * truth + usize::from(severity >= SLIGHT_UNDER);
                let case = Case {
                    spec: self.made.sheet.clone(),
                    instruments: [("g".to_owned(), self.gauge.clone())].into(),
                    readings,
                    ..Case::of(self.made.card.clone())
                };
                let answers = [true, false]
                    .map(|clear| know.checks.iter().enumerate().map(|(index, check)| answer(check, index, state, clear, rng)).collect());
                let below = points.iter().zip(true_kpa).any(|((rpm, temp), kpa)| *temp > 60.0 && kpa < self.least_kpa(*rpm));
                return Some(Blind {
                    case,
                    truth,
                    state,
                    answers,
                    told: told(know, state, rng),
                    below,
                    engine,
                    sound: self.made.engine.clone(),
                    lies,
                    broken,
                });
            }
        }
        None
    }

    fn least_kpa(&self, rpm: f64) -> f64 {
        self.made.sheet.iter().flat_map(|sheet| &sheet.points).find(|p| p.rpm == rpm).and_then(|p| p.min_kpa).unwrap_or(0.0)
    }

    /// Somebody complains: a hot pressure under the sheet, or any that has gone so far, as a share, from what this engine made when sound.
    fn noticed(&self, share: f64, points: &[(f64, f64); 4], sound: &[f64; 4], now: &[f64; 4]) -> bool {
        points
            .iter()
            .zip(sound.iter().zip(now))
            .any(|((rpm, temp), (sound, now))| (now / sound.max(1.0) - 1.0).abs() > share || (*temp > 60.0 && *now < self.least_kpa(*rpm)))
    }

    /// How far the gauge is off: by its class, and where it is the fault at rest or in its slope.
    fn lies(&self, bears: ShownAs, rng: &mut ChaCha8Rng) -> Lies {
        let class_kpa = self.gauge.class_percent / 100.0 * self.gauge.full_scale_kpa * between(rng, -1.0, 1.0);
        let (offset_kpa, slope) = match bears {
            ShownAs::Distorted if rng.random() => (between(rng, 20.0, 80.0) * if rng.random() { 1.0 } else { -1.0 }, 1.0),
            ShownAs::Distorted => (0.0, between(rng, 0.55, 0.85)),
            _ => (0.0, 1.0),
        };
        Lies { class_kpa, offset_kpa, slope }
    }

    /// The readings off a real gauge: class, graduation, needle, a thermometer or an estimate and a tachometer that are a little off.
    fn read(&self, (bears, lies): (ShownAs, Lies), points: &[(f64, f64); 4], true_kpa: &[f64; 4], rng: &mut ChaCha8Rng) -> Vec<Reading> {
        let mut readings = Vec::new();
        let (taken, again) = self.read;
        let order = (0..4).filter(|place| taken.get(*place) == Some(&true)).chain(again.then_some(HOT_IDLE));
        let of = |place: usize| Some((points.get(place)?, true_kpa.get(place)?));
        for ((rpm, temp), kpa) in order.filter_map(of) {
            let strange = if bears == ShownAs::Anything { (0.5 * scatter(rng)).exp() } else { 1.0 };
            let held = 1.0 + 0.01 * scatter(rng);
            let shown = (lies.shown(kpa * strange * held) + 0.2 * lies.class_kpa.abs() * between(rng, -1.0, 1.0)).max(0.0);
            let noted = if *temp > 40.0 { temp + self.lags_k.unwrap_or_else(|| (1.5 * scatter(rng)).round()) } else { *temp };
            readings.push(Reading {
                oil_temp_estimated: self.lags_k.is_some(),
                spread_kpa: (0.01 * kpa).round(),
                instrument: Some("g".to_owned()),
                ..Reading::of(*rpm, noted, noted_kpa(&self.gauge, shown))
            });
        }
        readings
    }
}

/// An entry of the examiner's own tables: the tracer's, perturbed by a factor that belongs to this entry and stays the same.
fn perturbed(p: f64, place: (usize, usize, usize)) -> f64 {
    let (table, state, outcome) = place;
    let mut own = ChaCha8Rng::seed_from_u64(((table * 4096 + state / BANDS) * 64 + outcome) as u64);
    p * (PERTURBED_SD_LN * scatter(&mut own)).exp()
}

/// A check's answer. `clear`: an outcome that the fault is known to show, but for [`WRONG`] of the answers; else a draw from the examiner's whole
/// table, in which sound parts are mistaken and broken ones missed, and [`WRONG`] on top of that.
fn answer(check: &Check, index: usize, state: usize, clear: bool, rng: &mut ChaCha8Rng) -> usize {
    let outcomes = check.outcomes.len();
    let mut row: Vec<f64> = (0..outcomes).map(|outcome| perturbed(check.likelihood(state, outcome), (index, state, outcome))).collect();
    if clear {
        keep_what_shows(&mut row);
    }
    let overlooked = !clear && rng.random::<f64>() < OVERLOOKED;
    let sound = sound_outcome(check);
    let right = if overlooked { sound } else { pick(&row, rng.random()) };
    if rng.random::<f64>() < WRONG { (right + rng.random_range(1..outcomes.max(2))) % outcomes } else { right }
}

/// A pressure as it is read off a needle: to half a mark.
pub fn noted_kpa(gauge: &Instrument, kpa: f64) -> f64 {
    let step = 0.5 * gauge.graduation_kpa;
    (kpa / step).round() * step
}

/// Leaves of a check's outcomes those that a fault is known to show.
pub fn keep_what_shows(row: &mut [f64]) {
    let most = row.iter().copied().fold(0.0, f64::max);
    row.iter_mut().filter(|p| **p < SHOWS * most).for_each(|p| *p = 0.0);
}

/// What a check shows of a sound engine.
pub fn sound_outcome(check: &Check) -> usize {
    leader_of(&check.usual.p).unwrap_or(0)
}

fn told(know: &Knowledge, state: usize, rng: &mut ChaCha8Rng) -> Vec<String> {
    let mut told = Vec::new();
    for (index, circumstance) in know.circumstances.iter().enumerate() {
        let p = circumstance.likelihood(state);
        let yes = perturbed(p, (1000 + index, state, 0));
        let no = perturbed(1.0 - p, (1000 + index, state, 1));
        if rng.random::<f64>() < yes / (yes + no) {
            told.push(circumstance.id.clone());
        }
    }
    told
}

/// True when a cause counts as the true one of a hypothesis: what came first of a linked pair, either of two that met.
pub fn is_true(hypothesis: &Hypothesis, cause: usize) -> bool {
    match hypothesis.link {
        Link::Together => hypothesis.holds(cause),
        _ => hypothesis.first == cause,
    }
}
