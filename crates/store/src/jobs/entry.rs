//! What an entry of the ledger may say.
use chrono::NaiveDateTime;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use velvet_dial_core::case::{Phase, Reading};

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
    /// The author's name.
    pub author_name: String,
    /// When, UTC.
    pub written_at: NaiveDateTime,
    /// The entry it takes the place of.
    pub supersedes: Option<Uuid>,
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
    /// A reading.
    Reading(TakenReading),
    /// A check's outcome.
    Evidence {
        /// Check.
        check: String,
        /// Outcome.
        outcome: String,
    },
    /// What was put right.
    Repair(Repair),
    /// The superseded entry no longer holds, and why.
    Withdrawn {
        /// Why.
        reason: String,
    },
    /// The job is done.
    Closed {},
}

impl Body {
    /// The column `kind`, for people who look at the table.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::Circumstance { .. } => "circumstance",
            Self::Reading(taken) if taken.reading.phase == Phase::After => "after_reading",
            Self::Reading(_) => "reading",
            Self::Evidence { .. } => "evidence",
            Self::Repair(_) => "repair",
            Self::Withdrawn { .. } => "withdrawn",
            Self::Closed {} => "closed",
        }
    }

    /// What an entry is about: of two live entries about the same thing the later must supersede the earlier.
    pub fn subject(&self) -> Option<String> {
        match self {
            Self::Circumstance { circumstance, .. } => Some(format!("circumstance {circumstance}")),
            Self::Evidence { check, .. } => Some(format!("check {check}")),
            Self::Closed {} => Some("closed".to_owned()),
            Self::Reading(_) | Self::Repair(_) | Self::Withdrawn { .. } => None,
        }
    }
}
