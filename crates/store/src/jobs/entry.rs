//! What an entry of the ledger may say.
use super::{FollowUp, Found, Help, JobDetails, Measured, Note, Particulars, Repair, RigStep, Shown, StopCalled, TakenReading};
use super::{personal, removal};
use crate::entity::entry as table;
use chrono::NaiveDateTime;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_core::case::{Cranked, Phase, Replaced};
use velvet_dial_core::opened::Promise;
use velvet_dial_core::strip_down::{CrankSaid, JournalSaid};

/// An entry.
#[derive(Debug, Clone, PartialEq)]
pub struct Entry {
    /// Key.
    pub id: Uuid,
    /// Place in the ledger, from 1.
    pub seq: i32,
    /// What it says.
    pub body: Body,
    /// Who wrote it.
    pub author: Uuid,
    /// The author's name, and for whom, where a foreman wrote what somebody else had asked for.
    pub author_name: String,
    /// When it was written down, UTC.
    pub written_at: NaiveDateTime,
    /// When what it says happened, UTC: a correction does not move what it corrects.
    pub happened_at: NaiveDateTime,
    /// Why its time was corrected; empty where it was not.
    pub time_reason: String,
    /// The entry it takes the place of.
    pub supersedes: Option<Uuid>,
}

impl Entry {
    /// From its row, loaded with its author. What it takes the place of is not at hand yet: [`times`] follows that.
    pub(crate) fn of_row(row: table::ModelEx) -> Self {
        let Happened { happened_at, time_reason } = Happened::of_kept(&row.body);
        let author_name = row.author.into_option().map(|author| author.shown_name).unwrap_or_default();
        let author_name = match asked_by(&row.body) {
            Some(asked_by) => format!("{author_name} for {asked_by}"),
            None => author_name,
        };
        Self {
            id: row.id,
            seq: row.seq,
            body: Body::of_row(&row.kind, &row.body, row.personal.as_deref()),
            author: row.author_id,
            author_name,
            written_at: row.written_at,
            happened_at: happened_at.unwrap_or(row.written_at),
            time_reason,
            supersedes: row.supersedes,
        }
    }

    /// It says itself when it happened: it waited on a tablet, or its time was corrected.
    pub fn says_when(&self) -> bool {
        !self.time_reason.is_empty() || self.happened_at != self.written_at
    }
}

/// Gives each entry that takes the place of another that one's time, unless it says its own. Entries are in the order they were written, so one pass follows every chain.
pub(super) fn times(entries: &mut [Entry]) {
    let mut known: HashMap<Uuid, NaiveDateTime> = HashMap::new();
    for entry in entries {
        if !entry.says_when()
            && let Some(at) = entry.supersedes.and_then(|before| known.get(&before))
        {
            entry.happened_at = *at;
        }
        known.insert(entry.id, entry.happened_at);
    }
}

/// Who asked a foreman for it; most entries nobody asked for, and they are not read for it.
fn asked_by(text: &str) -> Option<String> {
    #[derive(Deserialize)]
    struct Asked {
        asked_by: Option<String>,
    }
    if !text.contains("\"asked_by\":") {
        return None;
    }
    serde_json::from_str::<Asked>(text).ok()?.asked_by
}

/// When it happened, where an entry says that itself.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Happened {
    /// When.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub happened_at: Option<NaiveDateTime>,
    /// Why its time was corrected.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub time_reason: String,
}

impl Happened {
    /// What a kept text says of it; most say nothing, and are not read for it.
    pub(super) fn of_kept(text: &str) -> Self {
        if text.contains("\"happened_at\":") { serde_json::from_str(text).unwrap_or_default() } else { Self::default() }
    }
}

