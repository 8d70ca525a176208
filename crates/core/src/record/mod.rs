//! A job's record: all that its report tells, without a page round it.
//!
//! Page, JSON and paper are drawn from it alone. A closing keeps it, so that a later change of the card, the sheet, a gauge or the knowledge changes
//! no closed report. Everything is in the core's own units, so that any of them can be shown.
mod make;
mod plain;
mod sealed;

pub use make::{Ledger, Papers, Taken, points, record};
pub use plain::{in_ten, sentences};
pub use sealed::{Chained, Personal, Seal, Signed};

use crate::case::Case;
use crate::choice::choice;
use crate::diagnosis::{Curve, Proof};
use crate::experience::Known;
use crate::flag::Word;
use crate::limits::{Decision, Point, Sheet};
use crate::unit::Gear;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};

/// The value of `format`.
pub const FORMAT: &str = "velvet-dial.report/3";
/// That of reports of before each was signed as its job was closed.
pub const FIRST_FORMAT: &str = "velvet-dial.report/1";
/// Tells one state of this core's code from another, 16 hexadecimal digits: figures are worked out again only by the code that made them.
pub const CORE: &str = env!("VELVET_DIAL_CORE");
/// The program and its version.
pub const SOFTWARE: &str = concat!("Velvet Dial ", env!("CARGO_PKG_VERSION"));

/// A job's record.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Record {
    /// [`FORMAT`]; in older records [`FIRST_FORMAT`], or `velvet-dial.report/2` where the customer was signed with the rest.
    pub format: String,
    /// The program that made it, and its version; older records do not say.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub software: String,
    /// The state of the code that worked it out, as [`CORE`]; empty in records of the first format.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub core: String,
    /// Fingerprint of the knowledge that judged.
    pub knowledge: String,
    /// Whose job it is.
    pub papers: Papers,
    /// What was judged: card, sheet, gauges, readings, findings.
    pub case: Case,
    /// Other revisions of the sheet.
    pub other_sheets: Vec<Sheet>,
    /// May it run.
    pub flag: FlagSaid,
    /// No sheet was at hand.
    pub rule_of_thumb: bool,
    /// Over the readings before.
    pub verdict: Decision,
    /// Over the readings after.
    pub proof: Decision,
    /// How far the readings after prove it; none where nothing was put right, and in older records.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proven: Option<Proof>,
    /// Each line of the sheet, before and after.
    pub points: Vec<PointSaid>,
    /// Every reading in the order it was taken.
    pub readings: Vec<ReadingSaid>,
    /// The causes that lead, most probable first.
    pub causes: Vec<CauseSaid>,
    /// Probability that the circuit has no fault that its pressures could show.
    pub sound: f64,
    /// For the customer: a sentence each.
    pub plain: Vec<String>,
    /// How the technician says that the cause is known; none on a draft, and in older records.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub known: Option<Known>,
    /// What was put right.
    pub repairs: Vec<RepairSaid>,
    /// What the leading causes would show.
    pub curves: Vec<Curve>,
    /// Recorded runs.
    pub recordings: Vec<Recording>,
    /// Every entry, oldest first.
    pub log: Vec<Line>,
    /// The ledger with its hashes, and the hashes of case and report; none in older records.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub seal: Option<Seal>,
    /// What it says of the customer, kept beside what is signed; none on a draft, in older records, and where the customer was removed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub personal: Option<Personal>,
}

choice! {
    /// What a note is about.
    NoteSort {
        /// Something seen beside the work.
        SideFinding = "side_finding": "side finding",
        /// What made the work hard.
        Snag = "snag": "snag",
        /// A fault code with its text.
        Code = "code": "fault code",
        /// A part that broke.
        BrokenPart = "broken_part": "broken part",
        /// How one gets at it: tools, port, order of bolts.
        WayIn = "way_in": "way in, tools",
        /// Anything else.
        Other = "other": "note",
    }
}

/// The flag in words.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FlagSaid {
    /// The word.
    pub word: Word,
    /// Why; empty when it may run.
    pub why: String,
    /// What to do instead; empty when it may run.
    pub instead: String,
}

/// A line of the sheet.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct PointSaid {
    /// The line.
    pub point: Point,
    /// It is the engine's idle.
    pub idle: bool,
    /// As it came.
    pub before: Option<Judged>,
    /// As it goes.
    pub after: Option<Judged>,
}

/// What a reading says.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Judged {
    /// Brought to the point, kPa.
    pub measured_kpa: f64,
    /// Combined standard uncertainty, kPa.
    pub u_kpa: f64,
    /// Probability that the true value conforms.
    pub probability_conforms: f64,
    /// What it says.
    pub decision: Decision,
}

/// A reading of the case with who took it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ReadingSaid {
    /// Place among the case's readings.
    pub reading: usize,
    /// Gear, for a line on paper.
    pub gear: Gear,
    /// The limit it is judged by.
    pub point: Option<Point>,
    /// Speed or temperature differed, and the model brought it over.
    pub brought: bool,
    /// What it says.
    pub judged: Judged,
    /// Who took it.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
    /// From when to when in the recorded run that it was taken from, s.
    pub of_run: Option<(f64, f64)>,
    /// That run, by its key; older records do not say which.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub run: Option<String>,
}

/// A cause.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct CauseSaid {
    /// Word of the list.
    pub id: String,
    /// Name.
    pub name: String,
    /// Part.
    pub group: String,
    /// Odds.
    pub probability: f64,
}

/// A repair.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RepairSaid {
    /// The cause's name.
    pub cause: String,
    /// The cause; none where it is not on the list, and in older records.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// It hides the fault and does not remove it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stopgap: bool,
    /// It did not help, and why the technician says so; none of one that counts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub in_vain: Option<String>,
    /// What was done.
    pub done: String,
    /// What may follow.
    pub follow_up: String,
    /// Who.
    pub who: String,
    /// When.
    pub at: DateTime<Utc>,
}

/// A recorded run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Recording {
    /// Its key; older records do not say.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub id: String,
    /// Name of the file, or of the rig that recorded it.
    pub name: String,
    /// SHA-256 of the file's bytes; empty of a rig's run, which was recorded into this job and stands in no other.
    pub digest: String,
    /// Numbers of the other jobs of the shop that hold the same bytes.
    pub also_in: Vec<i64>,
}

/// Speed, temperature and gear of a reading.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Place {
    /// Engine speed, rpm.
    pub rpm: f64,
    /// Oil temperature, °C.
    pub oil_temp_c: f64,
    /// Gear.
    pub gear: Gear,
}

/// An entry of the ledger.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Line {
    /// What it says; of a reading without its pressure.
    pub what: String,
    /// The pressure of a reading, or what the gauge showed at rest, kPa.
    pub kpa: Option<f64>,
    /// Where a reading was taken; older records say it in `what`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<Place>,
    /// Of older records alone: `what` is a sentence of ours with figures in it, in kPa and °C.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub figures: bool,
    /// Who wrote it.
    pub who: String,
    /// When it happened.
    pub at: DateTime<Utc>,
    /// When it was written down, where that was another time.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub written_at: Option<DateTime<Utc>>,
    /// It no longer holds.
    pub struck: bool,
    /// Why.
    pub reason: String,
    /// Key of the photo that it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub photo: Option<String>,
    /// It is a note that goes into the report.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub note: bool,
    /// It says something of the customer: kept beside what is signed.
    #[serde(skip)]
    pub personal: bool,
}
