//! The facade: everything that is known of a case.
//!
//! Steps: judge each reading (its doubt needs the circuit's slopes there); weigh all before-readings together; a cause under which the
//! engine conforms is held to the verdict; then circumstances and outcomes; then the flag, because it decides which checks may be
//! proposed; then the next check.
use super::verdict::{gauge, judge, verdict};
use super::{Case, JudgedReading, Phase, Verdict};
use crate::circuit::{PointOfSpec, Working};
use crate::instrument::Sensitivity;
use crate::repair::{MayRun, may_run};
use crate::trace::knowledge::{Knowledge, knowledge};
use crate::trace::{Bearing, Finding, Posterior, Pressures, Proposal, Tracer, next_checks, settled, weigh};

/// What a conforming cause keeps of its odds when a point is surely outside its limit: the sheet may be for another engine.
const LEAST_CONFORMING: f64 = 1e-4;

/// Everything that is known of a case.
#[derive(Debug, Clone)]
pub struct Diagnosis {
    /// Every reading, in the case's order.
    pub readings: Vec<JudgedReading>,
    /// Over the readings before.
    pub verdict: Verdict,
    /// Over the readings after it was put right.
    pub proof: Verdict,
    /// What moved the odds, in order: the readings, then circumstances, then outcomes.
    pub findings: Vec<Finding>,
    /// The odds.
    pub posterior: Posterior,
    /// The draws as the readings weigh them, for the curves.
    pub pressures: Pressures,
    /// Checks left, best first.
    pub next: Vec<Proposal>,
    /// The cause that is certain enough to act on.
    pub settled: Option<usize>,
    /// The flag.
    pub may_run: MayRun,
}

/// The limits as the circuit's calibration needs them.
pub fn spec_points(case: &Case) -> Vec<PointOfSpec> {
    case.spec.iter().flat_map(|sheet| &sheet.points).map(PointOfSpec::from).collect()
}

/// Diagnoses a case with the tracer of its engine. `put_right` is true once a repair stands in the job.
pub fn diagnose(case: &Case, tracer: &Tracer, put_right: bool) -> Diagnosis {
    let know = knowledge();
    let readings: Vec<JudgedReading> = case.readings.iter().enumerate().map(|(i, r)| judge(case, i, r, tracer)).collect();
    let before = verdict(case, Phase::Before, &readings);
    let proof = verdict(case, Phase::After, &readings);

    let bearings: Vec<Bearing> = case
        .readings
        .iter()
        .filter(|reading| reading.phase == Phase::Before)
        .map(|reading| Bearing {
            at: Working { rpm: reading.rpm, oil_temp_c: reading.oil_temp_c },
            kpa: reading.kpa,
            // The draws carry what temperature and speed do, so here the gauge speaks alone.
            u_kpa: gauge(case, reading)
                .doubt(reading.spread_kpa, reading.rpm, reading.oil_temp_estimated, Sensitivity::default())
                .total_kpa(),
        })
        .collect();
    let pressures = tracer.pressures(&bearings);
    let mut findings = Vec::new();
    if !bearings.is_empty() {
        findings.push(reading_finding(know, &pressures, &before));
    }
    findings.extend(case.circumstances.iter().filter_map(|told| {
        let circumstance = know.circumstance(told)?;
        let log_likelihood = know.causes.iter().map(|cause| circumstance.likelihood(&cause.id).ln()).collect();
        Some(Finding { key: told.clone(), label: circumstance.label.clone(), log_likelihood })
    }));
    findings.extend(case.evidence.iter().filter_map(|entry| {
        let check = know.check(&entry.check)?;
        let outcome = check.outcome(&entry.outcome)?;
        let label = check.outcomes.get(outcome).map(|o| format!("{}: {}", check.ask, o.label))?;
        let log_likelihood = (0..know.causes.len()).map(|cause| check.likelihood(cause, outcome).ln()).collect();
        Some(Finding { key: format!("{}={}", entry.check, entry.outcome), label, log_likelihood })
    }));

    let posterior = weigh(know, &findings);
    let may_run = may_run(case, put_right);
    let done: Vec<&str> = case.evidence.iter().map(|entry| entry.check.as_str()).collect();
    let next = next_checks(know, &posterior, &done, may_run.allowed());
    Diagnosis { readings, verdict: before, proof, findings, settled: settled(&posterior), posterior, pressures, next, may_run }
}

fn reading_finding(know: &Knowledge, pressures: &Pressures, verdict: &Verdict) -> Finding {
    let conforms = verdict
        .points
        .iter()
        .filter_map(|point| point.reading.as_ref().map(|judged| judged.probability_conforms))
        .fold(1.0, f64::min)
        .max(LEAST_CONFORMING);
    let log_likelihood = know
        .causes
        .iter()
        .zip(&pressures.log_likelihood)
        .map(|(cause, log)| if cause.conforms { log + conforms.ln() } else { *log })
        .collect();
    Finding { key: "readings".into(), label: "The readings together".into(), log_likelihood }
}
