//! What makes a job a scene of the practice bench.
use chrono::NaiveDateTime;
use serde::{Deserialize, Serialize};
use uuid::Uuid;

/// What a job of the practice bench was begun with.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct SceneBegun {
    /// All of a drawn scene follows from this and its grade.
    pub seed: u64,
    /// Its grade, from 0.
    pub grade: u8,
    /// The rest of it.
    pub given: Given,
    /// The task by which it was set to somebody.
    pub task: Option<Uuid>,
}

/// How a scene is given.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Given {
    /// Its file, where somebody wrote it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub written: Option<String>,
    /// Its place in the course, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub lesson: Option<u8>,
    /// Whether the suspects are seen.
    #[serde(default)]
    pub suspects: Suspects,
}

/// Whether the suspects are seen while somebody practises.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Suspects {
    /// As on a real job.
    #[default]
    Open,
    /// One look at a time, at a price.
    AtAPrice,
    /// Never.
    Covered,
}

/// A scene of the practice bench.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Scene {
    /// What it was begun with.
    pub begun: SceneBegun,
    /// When it was handed back, UTC.
    pub ended_at: Option<NaiveDateTime>,
    /// What came of it, as JSON; none before it is handed back.
    pub result: Option<String>,
}

impl Scene {
    pub(crate) fn of_row(
        (seed, grade): (Option<i64>, Option<i16>),
        given: Option<&str>,
        task: Option<Uuid>,
        ended_at: Option<NaiveDateTime>,
        result: Option<String>,
    ) -> Option<Self> {
        let given = given.and_then(|text| serde_json::from_str(text).ok()).unwrap_or_default();
        let begun = SceneBegun { seed: seed? as u64, grade: u8::try_from(grade?).ok()?, given, task };
        Some(Self { begun, ended_at, result })
    }
}

/// Help on the practice bench.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Help {
    /// A hint.
    Hint,
    /// One look at the suspects.
    Suspects,
    /// The maker was asked for the sheet in force.
    Sheet,
}
