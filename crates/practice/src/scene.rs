//! A scene: what the trainee gets, and what only the bench knows.
use crate::condition::{Condition, Now};
use crate::grade::{Grade, Mix};
use crate::written::SheetWritten;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::collections::BTreeMap;
use velvet_dial_core::case::Case;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::{BANDS, Check, Hypothesis, Link, ShownAs, knowledge};
use velvet_dial_core::limits::Sheet;
use velvet_dial_core::trace::pick;
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_engines::{Blind, Engine, HABITS, keep_what_shows, noted_kpa};

/// A pressure that has gone so far from what the engine made when sound is complained of, though the sheet is kept.
const NOTICED: f64 = 1.0 / 3.0;
/// A first issue asks so many times what the sheet in force asks.
const OLD_ASKS: f64 = 1.25;
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
    /// What checks show by the word of whoever wrote the scene, by check.
    shown: BTreeMap<String, usize>,
    /// The shop has an old sheet in the place of the one in force.
    old_sheet: Option<Sheet>,
}

/// A scene that somebody wrote.
#[derive(Debug, Clone)]
pub struct Wish<'a> {
    /// What its engine is drawn from, and the maker.
    pub seed: u64,
    pub maker: Option<&'a str>,
    pub grade: Grade,
    /// The hypothesis, by its place.
    pub truth: usize,
    /// How bad it is; none where that is left open.
    pub slight: Option<bool>,
    /// How far the gauge is off at rest, kPa.
    pub gauge_off_kpa: Option<f64>,
    /// What the customer says.
    pub told: &'a [String],
    /// What checks show whatever the fault shows, by check.
    pub shown: BTreeMap<String, usize>,
    /// Which sheet the shop has.
    pub sheet: SheetWritten,
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
            let is_old = rng.random::<f64>() < mix.old_sheet;
            let old_sheet = blind.case.spec.clone().filter(|_| is_old).map(first_issue);
            Some(Self { seed, grade, blind, gauge_off, told, shown: BTreeMap::new(), old_sheet })
        })
    }

    /// A scene as it was written; none where two hundred engines of this maker in a row cannot have such a fault, or hide it too well.
    pub fn written(wish: &Wish<'_>) -> Option<Self> {
        let know = knowledge();
        let maker = HABITS.iter().position(|habit| Some(habit.name) == wish.maker);
        let conforms = know.hypotheses.get(wish.truth).and_then(|one| know.causes.get(one.first)).is_some_and(|cause| cause.conforms);
        (0..TRIES).find_map(|again| {
            let mut rng = ChaCha8Rng::seed_from_u64(wish.seed.wrapping_mul(1_000_003).wrapping_add(again));
            let habit = HABITS.get(maker.unwrap_or_else(|| rng.random_range(0..HABITS.len())))?;
            let mut blind = Engine::drawn(habit, &mut rng).with(know, wish.truth, NOTICED, &mut rng)?;
            let as_bad = wish.slight.is_none_or(|slight| slight == blind.state.is_multiple_of(BANDS)) || conforms;
            if wish.sheet != SheetWritten::None && blind.case.spec.is_none() || !as_bad {
                return None;
            }
            if wish.sheet == SheetWritten::None {
                blind.case.spec = None;
            }
            let old_sheet = blind.case.spec.clone().filter(|_| wish.sheet == SheetWritten::Old).map(first_issue);
            let blind = match wish.gauge_off_kpa {
                Some(kpa) => blind.with_gauge_off(kpa, 1.0),
                None => blind,
            };
            let gauge_off = wish.gauge_off_kpa.is_some();
            Some(Self {
                seed: wish.seed,
                grade: wish.grade,
                blind,
                gauge_off,
                told: wish.told.to_vec(),
                shown: wish.shown.clone(),
                old_sheet,
            })
        })
    }

    pub(crate) fn blind(&self) -> &Blind {
        &self.blind
    }

    /// The causes that it came with; none where its oil system is OK. What leaked is filled up along with the repair of the leak.
    pub fn faults(&self) -> impl Iterator<Item = usize> {
        let filled = self.filled_with_leak().map(|[_, low]| low);
        self.blind.causes().filter(move |cause| Some(*cause) != filled).filter(|cause| !is(*cause, "within_spec"))
    }

    /// The leak and the low oil that it led to.
    fn filled_with_leak(&self) -> Option<[usize; 2]> {
        let truth = self.truth().filter(|one| one.link == Link::Linked)?;
        truth.second.filter(|second| is(*second, "oil_low")).map(|low| [truth.first, low])
    }

    /// The cause is gone once these are repaired: it is one of them, or low oil whose leak is.
    pub(crate) fn is_gone(&self, cause: usize, repaired: &[usize]) -> bool {
        repaired.contains(&cause) || self.filled_with_leak().is_some_and(|[leak, low]| cause == low && repaired.contains(&leak))
    }

    /// The cause is part of what it came with.
    pub fn holds(&self, cause: usize) -> bool {
        self.truth().is_some_and(|truth| truth.holds(cause))
    }

    /// The vehicle as it is after what was done to it.
    pub fn now<'a>(&'a self, condition: &'a Condition) -> Now<'a> {
        Now::of(self, condition)
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
        [self.blind.standing(|_| false, &[]), self.blind.standing(|_| true, &[])].map(|engine| engine.true_kpa(at))
    }

    /// Pressures along the oil behind the pump, in the gallery, at its end and in the head, broken and before it was, kPa: for the replay alone.
    pub fn stations_kpa(&self, at: Working) -> [[f64; 4]; 2] {
        [self.blind.standing(|_| false, &[]), self.blind.standing(|_| true, &[])].map(|engine| engine.stations_kpa(at))
    }

    /// Where the gauge's needle rests with its line open, kPa.
    pub fn at_rest_kpa(&self) -> f64 {
        self.blind.at_rest_kpa()
    }

    /// The gauge is off, which the look at its zero shows.
    pub fn gauge_is_off(&self) -> bool {
        self.gauge_off
    }

    /// What the trainee has before the first act: card, sheet, gauge, what the customer says. No reading.
    pub fn brief(&self) -> Case {
        let spec = self.old_sheet.clone().or_else(|| self.blind.case.spec.clone());
        Case { readings: Vec::new(), circumstances: self.told.clone(), spec, ..self.blind.case.clone() }
    }

    /// The sheet in force, where the shop has an old one: it is for whoever asks the maker.
    pub fn sheet_in_force(&self) -> Option<&Sheet> {
        self.blind.case.spec.as_ref().filter(|_| self.old_sheet.is_some())
    }

    /// The brief with the readings that a run takes, noted as a technician would who has asked for the sheet in force.
    pub fn read(&self) -> Case {
        let mut readings = self.blind.case.readings.clone();
        for reading in &mut readings {
            let at = Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c };
            if self.gauge_off {
                reading.kpa = noted_kpa(&self.blind.case.gauge(reading), self.gauge_kpa(at));
            }
        }
        Case { readings, spec: self.blind.case.spec.clone(), ..self.brief() }
    }

    /// An outcome that a state is known to show, the same one whenever it is asked for.
    fn plainly(&self, check: &Check, state: usize) -> usize {
        let mut row: Vec<f64> = (0..check.outcomes.len()).map(|outcome| check.likelihood(state, outcome)).collect();
        keep_what_shows(&mut row);
        let place = knowledge().checks.iter().position(|one| one.id == check.id).unwrap_or_default() as u64;
        pick(&row, ChaCha8Rng::seed_from_u64(self.seed ^ (place << 32)).random())
    }

    /// What a cause alone would show at a check, as bad as this scene's is.
    pub(crate) fn shows(&self, check: &Check, cause: usize) -> usize {
        let alone = knowledge().hypotheses.iter().position(|one| one.first == cause && one.second.is_none()).unwrap_or_default();
        self.plainly(check, alone * BANDS + self.blind.state % BANDS)
    }
}

