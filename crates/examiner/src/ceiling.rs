//! The most that the readings could tell: how often the true cause is named by somebody who knows this very engine as it was when sound, every fault as its maker's
//! engines have it, and how gauge and thermometer err. Nobody knows as much of an engine that is brought in, so the tracer is held against this and not against all.
use crate::score::Tally;
use crate::{Options, SHOWN_BY_PRESSURE};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use velvet_dial_core::case::Reading;
use velvet_dial_core::knowledge::{BANDS, Knowledge, Link, knowledge};
use velvet_dial_core::trace::Posterior;
use velvet_dial_engines::{Blind, Engine, HABITS, Habit};

/// Engines drawn of each cause, each with a severity of its own.
const FAULTS: usize = 40;
/// What a reading is off beside the gauge's class: needle and graduation, kPa, and speed and temperature as a share, with a probe and estimated.
const NEEDLE_KPA: f64 = 4.0;
const HELD: f64 = 0.02;
const ESTIMATED: f64 = 0.06;

/// By rival, the thirteen from the pressures alone.
pub fn ceiling(options: Options) -> Vec<(&'static str, Tally)> {
    let know = knowledge();
    let asked = |(_, habit): &(usize, &'static Habit)| habit.tuned_on == options.tuned_on;
    let of_rival = |(rival, habit): (usize, &'static Habit)| {
        let engines: Vec<Tally> =
            (0..options.engines).into_par_iter().map(|engine| of_engine(know, options, (rival, engine), habit)).collect();
        let mut all = Tally::default();
        engines.into_iter().for_each(|one| all.add(one));
        (habit.name, all)
    };
    HABITS.iter().enumerate().filter(asked).map(of_rival).collect()
}

fn of_engine(know: &Knowledge, options: Options, (rival, engine): (usize, usize), habit: &Habit) -> Tally {
    let mut rng = ChaCha8Rng::seed_from_u64(options.seed_of(rival, engine));
    let drawn = Engine::drawn(habit, &mut rng);
    let shares = know.priors(drawn.layout());
    let mut blind = |cause: usize| drawn.with(know, cause, options.noticed, &mut rng);
    let cases: Vec<Blind> = (0..know.causes.len()).filter_map(&mut blind).collect();
    let known: Vec<Vec<Blind>> = (0..know.causes.len()).map(|cause| (0..FAULTS).filter_map(|_| blind(cause)).collect()).collect();
    let mut all = Tally::default();
    for case in &cases {
        let Some(hypothesis) = know.hypotheses.get(case.truth) else { continue };
        if !know.causes.get(hypothesis.first).is_some_and(|cause| SHOWN_BY_PRESSURE.contains(&cause.id.as_str())) {
            continue;
        }
        let mut states = vec![0.0; know.states()];
        for (cause, (engines, share)) in known.iter().zip(&shares).enumerate() {
            let fits: f64 = engines.iter().map(|engine| fits(&drawn, engine, &case.case.readings)).sum();
            let place = know.hypotheses.iter().position(|hypothesis| hypothesis.first == cause && hypothesis.link == Link::Alone);
            for band in 0..BANDS {
                if let Some(state) = place.and_then(|place| states.get_mut(place * BANDS + band)) {
                    *state = share * fits / engines.len().max(1) as f64 / BANDS as f64;
                }
            }
        }
        let sum: f64 = states.iter().sum::<f64>().max(f64::MIN_POSITIVE);
        states.iter_mut().for_each(|state| *state /= sum);
        all.add(Tally::of(know, hypothesis, &Posterior::of_states(know, states)));
    }
    all
}

/// How well readings fit an engine whose fault is known, up to a factor that is the same for all engines.
fn fits(drawn: &Engine, engine: &Blind, readings: &[Reading]) -> f64 {
    let log = |reading: &Reading| {
        let kpa = engine.shows_kpa(reading.rpm, drawn.true_c(reading));
        let held = if reading.oil_temp_estimated { ESTIMATED } else { HELD };
        let sd = NEEDLE_KPA.hypot(drawn.gauge_kpa()).hypot(held * kpa);
        -0.5 * ((reading.kpa - kpa) / sd).powi(2) - sd.ln()
    };
    readings.iter().map(log).sum::<f64>().exp()
}
