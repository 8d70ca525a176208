//! What goes over the line, as types: the document for other programs is generated from them.
use chrono::{DateTime, Utc};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use velvet_dial_core::case::{Evidence, Reading};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::limits::Sheet;
use velvet_dial_core::rights::{Role, Scope};
use velvet_dial_store::jobs;
use velvet_dial_store::programs::Caller;

/// The program that asks.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ProgramView {
    /// Its name, as it is in the history of jobs.
    pub name: String,
    /// What it is in the shop.
    pub role: Role,
    /// What its token opens.
    pub scopes: Vec<Scope>,
    /// It has to do with nothing but the jobs that it opened.
    pub own_jobs_only: bool,
}

/// A cause and its probability.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct CauseView {
    /// The cause.
    pub id: String,
    /// From 0 to 1.
    pub probability: f64,
}

/// A job.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct JobView {
    /// Its number.
    pub number: i64,
    /// Plate or fleet number.
    pub tag: String,
    /// What the vehicle is.
    pub vehicle: String,
    /// What was said of the fault.
    pub complaint: String,
    /// The engine's key.
    pub engine: Uuid,
    /// The stage that it is at.
    pub stage: &'static str,
    /// Whether the engine may run.
    pub flag: &'static str,
    /// The readings against the sheet; null while nobody has looked at the job since its last entry. The diagnosis has it at once.
    pub verdict: Option<&'static str>,
    /// The cause that leads; null likewise.
    pub leading_cause: Option<CauseView>,
    /// Who works on it.
    pub on_it: Option<String>,
    /// The number of the job before, where the vehicle came back with the same fault.
    pub came_back_after: Option<i64>,
    /// When it was opened.
    pub opened_at: DateTime<Utc>,
    /// When it was closed.
    pub closed_at: Option<DateTime<Utc>>,
    /// When something was written last.
    pub changed_at: DateTime<Utc>,
}

impl JobView {
    /// Of a row of the board.
    pub fn of(row: jobs::Row) -> Self {
        Self {
            number: row.number,
            tag: row.tag,
            vehicle: row.description,
            complaint: row.complaint,
            engine: row.engine,
            stage: row.stage.id(),
            flag: row.flag.id(),
            verdict: row.verdict.map(|verdict| verdict.id()),
            leading_cause: row.leader.map(|(id, probability)| CauseView { id, probability }),
            on_it: row.on_it,
            came_back_after: row.back_after,
            opened_at: row.opened_at.and_utc(),
            closed_at: row.closed_at.map(|at| at.and_utc()),
            changed_at: row.last_at.and_utc(),
        }
    }
}

/// A page of jobs, by number.
#[derive(Debug, Serialize, JsonSchema)]
pub struct JobsPage {
    /// The jobs.
    pub jobs: Vec<JobView>,
    /// Ask with this as `after` for the next page; null on the last.
    pub next: Option<i64>,
}

/// Opens a job.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewJob {
    /// Plate or fleet number, up to 40 letters.
    pub tag: String,
    /// What the vehicle is, up to 200 letters.
    #[serde(default)]
    pub vehicle: String,
    /// The engine's key.
    pub engine: Uuid,
    /// What is wrong, in the driver's words, up to 300 letters.
    pub complaint: String,
}

/// An entry of a job's history.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct EntryView {
    /// Its key.
    pub id: Uuid,
    /// Its place in the history, from 1.
    pub seq: i32,
    /// Its kind.
    pub kind: String,
    /// What it says; null where it names the customer and the token does not open that.
    pub says: Option<serde_json::Value>,
    /// Who wrote it.
    pub by: String,
    /// When it was written.
    pub written_at: DateTime<Utc>,
    /// When what it says happened.
    pub happened_at: DateTime<Utc>,
    /// The entry that it takes the place of.
    pub in_place_of: Option<Uuid>,
}

impl EntryView {
    /// As this program may see it.
    pub fn of(entry: &jobs::Entry, caller: &Caller) -> Self {
        let hidden = entry.body.is_personal() && !caller.may(Scope::ReadCustomers);
        Self {
            id: entry.id,
            seq: entry.seq,
            kind: entry.body.kind().to_owned(),
            says: if hidden { None } else { serde_json::to_value(&entry.body).ok() },
            by: entry.author_name.clone(),
            written_at: entry.written_at.and_utc(),
            happened_at: entry.happened_at.and_utc(),
            in_place_of: entry.supersedes,
        }
    }
}

