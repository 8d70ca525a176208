//! The facade: everything that is known of a case.
//!
//! Steps: say which readings can be believed; judge each reading (its doubt needs the circuit's slopes there); weigh the believed before-readings together; a cause
//! under which the circuit is sound is held to the verdict; then what else the readings say (idle speed, slope), circumstances and outcomes, twins of one fact
//! lightened, and what was struck out; then the flag, because it decides what may be proposed; then the next step from where the bench stands, and whether learning
//! still pays.
use super::ready;
use super::takeable::takeable;
use super::verdict::{judge, verdict, weighable};
use super::{Basis, JudgedReading, Verdict};
use crate::case::{Case, Evidence, Phase, Reading, Slope, SpeedHeld};
use crate::circuit::{PointOfSpec, Working};
use crate::diagnosis::Curve;
use crate::experience::{Memory, raised};
use crate::flag::{Flag, Word, flag};
use crate::instrument::Sensitivity;
use crate::knowledge::{BANDS, Cause, Check, Knowledge, Link, knowledge};
use crate::plausibility::{NotBelieved, not_believed};
use crate::trace::{
    self, Allowed, Bearing, BenchState, Enough, Exclusion, Finding, Plan, Posterior, Pressures, Proposal, Situation, Takeable, Tracer,
    lightened, next_steps, settled, standing, state_of, weigh,
};
use chrono::{DateTime, Utc};
use std::sync::OnceLock;

/// What a sound circuit keeps of its odds when a point is surely outside its limit: the sheet may be for another engine. Outside a rule of thumb it keeps more.
const LEAST_CONFORMING: f64 = 1e-4;
const LEAST_BY_THUMB: f64 = 0.2;
/// Of the faulty engines that come in, the share that keeps every point of its sheet, over that of the sound ones: a lamp lights far under most sheets. With what
/// paper weighs among the draws this stays under the factor of five that limits alone may move the odds by.
const FAULTY_WITHIN: f64 = 0.25;
/// The same of those that keep a rule of thumb, which is no sheet.
const FAULTY_WITHIN_THUMB: f64 = 0.5;
/// Over what the rule asks for by this factor at every reading is as good as a sheet.
const FAR_OVER_THUMB: f64 = 1.5;
/// Fewest hot readings within the rule of thumb that say so.
const BY_THUMB_READINGS: usize = 2;
/// How often what cannot be believed is read with a gauge or line at fault, and otherwise.
const NOT_BELIEVED: (f64, f64) = (0.5, 0.03);
/// How often an idle is found low with each: where that is the fault, and otherwise; and how low, as shares of the card's.
const IDLE_LOW: (f64, f64) = (0.9, 0.02);
const IDLE_LOW_SHARES: (f64, f64) = (0.45, 0.87);
/// A pressure that a slope moves by more than this, as a share, was moved by it.
const MOVED_BY_SLOPE: f64 = 0.15;

/// What stands in the job beside the case file.
#[derive(Debug, Clone, Copy, Default)]
pub struct Setting<'a> {
    /// The moment it is asked at; without it an overruling of the flag is over.
    pub now: Option<DateTime<Utc>>,
    /// The shop's closed jobs on this engine family, in the place of those that the case carries.
    pub memory: Option<&'a Memory>,
    /// Causes struck out by a person.
    pub exclusions: &'a [Exclusion],
}

/// Everything that is known of a case.
#[derive(Debug, Clone)]
pub struct Diagnosis {
    /// Every reading, in the case's order.
    pub readings: Vec<JudgedReading>,
    /// Readings that cannot be believed.
    pub not_believed: Vec<NotBelieved>,
    /// Over the readings before.
    pub verdict: Verdict,
    /// Over the readings after it was put right.
    pub proof: Verdict,
    /// The odds of the causes before anything was found, with the shop's memory and the family's known patterns in them.
    pub priors: Vec<f64>,
    /// What moved the odds, in order: the readings, circumstances, outcomes, then what was struck out.
    pub findings: Vec<Finding>,
    /// The odds.
    pub posterior: Posterior,
    /// Probability that the circuit has no fault that its pressures could show.
    pub sound: f64,
    /// The draws as the readings weigh them, for the curves.
    pub pressures: Pressures,
    /// The state of the bench.
    pub bench: BenchState,
    /// Readings that could be taken; a step of [`crate::trace::Step::Reading`] names them by place.
    pub takeable: Vec<Takeable>,
    /// What can be done from here, best first.
    pub next: Vec<Proposal>,
    /// The cause that is certain enough to act on.
    pub settled: Option<usize>,
    /// A part that was itself seen or measured at fault, and is put right first.
    pub mend_now: Option<usize>,
    /// Good enough to act, and why; none while learning pays.
    pub enough: Option<Enough>,
    /// The flag.
    pub flag: Flag,
    /// What it draws on the pressure map, worked out when it is first asked for.
    pub curves: OnceLock<Vec<Curve>>,
    /// What the four orders may be expected to cost from here, likewise; whoever asks fills it.
    pub plans: OnceLock<Vec<Plan>>,
}

