//! What does not hold together in the knowledge files.
use super::{Knowledge, knowledge};

/// What is wrong with the knowledge files: empty when all is well.
pub fn faults() -> Vec<String> {
    let know = knowledge();
    let mut found = know.complaints.clone();
    for check in &know.checks {
        found.extend(row(&format!("{} usual", check.id), &check.usual.p, check.outcomes.len(), &check.usual.reason));
        for named in &check.rows {
            found.extend(row(&format!("{} {}", check.id, named.cause), &named.p, check.outcomes.len(), &named.reason));
        }
    }
    for circumstance in &know.circumstances {
        found.extend(row(&format!("{} usual", circumstance.id), &[circumstance.usual, 1.0 - circumstance.usual], 2, &circumstance.reason));
        for named in &circumstance.rows {
            found.extend(row(&format!("{} {}", circumstance.id, named.cause), &[named.p, 1.0 - named.p], 2, &named.reason));
        }
    }
    found.extend(strangers(know));
    found.extend(
        know.hypotheses
            .iter()
            .filter(|hypothesis| !(hypothesis.share > 0.0 && hypothesis.share <= 1.0))
            .filter_map(|hypothesis| know.causes.get(hypothesis.first))
            .map(|cause| format!("{}: its pairs leave nothing for the cause alone", cause.id)),
    );
    found
}

fn row(what: &str, p: &[f64], outcomes: usize, reason: &str) -> Vec<String> {
    let mut found = Vec::new();
    let sum: f64 = p.iter().sum();
    if p.len() != outcomes || (sum - 1.0).abs() > 1e-9 {
        found.push(format!("{what}: {} probabilities for {outcomes} outcomes, summing to {sum}", p.len()));
    }
    if p.iter().any(|p| !(0.0005..=1.0).contains(p)) {
        found.push(format!("{what}: a probability outside 0.0005 to 1"));
    }
    if reason.trim().is_empty() {
        found.push(format!("{what}: no reason given"));
    }
    found
}

/// Rows for causes that are none, and rows given twice: the second would never be reached.
fn strangers(know: &Knowledge) -> Vec<String> {
    let named = know.checks.iter().map(|c| (&c.id, c.rows.iter().map(|r| r.cause.as_str()).collect::<Vec<_>>()));
    let told = know.circumstances.iter().map(|c| (&c.id, c.rows.iter().map(|r| r.cause.as_str()).collect::<Vec<_>>()));
    let mut found = Vec::new();
    for (place, rows) in named.chain(told) {
        for (i, cause) in rows.iter().enumerate() {
            if know.cause(cause).is_none() {
                found.push(format!("{place}: a row for “{cause}”, which is no cause"));
            }
            if rows.iter().take(i).any(|earlier| earlier == cause) {
                found.push(format!("{place}: two rows for {cause}"));
            }
        }
    }
    found
}