/// A page of a job's history, oldest first.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EntriesPage {
    /// The entries.
    pub entries: Vec<EntryView>,
    /// Ask with this as `after` for the next page; null on the last.
    pub next: Option<i32>,
}

/// A reading that counts.
#[derive(Debug, Serialize, JsonSchema)]
pub struct ReadingView {
    /// The key of its entry.
    pub entry: Uuid,
    /// Who took it.
    pub by: String,
    /// When.
    pub at: DateTime<Utc>,
    /// The reading, in kPa gauge, rpm and °C.
    pub reading: Reading,
}

/// A finding that counts.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FindingView {
    /// The key of its entry.
    pub entry: Uuid,
    /// Who found it.
    pub by: String,
    /// When.
    pub at: DateTime<Utc>,
    /// The check.
    pub check: String,
    /// What it showed.
    pub outcomes: Vec<String>,
}

/// Adds a reading.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewReading {
    /// The reading; `instrument` is the name of a gauge of the shop.
    pub reading: Reading,
    /// The entry that it corrects.
    #[serde(default)]
    pub in_place_of: Option<Uuid>,
}

/// Adds a finding.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewFinding {
    /// The check and what it showed.
    pub evidence: Evidence,
    /// The entry that it corrects.
    #[serde(default)]
    pub in_place_of: Option<Uuid>,
}

/// Says what was said or seen at intake.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewCircumstance {
    /// Its word.
    pub circumstance: String,
    /// It is so; false clears it.
    #[serde(default = "yes")]
    pub applies: bool,
    /// The entry that it corrects.
    #[serde(default)]
    pub in_place_of: Option<Uuid>,
}

fn yes() -> bool {
    true
}

/// Adds a note.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewNote {
    /// In words, up to 1000 letters.
    pub words: String,
    /// It goes into the report.
    #[serde(default)]
    pub in_report: bool,
}

/// What became of an entry.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Wrote {
    /// Its key; null while it waits for a foreman.
    pub entry: Option<Uuid>,
    /// It was written before; nothing was written now.
    pub already: bool,
    /// Whether the engine may run, as the job is now.
    pub flag: &'static str,
    /// The program's role may not write this by itself: a foreman of the shop was asked, and it is written once they say yes.
    pub waits_for_foreman: bool,
}

/// A recorded run.
#[derive(Debug, Serialize, JsonSchema)]
pub struct CaptureView {
    /// Its key.
    pub id: Uuid,
    /// The name of its file.
    pub name: String,
    /// SHA-256 of its bytes, hexadecimal.
    pub sha256: String,
    /// When it came.
    pub uploaded_at: DateTime<Utc>,
    /// It was uploaded by mistake, and nothing is read from it any more.
    pub withdrawn: bool,
}

/// An engine.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EngineView {
    /// Its key.
    pub id: Uuid,
    /// Its name.
    pub name: String,
    /// Its card.
    pub card: Card,
    /// Its sheets that count, in the order in which they came into force.
    pub sheets: Vec<Sheet>,
}

/// A gauge.
#[derive(Debug, Serialize, JsonSchema)]
pub struct GaugeView {
    /// Its key.
    pub id: Uuid,
    /// Its name, by which readings call it.
    pub name: String,
    /// What it can show, and how it was calibrated.
    pub gauge: Instrument,
}

/// Adds a gauge.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewGauge {
    /// Its name, up to 120 letters.
    pub name: String,
    /// What it can show, and how it was calibrated.
    pub gauge: Instrument,
}

/// Something that was added, by its key.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Made {
    /// Its key.
    pub id: Uuid,
}

/// How a practice scene went.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SceneView {
    /// The number of the scene.
    pub number: i64,
    /// Who practised.
    pub by: String,
    /// Its grade, from 1.
    pub grade: u8,
    /// When it was begun.
    pub began_at: DateTime<Utc>,
    /// When it was handed back.
    pub handed_back_at: Option<DateTime<Utc>>,
    /// Its marks; null before it was handed back.
    pub marks: Option<serde_json::Value>,
}