/// Diagnoses a case with the tracer of its engine.
pub fn diagnose(case: &Case, tracer: &Tracer, setting: &Setting) -> Diagnosis {
    let know = knowledge();
    let not_believed = not_believed(case);
    let weighed = weighable(case, &not_believed);
    let readings: Vec<JudgedReading> = case.readings.iter().enumerate().map(|(i, r)| judge(case, i, r, tracer)).collect();
    let before = verdict(case, Phase::Before, &readings, weighed);
    let proof = verdict(case, Phase::After, &readings, weighed);

    let run = bearings(case, weighed);
    let pressures = tracer.pressures(&run);
    let mut findings = Vec::new();
    if !run.is_empty() {
        findings.push(reading_finding(know, tracer, &pressures, (&before, on_a_gauge(&run))));
        findings.extend(idle_finding(know, case, weighed));
    }
    if !not_believed.is_empty() {
        findings.push(of_cause(know, "not_believed", "A reading that cannot be", "test_gauge", NOT_BELIEVED));
    }
    findings.extend(case.circumstances.iter().filter_map(|told| {
        let circumstance = know.circumstance(told)?;
        let log_likelihood = (0..know.states()).map(|state| circumstance.likelihood(state).ln()).collect();
        Some(Finding { key: told.clone(), label: circumstance.label.clone(), log_likelihood })
    }));
    findings.extend(slope_finding(know, case));
    findings.extend(case.weighed_evidence().flat_map(|entry| look_findings(know, entry)));
    let mut findings = lightened(know, findings);
    let struck = standing(know, setting.exclusions, &findings);
    findings.extend(struck);

    let own = know.priors(&case.engine.layout);
    let priors = match setting.memory.or(case.memory.as_ref()) {
        Some(memory) => memory.learn(know, &own).iter().map(|learned| learned.learned).collect(),
        None => own,
    };
    let priors = raised(know, priors, &case.known_patterns);
    let posterior = weigh(know, &priors, &findings);
    let flag = flag(case, setting.now);
    let bench = state_of(case, know);
    let takeable = takeable(case, tracer, &pressures, bench, weighed);
    let situation = around(case, (bench, &flag, &takeable));
    let next = next_steps(know, &posterior, &situation);
    let sound = know.sound(&posterior.states);
    let in_spec = ready::in_spec(&before, sound);
    let next: Vec<Proposal> = next.into_iter().filter(|proposal| !in_spec || ready::leaves_alone(proposal)).collect();
    // What the vehicle says of itself condemns nothing.
    let read = on_a_gauge(&run);
    let mend_now = ready::mend_now(know, case, &posterior);
    let enough = ready::enough(know, case, &posterior, (trace::enough(know, &posterior, &next), read, in_spec, mend_now));
    Diagnosis {
        sound,
        settled: settled(know, &posterior).filter(|cause| ready::may_act(know, case, *cause, read)),
        readings,
        not_believed,
        verdict: before,
        proof,
        priors,
        findings,
        mend_now,
        enough,
        posterior,
        pressures,
        bench,
        takeable,
        next,
        flag,
        curves: OnceLock::new(),
        plans: OnceLock::new(),
    }
}

impl Diagnosis {
    /// What stands around the next step of the case this was made of.
    pub fn situation<'a>(&self, case: &'a Case) -> Situation<'a> {
        around(case, (self.bench, &self.flag, &self.takeable))
    }
}

fn around<'a>(case: &'a Case, (bench, flag, takeable): (BenchState, &Flag, &[Takeable])) -> Situation<'a> {
    let know = knowledge();
    Situation {
        done: case.weighed_evidence().map(|entry| entry.check.as_str()).chain(case.put_off.iter().map(String::as_str)).collect(),
        allowed: Allowed::from(flag),
        found: case.weighed_evidence().flat_map(|entry| entry.seen().map(|outcome| (entry.check.as_str(), outcome))).collect(),
        overruled: flag.overruled.as_ref().and_then(|test| know.check(&test.check)).map(|check| check.id.as_str()),
        belt_in_oil: case.circumstances.iter().any(|told| told == "belt_driven_in_oil"),
        readings: takeable.to_vec(),
        pattern: case.pattern.as_ref().and_then(|cause| know.cause(cause)),
        times: case.times(),
        damage: ready::damage(know, case),
        open_first: flag.word == Word::DoNotRun,
        ..Situation::at(&case.engine, bench)
    }
}

