//! A scene: what the trainee gets, and what only the bench knows.
use crate::grade::{Grade, Mix};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use velvet_dial_core::case::{Case, Evidence};
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::{BANDS, Check, Hypothesis, Link, ShownAs, knowledge};
use velvet_dial_core::trace::pick;
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_engines::{Blind, Engine, HABITS};

/// A pressure that has gone so far from what the engine made when sound is complained of, though the sheet is kept.
const NOTICED: f64 = 1.0 / 3.0;
/// An outcome counts as what a fault shows when it is at least this share as frequent as the most frequent one.
const SHOWS: f64 = 0.5;
/// Engines that are drawn until one has a fault that somebody would notice.
const TRIES: u64 = 200;

/// A vehicle with a hidden fault.
#[derive(Debug, Clone)]
pub struct Scene {
    /// All of it follows from this and the grade.
    pub seed: u64,
    /// How hard it is.
    pub grade: Grade,
    blind: Blind,
    gauge_off: bool,
    told: Vec<String>,
}

impl Scene {
    /// The scene of a seed; the same one whenever it is drawn. None where two hundred engines in a row hide their fault too well, which none of a thousand seeds does.
    pub fn drawn(seed: u64, grade: Grade) -> Option<Self> {
        let know = knowledge();
        let mix = grade.mix();
        (0..TRIES).find_map(|again| {
            let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(1_000_003).wrapping_add(again * 16 + grade as u64));
            let habit = HABITS.get(rng.random_range(0..HABITS.len()))?;
            let engine = Engine::drawn(habit, &mut rng);
            let priors = know.priors(engine.layout());
            let truth = truth(grade, mix, &priors, &mut rng)?;
            let blind = engine.with(know, truth, NOTICED, &mut rng)?;
            let gauge_off = rng.random::<f64>() < mix.gauge_off;
            let blind = if gauge_off {
                let (offset, low) = (20.0 + 40.0 * rng.random::<f64>(), rng.random());
                blind.with_gauge_off(if low { -offset } else { offset }, 1.0)
            } else {
                blind
            };
            let mut told = blind.told.clone();
            let others: Vec<&str> = know.circumstances.iter().map(|one| one.id.as_str()).filter(|id| misleads(id, &told)).collect();
            for _ in 0..mix.misleading {
                let one = others.get(rng.random_range(0..others.len().max(1))).map(|id| (*id).to_owned());
                told.extend(one.filter(|one| !told.contains(one)));
            }
            Some(Self { seed, grade, blind, gauge_off, told })
        })
    }

    /// The hidden fault, for marks and replay alone.
    pub fn truth(&self) -> Option<&'static Hypothesis> {
        knowledge().hypotheses.get(self.blind.truth)
    }

    /// How bad it is.
    pub fn is_slight(&self) -> bool {
        self.blind.state.is_multiple_of(BANDS)
    }

    /// What a perfect gauge shows, broken and before it was, kPa: for the replay alone.
    pub fn true_kpa(&self, at: Working) -> [f64; 2] {
        self.blind.true_kpa(at)
    }

    /// What the gauge shows after these repairs, kPa.
    pub fn gauge_after_kpa(&self, at: Working, repaired: &[usize]) -> f64 {
        if repaired.iter().any(|cause| self.is_cured_by(*cause)) { self.blind.repaired_kpa(at) } else { self.gauge_kpa(at) }
    }

    /// What a check shows after these repairs, as the place of its outcome: once the fault is gone, what it shows of a sound engine.
    pub fn outcome_after(&self, check: &str, repaired: &[usize]) -> usize {
        let cured = repaired.iter().any(|cause| self.is_cured_by(*cause));
        let usual = knowledge().check(check).filter(|_| cured && check != "gauge_zero").map(|row| &row.usual.p);
        usual
            .and_then(|p| p.iter().enumerate().max_by(|a, b| a.1.total_cmp(b.1)).map(|(place, _)| place))
            .unwrap_or_else(|| self.outcome(check))
    }

    /// The gauge is off, which the look at its zero shows.
    pub fn gauge_is_off(&self) -> bool {
        self.gauge_off
    }

    /// What the trainee has before the first act: card, sheet, gauge, what the customer says. No reading.
    pub fn brief(&self) -> Case {
        Case { readings: Vec::new(), circumstances: self.told.clone(), ..self.blind.case.clone() }
    }

    /// The brief with the readings that a run takes, noted as a technician would, with what was found so far.
    pub fn read(&self, evidence: Vec<Evidence>) -> Case {
        let mut readings = self.blind.case.readings.clone();
        for reading in &mut readings {
            let at = Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c };
            if self.gauge_off {
                let step = 0.5 * self.blind.case.gauge(reading).graduation_kpa;
                reading.kpa = (self.gauge_kpa(at) / step).round() * step;
            }
        }
        Case { readings, evidence, ..self.brief() }
    }

    /// An outcome that this fault is known to show, the same one whenever it is asked for.
    fn plainly(&self, check: &Check) -> usize {
        let row: Vec<f64> = (0..check.outcomes.len()).map(|outcome| check.likelihood(self.blind.state, outcome)).collect();
        let most = row.iter().copied().fold(0.0, f64::max);
        let shown: Vec<f64> = row.into_iter().map(|p| if p < SHOWS * most { 0.0 } else { p }).collect();
        let place = knowledge().checks.iter().position(|one| one.id == check.id).unwrap_or_default() as u64;
        pick(&shown, ChaCha8Rng::seed_from_u64(self.seed ^ (place << 32)).random())
    }

    fn answers_clearly(&self) -> bool {
        self.grade.mix().clear
    }
}

