//! `demo/shop.toml` as types, and the files beside it.
use rust_embed::RustEmbed;
use serde::Deserialize;
use velvet_dial_core::adapter::Adapter;
use velvet_dial_core::case::Replaced;
use velvet_dial_core::circuit::Card;
use velvet_dial_core::experience::KnownPattern;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::limits::Sheet;
use velvet_dial_core::rights::Role;
use velvet_dial_core::strip_down::{CrankSaid, JournalSaid};

/// The folder, carried in the program: the shop's own file, recorded runs, and whatever else a later entry names.
#[derive(RustEmbed)]
#[folder = "demo/"]
pub struct Folder;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Shop {
    pub shop: String,
    /// Zone of its clock.
    pub zone: String,
    /// Hour and minute it opens and closes.
    pub hours: [String; 2],
    pub labour_rate: f64,
    pub money: String,
    pub user: Vec<User>,
    pub gauge: Vec<Gauge>,
    #[serde(default)]
    pub adapter: Vec<Piece>,
    pub engine: Vec<Engine>,
    #[serde(default)]
    pub pattern: Vec<Pattern>,
    /// The stand-in rig that the demo starts.
    pub rig: Rig,
    pub job: Vec<Job>,
}
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Rig {
    pub name: String,
    pub gauge: String,
    /// Plate of the job that it is assigned to, and its engine.
    pub tag: String,
    pub engine: String,
    pub fault: String,
    pub severity: f64,
    /// How much faster than an engine the oil warms.
    pub warms: f64,
    pub odd: Vec<String>,
}
#[derive(Deserialize)]
pub struct Pattern {
    pub family: String,
    #[serde(flatten)]
    pub known: KnownPattern,
}
#[derive(Deserialize)]
pub struct User {
    pub sign_in: String,
    pub shown_name: String,
    pub role: Role,
}
#[derive(Deserialize)]
pub struct Gauge {
    pub name: String,
    pub gauge: Instrument,
}
#[derive(Deserialize)]
pub struct Piece {
    pub name: String,
    #[serde(flatten)]
    pub adapter: Adapter,
}
#[derive(Deserialize)]
pub struct Engine {
    pub name: String,
    pub card: Card,
    pub sheets: Vec<Sheet>,
}
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Job {
    pub tag: String,
    pub description: String,
    pub engine: String,
    pub complaint: String,
    pub days_ago: i64,
    /// Recorded runs that it holds, files of this folder.
    #[serde(default)]
    pub captures: Vec<String>,
    pub entries: Vec<Entry>,
}
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Entry {
    pub who: String,
    pub at: i64,
    pub told: Option<String>,
    pub replaced: Option<Replaced>,
    pub check: Option<String>,
    pub found: Option<String>,
    pub rpm: Option<f64>,
    pub oil: Option<f64>,
    #[serde(default)]
    pub estimated: bool,
    pub kpa: Option<f64>,
    #[serde(default)]
    pub spread: f64,
    pub gauge: Option<String>,
    #[serde(default)]
    pub after: bool,
    pub cause: Option<String>,
    #[serde(default)]
    pub done: String,
    #[serde(default)]
    pub follow_up: String,
    /// Cause of the repair that is taken back.
    pub withdraw: Option<String>,
    #[serde(default)]
    pub why: String,
    #[serde(default)]
    pub closed: bool,
    /// Customer, how to reach them, odometer and who is on it.
    pub customer: Option<String>,
    #[serde(default)]
    pub reach: String,
    pub odometer_km: Option<f64>,
    pub on_it: Option<String>,
    /// A step of the rig with its answer, and what the gauge showed at rest.
    pub rig: Option<String>,
    #[serde(default)]
    pub answer: String,
    pub zero: Option<f64>,
    /// Who said yes to opening it; `answer` says how.
    pub agreed: Option<String>,
    pub up_to: Option<f64>,
    /// What the sheet says of the crank, and a journal as it was found.
    pub crank: Option<CrankSaid>,
    pub journal: Option<JournalSaid>,
    /// The job before, of a vehicle that came back with the same.
    pub back_after: Option<i64>,
}