/// The readings before that are weighed, as the tracer sees them.
pub(super) fn bearings(case: &Case, weighed: impl Fn(usize) -> bool) -> Vec<Bearing> {
    case.readings
        .iter()
        .enumerate()
        .filter(|(index, reading)| reading.phase == Phase::Before && weighed(*index))
        .map(|(_, reading)| {
            let gauge = case.gauge(reading);
            // The draws carry what temperature and speed do, so here the gauge speaks alone.
            let doubt = gauge.doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, Sensitivity::default());
            Bearing {
                at: Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c },
                temp_estimated: reading.oil_temp_estimated,
                speed_by_hand: reading.speed_held == Some(SpeedHeld::ByHand),
                kpa: reading.kpa,
                shows: reading.shown(),
                u_kpa: doubt.without_common_kpa(),
                vehicles_own: gauge.is_vehicles_own(),
                gauge: reading.instrument.as_deref().unwrap_or_default().into(),
                common_kpa: gauge.common_kpa(),
            }
        })
        .collect()
}

/// Something was read on a gauge and not only on the vehicle's own display.
pub(super) fn on_a_gauge(run: &[Bearing]) -> bool {
    run.iter().any(|bearing| !bearing.vehicles_own)
}

pub(super) fn reading_finding(
    know: &Knowledge,
    tracer: &Tracer,
    pressures: &Pressures,
    (verdict, on_a_gauge): (&Verdict, bool),
) -> Finding {
    let read = verdict.points.iter().filter_map(|point| point.reading.as_ref().map(|judged| judged.probability_conforms));
    let conforms = read.clone().fold(1.0, f64::min);
    let (conforms, faulty) = match verdict.basis {
        Basis::Sheet => {
            // A point that was not read is judged by what the readings at the others leave of a sound engine. That never condemns by more than a rule of thumb does.
            let unread: Vec<PointOfSpec> = verdict.missing().map(PointOfSpec::from).collect();
            // Without a single point read on a gauge nothing is inferred.
            let nothing = unread.len() == verdict.points.len();
            let inferred = if nothing { 1.0 } else { tracer.keeps(pressures, &unread).into_iter().fold(1.0, f64::min) };
            let all = if nothing { 0.0 } else { conforms.min(inferred) };
            // Every point of a sheet kept: what is faulty seldom comes in so.
            (conforms.max(LEAST_CONFORMING) * inferred.max(LEAST_BY_THUMB), 1.0 - (1.0 - FAULTY_WITHIN) * all)
        }
        Basis::RuleOfThumb if read.count() >= BY_THUMB_READINGS => {
            let over = verdict.points.iter().filter_map(|point| Some(point.reading.as_ref()?.measured_kpa / point.point.min_kpa?));
            let far = over.fold(f64::INFINITY, f64::min) >= FAR_OVER_THUMB;
            let within = if far { FAULTY_WITHIN } else { FAULTY_WITHIN_THUMB };
            (conforms.max(LEAST_BY_THUMB), 1.0 - (1.0 - within) * conforms)
        }
        Basis::RuleOfThumb => (conforms.max(LEAST_BY_THUMB), 1.0),
    };
    // What only the vehicle's own display says, a bad display says as well: then nothing speaks for a fault of the engine more than for sender or wire.
    let most = if on_a_gauge { f64::NEG_INFINITY } else { pressures.log_likelihood.iter().copied().fold(f64::NEG_INFINITY, f64::max) };
    let log_likelihood = know
        .hypotheses
        .iter()
        .zip(pressures.log_likelihood.chunks(BANDS))
        .flat_map(|(hypothesis, bands)| {
            let display = hypothesis.link == Link::Alone && know.causes.get(hypothesis.first).is_some_and(Cause::is_the_displays);
            let least = if display { most } else { f64::NEG_INFINITY };
            let keeps = |cause: &Cause| cause.conforms || cause.hidden;
            let keeps = hypothesis.link == Link::Alone && know.causes.get(hypothesis.first).is_some_and(keeps);
            let held = if keeps { conforms.ln() } else { faulty.ln() };
            bands.iter().map(move |log| log.max(least) + held)
        })
        .collect();
    Finding { key: "readings".into(), label: "The readings together".into(), log_likelihood }
}