/// What an entry says.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Body {
    /// Something said or seen at intake, or taken back.
    Circumstance {
        /// Its word.
        circumstance: String,
        /// Ticked or cleared.
        told: bool,
    },
    /// By whom and with what effect a part was replaced before this visit.
    Replaced {
        /// Which, by whom, with what effect.
        part: Replaced,
    },
    /// Plate, vehicle, complaint or engine corrected: the job's own row follows in the same transaction.
    JobDetails(JobDetails),
    /// Customer, odometer, who is on it.
    Particulars(Particulars),
    /// A reading.
    Reading(TakenReading),
    /// A stop that the live gauge called.
    StopCall(StopCalled),
    /// A step of fitting the gauge.
    Rig(RigStep),
    /// A check's outcome.
    Evidence {
        /// Check.
        check: String,
        /// Outcome.
        outcome: String,
        /// What the same look found besides.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        also: Vec<String>,
        /// Before the repair or after it.
        #[serde(default, skip_serializing_if = "is_before")]
        phase: Phase,
    },
    /// A photo, of a finding or of the job.
    Photo(Shown),
    /// A note.
    Note(Note),
    /// A check that is put off, or cannot be done here.
    PutOff {
        /// Check.
        check: String,
        /// It cannot be done here at all; else not now.
        cannot: bool,
        /// Before the repair or after it.
        #[serde(default, skip_serializing_if = "is_before")]
        phase: Phase,
    },
    /// A cause struck out, and the fact that this rests on; it comes back when the fact falls, or when this is withdrawn.
    Struck {
        /// The cause.
        cause: String,
        /// The key of the finding it rests on.
        because: String,
    },
    /// The strategy by which the next step is chosen from now on.
    Order {
        /// Its word.
        order: String,
    },
    /// The cause that it always is, as somebody says; none takes that back.
    Pattern {
        /// The cause.
        cause: Option<String>,
    },
    /// The customer's yes to opening the engine.
    Agreed {
        /// Who said it.
        who: String,
        /// How, and up to what.
        how: String,
        /// Nobody was asked: it is opened all the same, and `how` says why.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        unasked: bool,
        /// Up to what it may cost, in the shop's money.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        up_to: Option<f64>,
    },
    /// What was talked over with the customer about a finding that does not fit.
    Talked {
        /// The finding, as `check=outcome`.
        about: String,
        /// Go on, with what now leads; else it is closed again.
        go_on: bool,
        /// Who said it.
        who: String,
        /// In words.
        #[serde(default)]
        words: String,
    },
    /// A step of putting right, done.
    Done {
        /// The cause that is put right.
        cause: String,
        /// The step, in the words it was read in.
        step: String,
    },
    /// What the customer said by the link, other than yes.
    Customer {
        /// Who.
        who: String,
        /// No; else it is a question.
        said_no: bool,
        /// In their words.
        words: String,
    },
    /// The shop's answer to a question that the customer asked by the link.
    Replied {
        /// The entry of the question.
        question: Uuid,
        /// The answer.
        words: String,
    },
    /// A recorded run that was uploaded to this job by mistake. Its file is kept, and nothing more is read from it.
    UploadWithdrawn {
        /// The run.
        capture: Uuid,
        /// Its name.
        name: String,
        /// Why.
        reason: String,
    },
    /// What the sheet says of the crank's bearings.
    Crank {
        /// What it says.
        said: CrankSaid,
    },
    /// A journal as it was found.
    Journal {
        /// What was found.
        said: JournalSaid,
    },
    /// A figure taken with the engine open.
    Measured {
        /// The figure.
        figure: Measured,
    },
    /// What a calculator made of what was typed into it.
    Worked {
        /// Its name.
        calculator: String,
        /// What was typed, as its link carries it.
        typed: String,
        /// What came out, in a sentence.
        told: String,
    },
    /// On the practice bench: a check was done, or the gauge was read, and what it showed was shown.
    Sensed {
        /// The check; empty for the gauge.
        check: String,
        /// Speed and oil temperature at which the gauge was read, rpm and °C.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<(f64, f64)>,
        /// Minutes, with the way to it.
        minutes: f64,
        /// Work and material, in the shop's money.
        money: f64,
        /// The engine ran though it must not.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        forbidden: bool,
    },
    /// On the practice bench: help was bought.
    Helped {
        /// Which.
        help: Help,
        /// Its price, in the shop's money.
        money: f64,
    },
    /// What was put right.
    Repair(Repair),
    /// The superseded entry no longer holds, and why.
    Withdrawn {
        /// Why.
        reason: String,
    },
    /// When it is handed over, and what stands in the way.
    Promised {
        /// The promise.
        promise: Promise,
    },
    /// Cranked without fuel after it was put right.
    Cranked {
        /// What showed.
        outcome: Cranked,
    },
    /// The stop is overruled for one named test: the engine is run for it although it must not.
    Overruled {
        /// The one test.
        check: String,
        /// For so many minutes.
        minutes: f64,
        /// Why.
        reason: String,
    },
    /// Oil was filled to the mark, and the level checked.
    Filled {},
    /// What was found after the job was closed: the first filter cut open, the level after some days. It leaves the record of the closing as it is.
    FollowUp(FollowUp),
    /// The customer was removed from the closed job, and why: what it said of them is gone.
    CustomerRemoved {
        /// Why.
        because: String,
    },
    /// The vehicle was here before.
    Comeback {
        /// Number of the job before.
        of: i64,
        /// With the same complaint: what was put right then was not it, or not all of it.
        same: bool,
    },
    /// The job is done.
    Closed {
        /// What it was.
        #[serde(default, skip_serializing_if = "Found::is_silent")]
        found: Found,
    },
    /// The superseded closing no longer holds, and why.
    Reopened {
        /// Why.
        reason: String,
    },
    /// A row that this program cannot read: of a later version, or damaged. It is shown as such, breaks nothing, and is never written.
    #[serde(skip)]
    Unreadable {
        /// What the row calls itself.
        kind: String,
        /// What the reader complained of.
        why: String,
    },
}

