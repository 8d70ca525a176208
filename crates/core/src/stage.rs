//! The stages of a job, in the order of the work: one word each in addresses, screens and tests.
use crate::case::{Case, Deed, Phase};
use crate::flag;
use crate::knowledge::knowledge;

/// A stage of the job.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stage {
    /// What was seen and done.
    Intake,
    /// Checks of minutes, before any gauge.
    Look,
    /// A gauge is fitted that can be believed.
    Rig,
    /// The gauge is read.
    Run,
    /// Against the sheet.
    Compare,
    /// To the cause.
    Trace,
    /// It is opened, and what lies behind it is noted.
    OpenUp,
    /// It is mended.
    PutRight,
    /// The same points again.
    Prove,
}

impl Stage {
    /// In the order of the work.
    pub const ALL: [Self; 9] =
        [Self::Intake, Self::Look, Self::Rig, Self::Run, Self::Compare, Self::Trace, Self::OpenUp, Self::PutRight, Self::Prove];

    /// In an address.
    pub fn id(self) -> &'static str {
        match self {
            Self::Intake => "intake",
            Self::Look => "look",
            Self::Rig => "rig",
            Self::Run => "run",
            Self::Compare => "compare",
            Self::Trace => "trace",
            Self::OpenUp => "open-up",
            Self::PutRight => "put-right",
            Self::Prove => "prove",
        }
    }

    /// For a person.
    pub fn title(self) -> &'static str {
        match self {
            Self::Intake => "Intake",
            Self::Look => "Look first",
            Self::Rig => "Gauge setup",
            Self::Run => "Run",
            Self::Compare => "Compare",
            Self::Trace => "Trace",
            Self::OpenUp => "Open up",
            Self::PutRight => "Repair",
            Self::Prove => "Recheck",
        }
    }

    /// From an address; none for a word that is no stage.
    ///
    /// ```
    /// # use velvet_dial_core::stage::Stage;
    /// assert_eq!(Stage::parse("put-right"), Some(Stage::PutRight));
    /// assert_eq!(Stage::parse("putright"), None);
    /// assert_eq!(Stage::parse("readings"), Some(Stage::Run));
    /// ```
    pub fn parse(id: &str) -> Option<Self> {
        // The run was called so once; addresses and summaries of then lead on.
        let id = if id == "readings" { "run" } else { id };
        Self::ALL.into_iter().find(|stage| stage.id() == id)
    }

    /// Its place in the order of the work, from 1.
    pub fn place(self) -> usize {
        Self::ALL.iter().position(|stage| *stage == self).unwrap_or_default() + 1
    }
}

/// Checks that are made again after a repair, beside the readings: leaks, noise, level after the oil has settled, stored codes, dash beside the gauge.
pub const RECHECK: [&str; 5] = ["leaks", "noise", "level", "codes", "module_compare"];

/// Checks of which the outcome comes after a job is closed, days later: a follow-up.
pub const FOLLOW_UP: [&str; 5] = ["filter_cut", "level", "leaks", "noise", "codes"];

/// Checks that need neither gauge nor running engine, minutes each.
pub const QUICK: [&str; 6] = ["level", "oil_look", "oil_grade", "leaks", "filter_id", "sender_plug"];

/// The stage a job is at: where a person who opens it wants to be.
pub fn where_it_is(case: &Case) -> Stage {
    let read = |phase: Phase| case.readings.iter().any(|reading| reading.phase == phase);
    if read(Phase::After) || case.acts.iter().any(|act| act.act == Deed::Repair) {
        Stage::Prove
    } else if opened(case) {
        Stage::OpenUp
    } else if read(Phase::Before) || !flag::flag(case, None).allowed() {
        Stage::Trace
    } else if case.bench.as_ref().is_some_and(|bench| bench.gauge_fitted == Some(true)) {
        Stage::Run
    } else if !case.evidence.is_empty() {
        Stage::Rig
    } else if !case.circumstances.is_empty() {
        Stage::Look
    } else {
        Stage::Intake
    }
}

/// Something behind an opening was looked at.
fn opened(case: &Case) -> bool {
    case.evidence.iter().any(|entry| knowledge().opens(&entry.check, &case.engine)) || !case.strip_down.is_empty()
}
