//! Why a cause stands where it stands: what each thing that is known says of it, the readings one by one.
//!
//! What a finding says is how far it moved the cause's log-odds, everything else as it is. The readings are weighed together, since what a gauge, a thermometer and an
//! engine are off is off at all of them alike; what one of them says is therefore the difference it makes to be there beside the others. These differences do not add up.
use super::Diagnosis;
use super::diagnose::{bearings, on_a_gauge, reading_finding};
use super::explain::why;
use super::verdict::{verdict, weighable};
use crate::case::{Case, Phase};
use crate::knowledge::knowledge;
use crate::trace::{Finding, Tracer, log_odds, weigh};

/// One thing that is known, and what it says of a cause.
#[derive(Debug, Clone, PartialEq)]
pub struct Reason {
    /// Key of the finding; `readings` for them together and for each of them.
    pub key: String,
    /// On a screen; of a reading by itself the finding's own.
    pub label: String,
    /// The reading, by its place in the case.
    pub reading: Option<usize>,
    /// Natural log-odds: above nothing it speaks for the cause.
    pub log_odds: f64,
    /// Why it speaks so.
    pub why: String,
}

const READINGS: &str = "readings";
/// Readings told one by one; a job has a dozen at most.
const ONE_BY_ONE: usize = 12;

/// What is known, as it speaks of a cause: what says most first, the readings one by one after what they say together.
pub fn reasons(case: &Case, tracer: &Tracer, diagnosis: &Diagnosis, cause: usize) -> Vec<Reason> {
    let know = knowledge();
    let Some(what) = know.causes.get(cause) else { return Vec::new() };
    let of_finding = |(finding, moved): (&Finding, &Vec<f64>)| Reason {
        key: finding.key.clone(),
        label: finding.label.clone(),
        reading: None,
        log_odds: moved.get(cause).copied().unwrap_or(0.0),
        why: why(know, case, &finding.key, &what.id).unwrap_or(&what.shape).to_owned(),
    };
    let mut all: Vec<Reason> = diagnosis.findings.iter().zip(&diagnosis.posterior.moved).map(of_finding).collect();
    let together = all.iter().position(|reason| reason.key == READINGS);
    let alone = one_by_one(case, tracer, diagnosis, cause);
    if let Some(together) = together.filter(|_| alone.len() > 1) {
        let label = all.get(together).map(|reason| reason.label.clone()).unwrap_or_default();
        let one = |(reading, log_odds)| {
            let (key, label, why) = (READINGS.to_owned(), label.clone(), what.shape.clone());
            Reason { key, label, reading: Some(reading), log_odds, why }
        };
        all.extend(alone.into_iter().map(one));
    }
    all.sort_by(|a, b| a.reading.is_some().cmp(&b.reading.is_some()).then(b.log_odds.abs().total_cmp(&a.log_odds.abs())));
    all
}

/// The difference that each weighed reading makes, by its place in the case.
fn one_by_one(case: &Case, tracer: &Tracer, diagnosis: &Diagnosis, cause: usize) -> Vec<(usize, f64)> {
    let know = knowledge();
    let weighed = weighable(case, &diagnosis.not_believed);
    let with_it = log_odds(diagnosis.posterior.of(cause));
    let taken = case.readings.iter().enumerate().filter(|(index, reading)| reading.phase == Phase::Before && weighed(*index));
    let taken: Vec<usize> = taken.map(|(index, _)| index).take(ONE_BY_ONE).collect();
    let without = |index: &usize| {
        let others = |other: usize| weighed(other) && other != *index;
        let run = bearings(case, others);
        let pressures = tracer.pressures(&run);
        let before = verdict(case, Phase::Before, &diagnosis.readings, others);
        let mut findings = diagnosis.findings.clone();
        for finding in findings.iter_mut().filter(|finding| finding.key == READINGS) {
            *finding = reading_finding(know, tracer, &pressures, (&before, on_a_gauge(&run)));
        }
        (*index, with_it - log_odds(weigh(know, &diagnosis.priors, &findings).of(cause)))
    };
    if taken.len() > 1 { taken.iter().map(without).collect() } else { Vec::new() }
}