/// What a look found. Where it found several things each speaks for itself: none of them speaks against a cause that another of them comes from.
fn look_findings(know: &Knowledge, entry: &Evidence) -> Vec<Finding> {
    let Some(check) = know.check(&entry.check) else { return Vec::new() };
    let mixed = entry.seen().nth(1).is_some();
    let one = |outcome: &str| {
        let mut finding = outcome_finding(know, check, outcome)?;
        if mixed {
            let usual = check.outcome(outcome).and_then(|index| check.usual.p.get(index)).map_or(f64::NEG_INFINITY, |p| p.ln());
            finding.log_likelihood.iter_mut().for_each(|log| *log = log.max(usual));
        }
        Some(finding)
    };
    entry.seen().filter_map(one).collect()
}

/// An outcome of a check.
fn outcome_finding(know: &Knowledge, check: &Check, outcome: &str) -> Option<Finding> {
    let index = check.outcome(outcome)?;
    let label = check.outcomes.get(index).map(|o| format!("{}: {}", check.ask, o.label))?;
    let log_likelihood = (0..know.states()).map(|state| check.likelihood(state, index).ln()).collect();
    Some(Finding { key: format!("{}={outcome}", check.id), label, log_likelihood })
}

/// A finding that one cause expects so often, and all others so often.
fn of_cause(know: &Knowledge, key: &str, label: &str, cause: &str, (with, without): (f64, f64)) -> Finding {
    let cause = know.cause(cause);
    let holds = |index: Option<usize>| cause.is_some() && index == cause;
    let log_likelihood = know
        .hypotheses
        .iter()
        .flat_map(|h| [if holds(Some(h.first)) || holds(h.second) { with.ln() } else { without.ln() }; BANDS])
        .collect();
    Finding { key: key.into(), label: label.into(), log_likelihood }
}

/// Whether the idle speed itself was found low; none where nothing was read near idle.
fn idle_finding(know: &Knowledge, case: &Case, weighed: impl Fn(usize) -> bool) -> Option<Finding> {
    let idle_rpm = case.engine.idle_rpm;
    let near = |reading: &Reading| {
        reading.phase == Phase::Before
            && reading.rpm > IDLE_LOW_SHARES.0 * idle_rpm
            && case.engine.idles_at(reading.rpm)
            && reading.gear == crate::unit::Gear::Neutral
    };
    let lowest =
        case.readings.iter().enumerate().filter(|(index, reading)| weighed(*index) && near(reading)).map(|(_, reading)| reading.rpm);
    let lowest = lowest.min_by(f64::total_cmp)?;
    let (with, without) = IDLE_LOW;
    Some(if lowest < IDLE_LOW_SHARES.1 * idle_rpm {
        of_cause(know, "idle_speed", "The idle speed is low", "idle_low", (with, without))
    } else {
        of_cause(know, "idle_speed", "The idle speed is right", "idle_low", (1.0 - with, 1.0 - without))
    })
}

/// A reading on a slope beside one on level ground is the check on ramps; none where that was done, or where one of the two is missing.
fn slope_finding(know: &Knowledge, case: &Case) -> Option<Finding> {
    let check = know.check("tilt")?;
    if case.weighed_evidence().any(|entry| entry.check == check.id) {
        return None;
    }
    let usable = |reading: &&Reading| reading.phase == Phase::Before && reading.set_aside.is_none();
    let mut outcome = None;
    for sloped in case.readings.iter().filter(usable).filter(|reading| reading.slope.is_some_and(|slope| slope != Slope::Level)) {
        let like = |level: &&Reading| {
            level.is_level()
                && (level.rpm / sloped.rpm.max(1.0) - 1.0).abs() < 0.1
                && (level.oil_temp_c - sloped.oil_temp_c).abs() < 10.0
                && level.instrument == sloped.instrument
        };
        let Some(level) = case.readings.iter().filter(usable).find(like) else { continue };
        let moved = sloped.kpa / level.kpa.max(1.0) - 1.0;
        outcome = Some(match outcome {
            Some("better_covered") => "better_covered",
            _ if moved > MOVED_BY_SLOPE => "better_covered",
            _ if moved < -MOVED_BY_SLOPE => "worse_uncovered",
            Some(known) => known,
            None => "no_change",
        });
    }
    let found = outcome_finding(know, check, outcome?)?;
    Some(Finding { label: found.label.replace("Nose-up and nose-down on ramps", "Read on a slope"), ..found })
}