/// Version that entries are written in. A later program may add kinds and keys; an earlier one shows what it cannot read as [`Body::Unreadable`].
const VERSION: u32 = 1;
/// The column `kind` of a note.
pub(super) const NOTE: &str = "note";

fn is_before(phase: &Phase) -> bool {
    *phase == Phase::Before
}

/// An entry's body as it is kept.
#[derive(Serialize)]
struct Kept<'a> {
    v: u32,
    #[serde(flatten)]
    happened: &'a Happened,
    #[serde(skip_serializing_if = "Option::is_none")]
    asked_by: Option<&'a str>,
    #[serde(flatten)]
    body: &'a Body,
}

impl Body {
    /// The kind of a withdrawn upload, as its column has it.
    pub(super) const UPLOAD_WITHDRAWN: &'static str = "upload_withdrawn";

    /// One outcome of a check.
    pub fn evidence(check: &str, outcome: &str, phase: Phase) -> Self {
        Self::Evidence { check: check.to_owned(), outcome: outcome.to_owned(), also: Vec::new(), phase }
    }

    /// What a look found, the first answer first; empty for anything but a finding.
    pub fn outcomes(&self) -> impl Iterator<Item = &str> {
        let (first, also) = match self {
            Self::Evidence { outcome, also, .. } => (Some(outcome), also.as_slice()),
            _ => (None, &[][..]),
        };
        first.into_iter().chain(also).map(String::as_str)
    }

    /// The text that is kept; none when it could not be read back as what it says, such as a number that is not finite.
    pub(super) fn to_kept(&self, happened: &Happened, asked_by: Option<&str>) -> Option<String> {
        let text = serde_json::to_string(&Kept { v: VERSION, happened, asked_by, body: self }).ok()?;
        (Self::from_kept("", &text) == *self).then_some(text)
    }

    /// What a row says, with what is kept beside its text.
    pub(super) fn of_row(kind: &str, text: &str, personal: Option<&str>) -> Self {
        let whole = personal::put_back(kind, text, personal);
        Self::from_kept(kind, whole.as_deref().unwrap_or(text))
    }

    /// What a kept text says.
    pub(super) fn from_kept(kind: &str, text: &str) -> Self {
        serde_json::from_str(text).unwrap_or_else(|error| Self::Unreadable { kind: kind.to_owned(), why: error.to_string() })
    }

    /// Before the repair or after it; what has no phase of its own is of the time before.
    pub fn phase(&self) -> Phase {
        match self {
            Self::Evidence { phase, .. } | Self::PutOff { phase, .. } => *phase,
            Self::Reading(taken) => taken.reading.phase,
            _ => Phase::Before,
        }
    }

