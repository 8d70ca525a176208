//! The facade: everything that is known of a case.
//!
//! Steps: judge each reading (its doubt needs the circuit's slopes there); weigh all before-readings together; a cause under which the
//! engine conforms is held to the verdict; then circumstances, outcomes and what was struck out; then the flag, because it decides which
//! checks may be proposed; then the next check, and whether learning still pays.
use super::verdict::{gauge, judge, verdict};
use super::{Case, JudgedReading, Phase, Verdict};
use crate::circuit::{PointOfSpec, Working};
use crate::instrument::Sensitivity;
use crate::repair::{MayRun, may_run};
use crate::trace::knowledge::{BANDS, Knowledge, Link, knowledge};
use crate::trace::{
    self, Bearing, Bench, Enough, Finding, Memory, Posterior, Pressures, Proposal, Strike, Tracer, next_checks, settled, standing, weigh,
};

/// What a conforming cause keeps of its odds when a point is surely outside its limit: the sheet may be for another engine.
const LEAST_CONFORMING: f64 = 1e-4;

/// What stands in the job beside the case file.
#[derive(Debug, Clone, Copy, Default)]
pub struct Setting<'a> {
    /// A repair stands in the job.
    pub put_right: bool,
    /// The shop's closed jobs on this engine family; none to leave them out.
    pub memory: Option<&'a Memory>,
    /// Causes struck out by a person.
    pub strikes: &'a [Strike],
}

/// Everything that is known of a case.
#[derive(Debug, Clone)]
pub struct Diagnosis {
    /// Every reading, in the case's order.
    pub readings: Vec<JudgedReading>,
    /// Over the readings before.
    pub verdict: Verdict,
    /// Over the readings after it was put right.
    pub proof: Verdict,
    /// The odds of the causes before anything was found, with the shop's memory in them.
    pub priors: Vec<f64>,
    /// What moved the odds, in order: the readings, circumstances, outcomes, then what was struck out.
    pub findings: Vec<Finding>,
    /// The odds.
    pub posterior: Posterior,
    /// The draws as the readings weigh them, for the curves.
    pub pressures: Pressures,
    /// Checks left, best first.
    pub next: Vec<Proposal>,
    /// The cause that is certain enough to act on.
    pub settled: Option<usize>,
    /// Good enough to act, and why; none while learning pays.
    pub enough: Option<Enough>,
    /// The flag.
    pub may_run: MayRun,
}

/// The limits as the circuit's calibration needs them.
pub fn spec_points(case: &Case) -> Vec<PointOfSpec> {
    case.spec.iter().flat_map(|sheet| &sheet.points).map(PointOfSpec::from).collect()
}

/// Diagnoses a case with the tracer of its engine.
pub fn diagnose(case: &Case, tracer: &Tracer, setting: &Setting) -> Diagnosis {
    let know = knowledge();
    let readings: Vec<JudgedReading> = case.readings.iter().enumerate().map(|(i, r)| judge(case, i, r, tracer)).collect();
    let before = verdict(case, Phase::Before, &readings);
    let proof = verdict(case, Phase::After, &readings);

    let pressures = tracer.pressures(&bearings(case));
    let mut findings = Vec::new();
    if case.readings.iter().any(|reading| reading.phase == Phase::Before) {
        findings.push(reading_finding(know, &pressures, &before));
    }
    findings.extend(case.circumstances.iter().filter_map(|told| {
        let circumstance = know.circumstance(told)?;
        let log_likelihood = (0..know.states()).map(|state| circumstance.likelihood(state).ln()).collect();
        Some(Finding { key: told.clone(), label: circumstance.label.clone(), log_likelihood })
    }));
    findings.extend(case.evidence.iter().filter_map(|entry| {
        let check = know.check(&entry.check)?;
        let outcome = check.outcome(&entry.outcome)?;
        let label = check.outcomes.get(outcome).map(|o| format!("{}: {}", check.ask, o.label))?;
        let log_likelihood = (0..know.states()).map(|state| check.likelihood(state, outcome).ln()).collect();
        Some(Finding { key: format!("{}={}", entry.check, entry.outcome), label, log_likelihood })
    }));
    let struck = standing(know, setting.strikes, &findings);
    findings.extend(struck);

    let own = know.priors(&case.engine.layout);
    let priors = match setting.memory {
        Some(memory) => memory.learn(know, &own).iter().map(|learned| learned.learned).collect(),
        None => own,
    };
    let posterior = weigh(know, &priors, &findings);
    let may_run = may_run(case, setting.put_right);
    let done: Vec<&str> = case.evidence.iter().map(|entry| entry.check.as_str()).collect();
    let next = next_checks(know, &posterior, &Bench { layout: &case.engine.layout, done: &done, may_run: may_run.allowed() });
    let enough = trace::enough(know, &posterior, &next);
    Diagnosis {
        readings,
        verdict: before,
        proof,
        priors,
        findings,
        settled: settled(&posterior),
        enough,
        posterior,
        pressures,
        next,
        may_run,
    }
}

/// The readings before, as the tracer sees them.
fn bearings(case: &Case) -> Vec<Bearing> {
    case.readings
        .iter()
        .filter(|reading| reading.phase == Phase::Before)
        .map(|reading| {
            let gauge = gauge(case, reading);
            // The draws carry what temperature and speed do, so here the gauge speaks alone.
            let doubt = gauge.doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, Sensitivity::default());
            Bearing {
                at: Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c },
                kpa: reading.kpa,
                u_kpa: doubt.without_common_kpa(),
                gauge: case.instruments.keys().position(|name| Some(name) == reading.instrument.as_ref()).unwrap_or(0),
                common_kpa: gauge.common_kpa(),
            }
        })
        .collect()
}

fn reading_finding(know: &Knowledge, pressures: &Pressures, verdict: &Verdict) -> Finding {
    let conforms = verdict
        .points
        .iter()
        .filter_map(|point| point.reading.as_ref().map(|judged| judged.probability_conforms))
        .fold(1.0, f64::min)
        .max(LEAST_CONFORMING);
    let log_likelihood = know
        .hypotheses
        .iter()
        .zip(pressures.log_likelihood.chunks(BANDS))
        .flat_map(|(hypothesis, bands)| {
            let held = hypothesis.link == Link::Alone && know.causes.get(hypothesis.first).is_some_and(|cause| cause.conforms);
            bands.iter().map(move |log| if held { log + conforms.ln() } else { *log })
        })
        .collect();
    Finding { key: "readings".into(), label: "The readings together".into(), log_likelihood }
}
