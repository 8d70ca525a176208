//! A scene with the way that somebody went through it, as one file that anybody can replay.
use crate::bots::{Bot, Ready};
use crate::grade::Grade;
use crate::marks::Marks;
use crate::play::{Did, Played};
use crate::scene::Scene;
use crate::written::scene_of;
use serde::{Deserialize, Serialize};
use std::fmt::Write;
use velvet_dial_core::knowledge::knowledge;

/// The format of the file.
pub const FORMAT: &str = "velvet-dial.practice-run/1";

/// The file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct RunFile {
    /// `velvet-dial.practice-run/1`.
    pub format: String,
    /// What a drawn scene follows from, with its grade.
    pub seed: u64,
    /// Its grade.
    pub grade: Grade,
    /// The scene's own file, where somebody wrote it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub written: Option<String>,
    /// What was done.
    pub played: Played,
}

impl RunFile {
    /// Reads a file.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn read(text: &str) -> Result<Self, String> {
        let file: Self = serde_json::from_str(text).map_err(|error| format!("This is no run of a practice scene: {error}"))?;
        if file.format == FORMAT { Ok(file) } else { Err(format!("The format is {FORMAT}, not “{}”.", file.format)) }
    }

    /// Its scene; none where it cannot be made any more.
    pub fn scene(&self) -> Option<Scene> {
        scene_of(self.seed, self.grade, self.written.as_deref())
    }

    /// What was done, act by act, and its marks beside the planner's way through the same scene, as text; none where the scene cannot be made any more.
    pub fn replay(&self) -> Option<String> {
        let scene = self.scene()?;
        let know = knowledge();
        let cause = |id: &str| know.cause(id).and_then(|place| know.causes.get(place)).map_or(id.to_owned(), |row| row.name.clone());
        let planner = Ready::of(&scene)?.played(Bot::Planner);
        let mut text = String::new();
        let mut minutes = 0.0;
        for act in &self.played.acts {
            let what = match &act.did {
                Did::Run => "The gauge, for the first time".to_owned(),
                Did::Check(check) => know.check(check).map_or(check.clone(), |row| row.ask.clone()),
                Did::Reading(at) => format!("The gauge at {at}"),
                Did::Repair(id) => format!("Repaired: {}", cause(id)),
                Did::Hidden => "Thicker oil, a shim or a heavier spring".to_owned(),
                Did::Recheck => "The gauge, after the repair".to_owned(),
                Did::Help => "Help was bought".to_owned(),
            };
            let worth = act.worth.map_or_else(String::new, |worth| format!(", worth {:.0} % of the best then", 100.0 * worth));
            let _ = writeln!(text, "{minutes:>5.0} min  {what}{worth}");
            minutes += act.minutes;
        }
        let faults: Vec<String> = scene.faults().filter_map(|place| know.causes.get(place)).map(|row| row.name.clone()).collect();
        let hidden = if faults.is_empty() { "nothing".to_owned() } else { faults.join(" and ") };
        let _ = writeln!(
            text,
            "\nHidden: {hidden}. {minutes:.0} minutes and {:.0}; the planner: {:.0} and {:.0}.",
            self.played.money(),
            planner.minutes(),
            planner.money()
        );
        for mark in Marks::of(&self.played, planner.money()).marks {
            let _ = writeln!(text, "{:<7} {:>4.1}  {}", mark.of, mark.points, mark.because.join(" "));
        }
        Some(text)
    }
}