/// The first issue of a sheet, which asks more than the one in force.
fn first_issue(mut sheet: Sheet) -> Sheet {
    for point in &mut sheet.points {
        point.min_kpa = point.min_kpa.map(|kpa| (kpa * OLD_ASKS / 10.0).round() * 10.0);
    }
    sheet.source = format!("{}, first issue", sheet.source).trim_start_matches(", ").to_owned();
    sheet
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

pub(crate) fn is(cause: usize, id: &str) -> bool {
    knowledge().causes.get(cause).is_some_and(|cause| cause.id == id)
}

/// What a customer may say that has nothing to do with the fault: nothing that was done to the vehicle, since that would be a lie, and nothing that stops the engine.
fn misleads(id: &str, told: &[String]) -> bool {
    const SAID: [&str; 7] = ["oil_neglected", "long_idling", "short_trips", "oil_topped_often", "whine", "stood_long", "lamp_only_hot"];
    SAID.contains(&id) && !told.iter().any(|one| one == id)
}

impl Vehicle for Scene {
    fn gauge_kpa(&self, at: Working) -> f64 {
        self.blind.shows_kpa(at.rpm, at.oil_temp_c)
    }

    fn outcome(&self, check: &str) -> usize {
        let bad_gauge = self.gauge_off
            || self.truth().is_some_and(|one| knowledge().causes.get(one.first).is_some_and(|c| c.reading == ShownAs::Distorted));
        if let Some(outcome) = self.shown.get(check) {
            return *outcome;
        }
        match knowledge().check(check) {
            Some(row) if check == "gauge_zero" => row.outcome(if bad_gauge { "off" } else { "at_zero" }).unwrap_or(0),
            Some(row) if self.grade.mix().clear => self.plainly(row, self.blind.state),
            _ => self.blind.answering(false).outcome(check),
        }
    }

    fn is_cured_by(&self, cause: usize) -> bool {
        self.faults().all(|fault| fault == cause) && self.holds(cause)
    }
}
