//! What became of a practice job, entry by entry: its vehicle, its clock and its till.
use super::price;
use std::collections::HashMap;
use velvet_dial_core::circuit::Working;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::rigging::SKIPPED;
use velvet_dial_core::vehicle::Vehicle;
use velvet_dial_practice::condition::{Condition, Wreck};
use velvet_dial_practice::scene::Scene;
use velvet_dial_practice::senses::sense;
use velvet_dial_store::jobs::{Body, Entry, Help, Job};

/// Where a practice job is.
#[derive(Debug, Default)]
pub struct Walk {
    /// The vehicle.
    pub condition: Condition,
    /// The worst that it did to itself.
    pub wreck: Wreck,
    /// Minutes and money so far, withdrawn or not.
    pub minutes: f64,
    pub money: f64,
    /// What each check showed since the last repair, by its id: its outcome's id, and what that is like.
    pub senses: HashMap<String, (&'static str, &'static str)>,
    /// Where the gauge was read last, and what it showed, kPa.
    pub read: Option<(Working, f64)>,
    /// What happened by itself at the last run.
    pub happened: Option<&'static str>,
    /// The gauge's line was led past belts and exhaust, or it has come into the belt.
    pub line: Line,
    /// The air is out of the line.
    pub bled: bool,
    /// Readings so far.
    pub readings: usize,
    /// Hints that were bought, and how many of them since the last repair.
    pub hints: usize,
    /// The maker was asked for the sheet in force.
    pub asked_sheet: bool,
    /// The suspects were uncovered, and nothing was done since.
    pub uncovered: bool,
}

/// The gauge's line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Line {
    /// Nobody looked where it runs.
    #[default]
    Loose,
    /// It was led away from what turns and what is hot.
    Led,
    /// It came into the belt, and was renewed.
    Cut,
}

/// A repair that takes the place of the same one: its words were corrected, and nothing was done again.
pub fn is_reworded(job: &Job, entry: &Entry) -> bool {
    let Body::Repair(repair) = &entry.body else { return false };
    let before = entry.supersedes.and_then(|id| job.entries.iter().find(|known| known.id == id));
    before
        .is_some_and(|before| matches!(&before.body, Body::Repair(same) if (&same.cause, same.stopgap) == (&repair.cause, repair.stopgap)))
}

/// A line that nobody led comes into the belt at this reading.
const CUT_AT: usize = 3;
const CUT: &str =
    "Oil sprays over the engine bay: the gauge's line has come into the belt. A new line and the cleaning cost forty minutes.";

impl Walk {
    /// Walks a job up to its last entry.
    pub fn through(job: &Job, scene: &Scene) -> Self {
        let mut walk = Self::default();
        for entry in job.entries.iter().filter(|entry| !is_reworded(job, entry)) {
            walk.take(entry, scene);
        }
        walk
    }

    /// Goes on by one entry.
    pub fn take(&mut self, entry: &Entry, scene: &Scene) {
        let (minutes, money) = price::of_entry(&entry.body, self.condition.wreck);
        self.minutes += minutes;
        self.money += money;
        match &entry.body {
            Body::Sensed { check, at, forbidden, .. } => {
                self.uncovered = false;
                self.happened = None;
                if let Some((rpm, oil_temp_c)) = at {
                    self.read(Working { rpm: *rpm, oil_temp_c: *oil_temp_c }, *forbidden, scene);
                } else {
                    self.sense(check, scene);
                }
            }
            // After a repair each check is done anew.
            Body::Repair(repair) => {
                self.senses.clear();
                self.uncovered = false;
                self.happened = None;
                if repair.stopgap {
                    self.condition.hide();
                } else if let Some(cause) = repair.cause.as_deref().and_then(|id| knowledge().cause(id)) {
                    self.condition.repair(cause);
                }
            }
            Body::Rig(done) if done.step == "route" && done.answer != SKIPPED && self.line == Line::Loose => {
                self.line = Line::Led;
            }
            Body::Rig(done) if done.step == "bleed" => self.bled = done.answer != SKIPPED,
            Body::Helped { help: Help::Hint, .. } => self.hints += 1,
            Body::Helped { help: Help::Suspects, .. } => self.uncovered = true,
            Body::Helped { help: Help::Sheet, .. } => self.asked_sheet = true,
            _ => {}
        }
    }

    fn sense(&mut self, check: &str, scene: &Scene) {
        let outcome = scene.now(&self.condition).outcome(check);
        let outcome = knowledge().check(check).and_then(|row| row.outcomes.get(outcome)).map_or("", |outcome| outcome.id.as_str());
        self.senses.extend(sense(check, outcome).map(|said| (check.to_owned(), (outcome, said))));
    }

    fn read(&mut self, at: Working, forbidden: bool, scene: &Scene) {
        self.readings += 1;
        let before = self.condition.wreck;
        self.condition.run(scene, at, forbidden);
        if self.condition.wreck > before {
            self.happened = self.condition.wreck.sense();
            self.wreck = self.wreck.max(self.condition.wreck);
        }
        if self.readings == CUT_AT && self.line == Line::Loose {
            self.line = Line::Cut;
            let (minutes, money) = price::LINE_CUT;
            self.minutes += minutes;
            self.money += money;
            self.happened = self.happened.or(Some(CUT));
        }
        self.read = Some((at, scene.now(&self.condition).gauge_kpa(at)));
    }
}
