//! Entries in words.
use crate::ui::show;
use crate::ui::words::describe;
use velvet_dial_core::unit::Units;
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
pub fn lines(job: &Job, unit: Units) -> Vec<Line> {
    job.entries.iter().rev().filter(|entry| !matches!(entry.body, Body::Withdrawn { .. })).map(|entry| line(job, entry, unit)).collect()
}

pub(super) fn line(job: &Job, entry: &Entry, unit: Units) -> Line {
    let heir = job.heir(entry.id);
    let reason = match heir.map(|heir| &heir.body) {
        Some(Body::Withdrawn { reason } | Body::Reopened { reason }) => reason.clone(),
        Some(_) => "changed later".to_owned(),
        None => String::new(),
    };
    Line {
        id: entry.id.to_string(),
        who: entry.author_name.clone(),
        when: show::moment(entry.written_at, &job.zone),
        what: describe(&entry.body, unit),
        struck: heir.is_some(),
        reason,
    }
}
