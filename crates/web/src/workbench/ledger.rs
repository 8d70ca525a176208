//! Entries in words.
use crate::show;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::jobs::{Body, Entry, Job};

/// One entry as a line.
pub struct Line {
    pub id: String,
    pub who: String,
    pub when: String,
    pub what: String,
    /// It no longer holds.
    pub struck: bool,
    /// Why, when it was withdrawn.
    pub reason: String,
}

/// All entries, the last one first.
pub fn lines(job: &Job, unit: Pressure) -> Vec<Line> {
    job.entries.iter().rev().filter(|entry| !matches!(entry.body, Body::Withdrawn { .. })).map(|entry| line(job, entry, unit)).collect()
}

pub(super) fn line(job: &Job, entry: &Entry, unit: Pressure) -> Line {
    let heir = job.heir(entry.id);
    let reason = match heir.map(|heir| &heir.body) {
        Some(Body::Withdrawn { reason }) => reason.clone(),
        Some(_) => "changed later".to_owned(),
        None => String::new(),
    };
    Line {
        id: entry.id.to_string(),
        who: entry.author_name.clone(),
        when: show::moment(entry.written_at),
        what: describe(&entry.body, unit),
        struck: heir.is_some(),
        reason,
    }
}

/// An entry in a sentence.
pub fn describe(body: &Body, unit: Pressure) -> String {
    let know = knowledge();
    match body {
        Body::Circumstance { circumstance, told } => {
            let label = know.circumstance(circumstance).map_or(circumstance.as_str(), |c| c.label.as_str());
            if *told { format!("Told: {label}") } else { format!("Taken back: {label}") }
        }
        Body::Reading(taken) => {
            let r = &taken.reading;
            let after = if body.kind() == "after_reading" { "After: " } else { "" };
            format!("{after}{} at {:.0} rpm, {:.0} °C, {}", show::pressure(r.kpa, unit), r.rpm, r.oil_temp_c, r.gear.label())
        }
        Body::Evidence { check, outcome } => {
            let found = know.check(check).and_then(|c| Some((c, c.outcomes.iter().find(|o| o.id == *outcome)?)));
            found.map_or_else(|| format!("{check}: {outcome}"), |(c, o)| format!("{}: {}", c.ask, o.label))
        }
        Body::Repair(repair) => {
            let cause = repair.cause.as_ref().and_then(|id| know.cause(id)).and_then(|i| know.causes.get(i));
            format!("Put right: {}", cause.map_or("not a cause of the list", |c| c.name.as_str()))
        }
        Body::Withdrawn { reason } => format!("Withdrawn: {reason}"),
        Body::Closed {} => "Job closed".to_owned(),
    }
}
