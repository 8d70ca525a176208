//! A scene that somebody writes, as TOML, and that is checked when it is read: every word in it is known, its engine can have its fault, nothing in it contradicts it,
//! and it can be found in its time.
use crate::bots;
use crate::grade::Grade;
use crate::proving::proves;
use crate::scene::{Scene, Wish};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use velvet_dial_core::knowledge::{BANDS, Knowledge, knowledge};
use velvet_dial_core::rigging;
use velvet_dial_engines::HABITS;

/// The format of the file.
pub const FORMAT: &str = "velvet-dial.scene/1";
/// Longest texts, in characters.
const MOST_SAID: usize = 300;
const MOST_LESSON: usize = 600;
/// A gauge that is off is off by this much at rest, kPa.
const OFF_KPA: std::ops::RangeInclusive<f64> = 15.0..=120.0;
/// Least share of an outcome among what a fault shows, for a scene to say that it shows it.
const SEEN: f64 = 0.01;

/// A written scene.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Written {
    /// `velvet-dial.scene/1`.
    pub format: String,
    /// What it is called in a list. It must not give the fault away.
    pub title: String,
    /// How hard it is: its time, and whether a look can be mistaken.
    pub grade: Grade,
    /// Any whole number; the engine's sizes follow from it.
    pub seed: u64,
    /// The maker whose habits the engine is built by; any, where none is named.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub maker: Option<String>,
    /// The vehicle and the customer.
    pub customer: Customer,
    /// What is wrong with it.
    pub fault: FaultWritten,
    /// How far the test gauge is off at rest, kPa, up or down.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gauge_off_kpa: Option<f64>,
    /// Which sheet the shop has.
    #[serde(default)]
    pub sheet: SheetWritten,
    /// What checks show whatever the fault shows: outcome by check.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub shows: BTreeMap<String, String>,
    /// What is said step by step to somebody who has never done this.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub guide: Vec<Guide>,
    /// What it teaches, said after it.
    #[serde(default)]
    pub lesson: String,
}

/// The vehicle and the customer of a written scene.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Customer {
    /// What the vehicle is.
    pub vehicle: String,
    /// What the customer says.
    pub says: String,
    /// What of it is entered at intake: circumstances, by id.
    #[serde(default)]
    pub tells: Vec<String>,
}

/// What is wrong with a written scene's engine.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FaultWritten {
    /// The cause, by id; `within_spec` where nothing is wrong.
    pub cause: String,
    /// A second cause, which the knowledge has as a pair with the first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub second: Option<String>,
    /// Whether it is slight; left open where it is not said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub slight: Option<bool>,
}

/// Which sheet the shop has of a written scene's engine.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "snake_case")]
pub enum SheetWritten {
    /// The one in force.
    #[default]
    InForce,
    /// A first issue, which asks a quarter more than the one in force.
    Old,
    /// None.
    None,
}

/// A step of a guided scene.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Guide {
    /// It is done once this was: a check's id, `rig:` and a step of fitting the gauge, `reading`, `repair` or `recheck`.
    pub until: String,
    /// What is said until then.
    pub say: String,
}

/// The JSON Schema of the file.
pub fn schema() -> schemars::Schema {
    schemars::schema_for!(Written)
}

/// A scene as somebody wrote it, or where nobody did as it is drawn; none where it cannot be made any more.
pub fn scene_of(seed: u64, grade: Grade, written: Option<&str>) -> Option<Scene> {
    match written {
        Some(text) => Written::read(text).ok()?.scene(),
        None => Scene::drawn(seed, grade),
    }
}

/// What is wrong with a file, a sentence each.
pub type Wrong = Vec<String>;

impl Written {
    /// Reads a file.
    ///
    /// # Errors
    /// What is wrong with it, with what would be right.
    pub fn read(text: &str) -> Result<Self, Wrong> {
        let one: Self = toml::from_str(text).map_err(|error| vec![format!("This is no scene: {}", error.message())])?;
        let wrong = one.wrong();
        if wrong.is_empty() { Ok(one) } else { Err(wrong) }
    }

    /// The file.
    pub fn text(&self) -> String {
        toml::to_string(self).unwrap_or_default()
    }