    /// The column `kind`, for people who look at the table.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Circumstance { .. } => "circumstance",
            Self::Replaced { .. } => "replaced",
            Self::JobDetails(_) => "job_details",
            Self::Particulars(_) => "particulars",
            Self::Reading(taken) if taken.reading.phase == Phase::After => "after_reading",
            Self::Reading(_) => "reading",
            Self::StopCall(_) => "stop_call",
            Self::Rig(_) => "rig",
            Self::Evidence { .. } => "evidence",
            Self::Photo(_) => "photo",
            Self::Note(_) => NOTE,
            Self::PutOff { .. } => "put_off",
            Self::Struck { .. } => "struck",
            Self::Order { .. } => "order",
            Self::Pattern { .. } => "pattern",
            Self::Agreed { .. } => "agreed",
            Self::Talked { .. } => "talked",
            Self::Done { .. } => "done",
            Self::Customer { .. } => "customer",
            Self::Replied { .. } => "replied",
            Self::UploadWithdrawn { .. } => Self::UPLOAD_WITHDRAWN,
            Self::Crank { .. } => "crank",
            Self::Journal { .. } => "journal",
            Self::Measured { .. } => "measured",
            Self::Worked { .. } => "worked",
            Self::Sensed { .. } => "sensed",
            Self::Helped { .. } => "helped",
            Self::Repair(_) => "repair",
            Self::Withdrawn { .. } => "withdrawn",
            Self::Promised { .. } => "promised",
            Self::Cranked { .. } => "cranked",
            Self::Overruled { .. } => "overruled",
            Self::Filled {} => "filled",
            Self::FollowUp(_) => "follow_up",
            Self::CustomerRemoved { .. } => removal::KIND,
            Self::Comeback { .. } => "comeback",
            Self::Closed { .. } => "closed",
            Self::Reopened { .. } => "reopened",
            Self::Unreadable { .. } => "unreadable",
        }
    }

    /// Whether this may take the place of another: a reading of a reading, an outcome of its own check's, a reopening of a closing. Anything but a closing and a removal can be
    /// withdrawn, and what was withdrawn or cannot be read gives way to anything.
    pub(super) fn may_replace(&self, old: &Self) -> bool {
        match (self, old) {
            (Self::Reopened { .. }, old) => matches!(old, Self::Closed { .. }),
            (_, Self::Closed { .. } | Self::CustomerRemoved { .. }) | (Self::Withdrawn { .. }, Self::JobDetails(_)) => false,
            (Self::Withdrawn { .. }, _) | (_, Self::Withdrawn { .. } | Self::Unreadable { .. }) => true,
            (Self::Reading(_), Self::Reading(_))
            | (Self::Repair(_), Self::Repair(_))
            | (Self::Note(_), Self::Note(_))
            | (Self::Cranked { .. }, Self::Cranked { .. }) => true,
            // A customer's no takes back their approval.
            (Self::Customer { said_no: true, .. }, Self::Agreed { .. }) => true,
            (new, old) => new.subject().is_some() && new.subject() == old.subject(),
        }
    }

    /// What an entry is about: of two live entries about the same thing the later must supersede the earlier.
    pub fn subject(&self) -> Option<String> {
        match self {
            Self::Circumstance { circumstance, .. } => Some(format!("circumstance {circumstance}")),
            Self::Replaced { part } => Some(format!("replaced {}", part.circumstance)),
            Self::StopCall(called) => Some(format!("stop_call {} {}", called.run, called.from_s)),
            Self::Rig(done) => Some(format!("rig {}", done.step)),
            Self::Evidence { check, phase: Phase::After, .. } | Self::PutOff { check, phase: Phase::After, .. } => {
                Some(format!("check {check} after"))
            }
            Self::Evidence { check, .. } | Self::PutOff { check, .. } => Some(format!("check {check}")),
            Self::Closed { .. } => Some("closed".to_owned()),
            Self::Promised { .. } => Some("promised".to_owned()),
            Self::Comeback { of, .. } => Some(format!("comeback {of}")),
            Self::JobDetails(_) => Some("job_details".to_owned()),
            Self::Particulars(_) => Some("particulars".to_owned()),
            Self::Struck { cause, .. } => Some(format!("strike {cause}")),
            Self::Order { .. } => Some("order".to_owned()),
            Self::Pattern { .. } => Some("pattern".to_owned()),
            Self::Agreed { .. } => Some("agreed".to_owned()),
            Self::Talked { about, .. } => Some(format!("talked {about}")),
            Self::Done { cause, step } => Some(format!("done {cause} {step}")),
            Self::Replied { question, .. } => Some(format!("replied {question}")),
            Self::UploadWithdrawn { capture, .. } => Some(format!("upload {capture}")),
            Self::Crank { .. } => Some("crank".to_owned()),
            Self::Journal { said } => Some(format!("journal {} {}", said.kind.id(), said.number)),
            Self::Measured { figure: Measured::Screen(_) } => Some("measured screen".to_owned()),
            Self::Measured { figure: Measured::Spring(_) } => Some("measured spring".to_owned()),
            Self::Measured { figure: Measured::Pump(_) } => Some("measured pump".to_owned()),
            Self::Reading(_)
            | Self::Photo(_)
            | Self::Note(_)
            | Self::Repair(_)
            | Self::Cranked { .. }
            | Self::Overruled { .. }
            | Self::Filled {}
            | Self::FollowUp(_)
            | Self::CustomerRemoved { .. }
            | Self::Worked { .. }
            | Self::Sensed { .. }
            | Self::Helped { .. }
            | Self::Customer { .. }
            | Self::Withdrawn { .. }
            | Self::Reopened { .. }
            | Self::Unreadable { .. } => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use velvet_dial_core::experience::Known;
    use velvet_dial_core::strip_down::{Condition, JournalKind, PumpMeasured, ScreenMeasured};

    /// What a person decides is kept and read back as what it says, tag and version beside it.
    #[test]
    fn what_is_decided_is_kept_and_read_back() {
        let text = |text: &str| text.to_owned();
        for body in [
            Body::Struck { cause: text("pump_worn"), because: text("level=ok") },
            Body::Order { order: text("cheapest_first") },
            Body::Pattern { cause: Some(text("pump_worn")) },
            Body::Pattern { cause: None },
            Body::Agreed { who: text("Lysander Quill"), how: String::new(), unasked: false, up_to: Some(640.0) },
            Body::Agreed { who: String::new(), how: text("it lies open already"), unasked: true, up_to: None },
            Body::Crank { said: CrankSaid { mains: None, new_mm: Some(0.04), limit_mm: None } },
            Body::Journal { said: JournalSaid { condition: Some(Condition::Scored), ..JournalSaid::of(JournalKind::Main, 5) } },
            Body::Measured { figure: Measured::Screen(ScreenMeasured { open_share: 0.25 }) },
            Body::Measured { figure: Measured::Pump(PumpMeasured { tip_mm: Some(0.21), ..PumpMeasured::default() }) },
            Body::Cranked { outcome: Cranked::Slow },
            Body::Filled {},
            Body::CustomerRemoved { because: text("they asked for it") },
            Body::FollowUp(FollowUp {
                check: text("filter_cut"),
                outcome: text("clean"),
                words: String::new(),
                report: text("ab"),
                signed: None,
            }),
            Body::StopCall(StopCalled {
                run: Uuid::nil(),
                from_s: 12.35,
                seconds: 2.1,
                kpa: Some(11.5),
                rpm: Some(748.0),
                line_kpa: Some(17.5),
                answered: true,
            }),
            Body::Comeback { of: 3, same: true },
            Body::Replied { question: Uuid::nil(), words: text("Two days.") },
            Body::UploadWithdrawn { capture: Uuid::nil(), name: text("run.csv"), reason: text("of another vehicle") },
            Body::Replaced { part: Replaced { circumstance: text("pump_already_replaced"), by: None, effect: None } },
            Body::Closed { found: Found::default() },
            Body::Closed {
                found: Found {
                    cause: Some(text("sender")),
                    known: Some(Known::Seen),
                    took_min: Some(90.0),
                    planned_min: None,
                    source: None,
                    without_proof: String::new(),
                },
            },
            Body::Worked { calculator: text("fill"), typed: text("{}"), told: text("first 3.35 l") },
        ] {
            let kept = body.to_kept(&Happened::default(), None);
            assert!(kept.is_some_and(|kept| Body::from_kept("", &kept) == body), "{body:?}");
        }
    }
}
