//! Entries in words.
use crate::job::happened::{self, has_time};
use crate::job::notes;
use crate::ui::words::describe;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{Body, Entry, Job};

/// One entry as a line.
pub struct Line {
    pub id: String,
    pub who: String,
    pub when: String,
    /// When it happened, for the form that corrects that; none where nothing goes by it.
    pub timed: Option<String>,
    pub what: String,
    /// It can be withdrawn.
    pub withdrawable: bool,
    /// It no longer holds.
    pub struck: bool,
    /// Why, when it was withdrawn.
    pub reason: String,
}

/// All entries, the last one first.
pub fn lines(job: &Job, unit: Units) -> Vec<Line> {
    job.entries.iter().rev().filter(|entry| !matches!(entry.body, Body::Withdrawn { .. })).map(|entry| line(job, entry, unit)).collect()
}

/// An entry in a sentence; a note with what it belongs to.
fn said(job: &Job, body: &Body, unit: Units) -> String {
    let said = describe(body, unit);
    let about = if let Body::Note(note) = body { notes::about(job, note) } else { None };
    about.map_or(said.clone(), |about| format!("{said} ({about})"))
}

pub(super) fn line(job: &Job, entry: &Entry, unit: Units) -> Line {
    let heir = job.heir(entry.id);
    let time_reason = heir.map(|heir| heir.time_reason.as_str()).filter(|reason| !reason.is_empty());
    // Who took back what somebody else wrote is named.
    let by = heir.filter(|heir| heir.author != entry.author).map_or(String::new(), |heir| format!(" ({})", heir.author_name));
    let reason = match heir.map(|heir| &heir.body) {
        Some(Body::Withdrawn { reason } | Body::Reopened { reason }) => format!("{reason}{by}"),
        Some(_) if let Some(reason) = time_reason => format!("time corrected: {reason}"),
        Some(_) => "changed later".to_owned(),
        None => String::new(),
    };
    Line {
        id: entry.id.to_string(),
        who: entry.author_name.clone(),
        when: happened::when(entry, &job.zone),
        timed: has_time(&entry.body).then(|| job.zone.wall(entry.happened_at).format("%Y-%m-%dT%H:%M").to_string()),
        withdrawable: !matches!(entry.body, Body::JobDetails(_)),
        what: said(job, &entry.body, unit),
        struck: heir.is_some(),
        reason,
    }
}
