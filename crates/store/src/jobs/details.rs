//! What the kinds of entries carry.
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use velvet_dial_core::case::Reading;
use velvet_dial_core::experience::Known;
use velvet_dial_core::live::{Beyond, StopCall};
use velvet_dial_core::opened::SourceIs;
use velvet_dial_core::record::NoteSort;
use velvet_dial_core::record::Signed;
use velvet_dial_core::signing::follow_up_hash;
use velvet_dial_core::strip_down::{PumpMeasured, ScreenMeasured, Spring};

/// Whose vehicle it is, how far it has gone and who works on it.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Particulars {
    /// Name of the customer.
    pub customer: String,
    /// How to reach them.
    pub reach: String,
    /// Odometer, km.
    pub odometer_km: Option<f64>,
    /// Who is on it: a user of the shop, and their name.
    pub on_it: Option<(Uuid, String)>,
}

/// One step of fitting the gauge.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct RigStep {
    /// The step's word.
    pub step: String,
    /// Its answer, or that it was skipped.
    pub answer: String,
    /// What the gauge showed with its line open, kPa.
    #[serde(default)]
    pub zero_kpa: Option<f64>,
    /// The gauge that was fitted, by key.
    #[serde(default)]
    pub gauge: Option<Uuid>,
}

/// A photo of something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shown {
    /// Its key.
    pub photo: Uuid,
    /// The check whose finding it shows; empty where it shows the job.
    pub of: String,
    /// What it shows, in the technician's words.
    #[serde(default)]
    pub words: String,
}

/// Something seen or done beside the checks, in words, with a photo where there is one.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Note {
    /// What it is about.
    pub sort: NoteSort,
    /// In words; may be empty beside a photo.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub words: String,
    /// Its photo.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub photo: Option<Uuid>,
    /// The stage it was written at, by its word.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub stage: String,
    /// It goes into the report.
    #[serde(default)]
    pub in_report: bool,
    /// It is kept with the engine, for the next job on one.
    #[serde(default)]
    pub for_engine: bool,
    /// The entry that it belongs to: a reading, a finding, a step that was done. None where it belongs to the job.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub about: Option<Uuid>,
}

/// What a job was opened with, corrected.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct JobDetails {
    /// Plate or fleet number.
    pub tag: String,
    /// What the vehicle is.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub description: String,
    /// What the customer said.
    pub complaint: String,
    /// The engine, and its name on that day.
    pub engine: Uuid,
    /// Its name.
    pub engine_name: String,
}

/// A reading as it was taken.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct TakenReading {
    /// The numbers.
    pub reading: Reading,
    /// The gauge, by key; its name in `reading` is the case file's.
    pub gauge: Option<Uuid>,
    /// The capture it was taken from, and from when to when in it, s.
    pub capture: Option<(Uuid, f64, f64)>,
    /// How it was held, where a rig measured that.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub held: Option<Held>,
}

/// A hold as a rig measured it.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Held {
    /// Pressures that the reading is the mean of.
    pub count: u32,
    /// How fast the pressure drifted, kPa a second.
    pub slope_kpa_s: f64,
    /// What the vehicle's own signal said meanwhile, kPa, where the rig had that too.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dash_kpa: Option<f64>,
}

/// A stop that the live gauge called.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StopCalled {
    /// The recorded run.
    pub run: Uuid,
    /// Since when in it, s.
    pub from_s: f64,
    /// For how long it had lasted when the stop was called, s.
    pub seconds: f64,
    /// Mean pressure meanwhile, kPa; none at a start without pressure.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kpa: Option<f64>,
    /// Mean speed meanwhile, turns a minute.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rpm: Option<f64>,
    /// The engine's stop line at that speed, or the upper one where the pressure was over it, kPa.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line_kpa: Option<f64>,
    /// Somebody has answered that the engine is off.
    #[serde(default)]
    pub answered: bool,
}

impl StopCalled {
    /// The call as it was made.
    pub fn call(&self) -> StopCall {
        let Self { from_s, seconds, kpa, rpm, line_kpa, .. } = *self;
        match kpa {
            Some(kpa) => StopCall::BeyondLine(Beyond { from_s, to_s: from_s + seconds, kpa, rpm, line_kpa }),
            None => StopCall::NoPressure(seconds),
        }
    }

    /// The check that it answers: how long pressure takes at a start, or why the pressure is far too high.
    pub fn about(&self) -> Option<&'static str> {
        match self.call() {
            StopCall::NoPressure(_) => Some("build_time"),
            StopCall::BeyondLine(beyond) if beyond.over() => Some("relief_plunger"),
            StopCall::BeyondLine(_) | StopCall::Lost(_) => None,
        }
    }
}

/// What was put right.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Repair {
    /// The cause it was, by its word; none when it was no cause of the list.
    pub cause: Option<String>,
    /// What was done, in the technician's words.
    pub done: String,
    /// What else may follow, for the customer.
    #[serde(default)]
    pub follow_up: String,
    /// It hides the fault and does not remove it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stopgap: bool,
}

/// What was found after a job was closed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FollowUp {
    /// The check; empty where it is words alone.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub check: String,
    /// Its outcome.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub outcome: String,
    /// In the technician's words.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub words: String,
    /// The hash of the report that it follows; empty of one without.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub report: String,
    /// The shop's signature of all of this; none where the server has no key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub signed: Option<Signed>,
}

impl FollowUp {
    /// What is signed of it.
    pub fn hash(&self) -> String {
        follow_up_hash(&self.report, [&self.check, &self.outcome, &self.words])
    }

    /// It is not signed, or its signature is that of what it says.
    pub fn holds(&self) -> bool {
        self.signed.as_ref().is_none_or(|signed| signed.holds(&self.hash()))
    }
}

/// A figure taken with the engine open, by the part it is of.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(tag = "part", rename_all = "snake_case")]
pub enum Measured {
    /// Light through the pickup's screen.
    Screen(ScreenMeasured),
    /// The relief's spring.
    Spring(Spring),
    /// The pump.
    Pump(PumpMeasured),
}

/// What a job turned out to be, as it was closed.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Found {
    /// The cause, by its word; none where it was none of the list, or nobody said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cause: Option<String>,
    /// How that is known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub known: Option<Known>,
    /// Minutes it took, from the first bolt to the proof.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub took_min: Option<f64>,
    /// Minutes that were planned for it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub planned_min: Option<f64>,
    /// What is said of the source of the debris that was found.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub source: Option<SourceIs>,
    /// Why it was closed without proof; empty where it is proven, or nobody asked.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub without_proof: String,
}

impl Found {
    /// It names the same cause, known the same way.
    pub fn same_cause(&self, other: &Self) -> bool {
        (&self.cause, self.known) == (&other.cause, other.known)
    }

    pub(super) fn is_silent(&self) -> bool {
        *self == Self::default()
    }
}