    fn wrong(&self) -> Wrong {
        let know = knowledge();
        let mut wrong = Wrong::new();
        let mut must = |holds: bool, said: &dyn Fn() -> String| {
            if !holds {
                wrong.push(said());
            }
        };
        must(self.format == FORMAT, &|| format!("The format is {FORMAT}, not “{}”.", self.format));
        must(self.seed <= i64::MAX as u64, &|| "The seed is a whole number that is not negative.".to_owned());
        let texts = [("title", &self.title), ("vehicle", &self.customer.vehicle), ("says", &self.customer.says)];
        for (name, text) in texts {
            must(!text.trim().is_empty() && text.chars().count() <= MOST_SAID, &|| format!("“{name}” holds 1 to {MOST_SAID} characters."));
        }
        must(self.lesson.chars().count() <= MOST_LESSON, &|| format!("“lesson” holds at most {MOST_LESSON} characters."));
        if let Some(maker) = &self.maker {
            let names: Vec<&str> = HABITS.iter().map(|habit| habit.name).collect();
            must(names.contains(&maker.as_str()), &|| format!("No maker is called “{maker}”. There are {}.", names.join(", ")));
        }
        for told in &self.customer.tells {
            must(know.circumstances.iter().any(|one| one.id == *told), &|| {
                format!("The customer cannot tell “{told}”: docs/trade.md has the words.")
            });
        }
        let cause = |id: &str| know.cause(id);
        for id in [Some(&self.fault.cause), self.fault.second.as_ref()].into_iter().flatten() {
            let may = cause(id).is_some() && !["something_else", "test_gauge"].contains(&id.as_str());
            must(may, &|| {
                format!("“{id}” is no cause that a scene can have: docs/trade.md has the words. A gauge that is off is “gauge_off_kpa”.")
            });
        }
        if cause(&self.fault.cause).is_some() {
            must(self.truth(know).is_some(), &|| {
                format!("“{}” and “{}” are no pair that is known.", self.fault.cause, self.fault.second.as_deref().unwrap_or_default())
            });
        }
        if let Some(kpa) = self.gauge_off_kpa {
            must(OFF_KPA.contains(&kpa.abs()), &|| {
                format!("A gauge is off by {:.0} to {:.0} kPa, up or down, not by {kpa}.", OFF_KPA.start(), OFF_KPA.end())
            });
        }
        for (check, outcome) in &self.shows {
            let Some(row) = know.check(check) else {
                must(false, &|| format!("“{check}” is no check: docs/trade.md has the words."));
                continue;
            };
            let Some(place) = row.outcome(outcome) else {
                let known: Vec<&str> = row.outcomes.iter().map(|one| one.id.as_str()).collect();
                must(false, &|| format!("“{check}” does not show “{outcome}”. It shows {}.", known.join(", ")));
                continue;
            };
            let shown =
                self.truth(know).map(|truth| (0..BANDS).map(|band| row.likelihood(truth * BANDS + band, place)).fold(0.0, f64::max));
            must(shown.is_none_or(|p| p >= SEEN), &|| format!("“{check}” never shows “{outcome}” with this fault."));
        }
        for step in &self.guide {
            let rigs = step.until.strip_prefix("rig:").is_some_and(|id| rigging::step(id).is_some());
            let known = rigs || ["reading", "repair", "recheck"].contains(&step.until.as_str()) || know.check(&step.until).is_some();
            must(known, &|| {
                format!(
                    "A guide's step is done by a check's id, “rig:zero” and its like, “reading”, “repair” or “recheck”, not by “{}”.",
                    step.until
                )
            });
        }
        wrong
    }

    fn truth(&self, know: &Knowledge) -> Option<usize> {
        let first = know.cause(&self.fault.cause)?;
        let second = self.fault.second.as_deref().map(|id| know.cause(id));
        know.hypotheses.iter().position(|one| match second {
            None => one.first == first && one.second.is_none(),
            Some(second) => second.is_some() && one.second == second && one.first == first,
        })
    }

    /// The scene; none where no engine of this maker can have such a fault, or each hides it too well.
    pub fn scene(&self) -> Option<Scene> {
        let know = knowledge();
        let shown = self.shows.iter().filter_map(|(check, outcome)| Some((check.clone(), know.check(check)?.outcome(outcome)?)));
        Scene::written(&Wish {
            seed: self.seed,
            maker: self.maker.as_deref(),
            grade: self.grade,
            truth: self.truth(know)?,
            slight: self.fault.slight,
            gauge_off_kpa: self.gauge_off_kpa,
            told: &self.customer.tells,
            shown: shown.collect(),
            sheet: self.sheet,
        })
    }

    /// The scene, once it is known that it can be found in its grade's time by somebody who measures.
    ///
    /// # Errors
    /// Why it cannot be given to anybody.
    pub fn solvable(&self) -> Result<Scene, String> {
        let scene = self.scene().ok_or_else(|| {
            "No engine could be found that has this fault and shows it. Try another seed or maker, or say nothing of “slight”.".to_owned()
        })?;
        let played = bots::all(&scene).ok_or_else(|| "The engine's oil is of no known grade.".to_owned())?;
        if played.values().any(|one| proves(one, self.grade)) {
            return Ok(scene);
        }
        let minutes = self.grade.mix().budget_minutes;
        Err(format!("Nobody who measures finds it in {minutes:.0} minutes without a repair in vain. Try another seed, or a harder grade."))
    }
}