/// The hypothesis of a scene, by its place.
fn truth(grade: Grade, mix: Mix, priors: &[f64], rng: &mut ChaCha8Rng) -> Option<usize> {
    let know = knowledge();
    let u: f64 = rng.random();
    let link = match u {
        u if u < mix.no_fault => return know.hypotheses.iter().position(|one| one.second.is_none() && is(one.first, "within_spec")),
        u if u < mix.no_fault + mix.linked => Link::Linked,
        u if u < mix.no_fault + mix.linked + mix.together => Link::Together,
        _ => Link::Alone,
    };
    let may = |cause: usize| know.causes.get(cause).is_some_and(|cause| grade.may_have(&cause.id));
    let states = know.state_priors(priors);
    let weights: Vec<f64> = know
        .hypotheses
        .iter()
        .enumerate()
        .map(|(place, one)| {
            let wanted = one.link == link && may(one.first) && one.second.is_none_or(may);
            if wanted { states.iter().skip(place * BANDS).take(BANDS).sum() } else { 0.0 }
        })
        .collect();
    (weights.iter().sum::<f64>() > 0.0).then(|| pick(&weights, rng.random()))
}

fn is(cause: usize, id: &str) -> bool {
    knowledge().causes.get(cause).is_some_and(|cause| cause.id == id)
}

/// What a customer may say that has nothing to do with the fault: nothing that was done to the vehicle, since that would be a lie, and nothing that stops the engine.
fn misleads(id: &str, told: &[String]) -> bool {
    const SAID: [&str; 7] = ["oil_neglected", "long_idling", "short_trips", "oil_topped_often", "whine", "stood_long", "lamp_only_hot"];
    SAID.contains(&id) && !told.iter().any(|one| one == id)
}

impl Vehicle for Scene {
    fn gauge_kpa(&self, at: Working) -> f64 {
        self.blind.answering(true).gauge_kpa(at)
    }

    fn outcome(&self, check: &str) -> usize {
        let bad_gauge = self.gauge_off
            || self.truth().is_some_and(|one| knowledge().causes.get(one.first).is_some_and(|c| c.reading == ShownAs::Distorted));
        match knowledge().check(check) {
            Some(row) if check == "gauge_zero" => row.outcome(if bad_gauge { "off" } else { "at_zero" }).unwrap_or(0),
            Some(row) if self.answers_clearly() => self.plainly(row),
            _ => self.blind.answering(false).outcome(check),
        }
    }

    fn is_cured_by(&self, cause: usize) -> bool {
        self.truth().is_some_and(|one| match one.link {
            // Two that met are both to be repaired; whoever names one of them has found a cause.
            Link::Together => one.holds(cause),
            _ => one.first == cause,
        })
    }
}
