//! One engine, its limits, its readings, what was found: the case, its file format and its diagnosis.
//!
//! [`Case`] is the exchange format `velvet-dial.case/1` to the letter. [`diagnose`] is the core's facade: everything a screen or the
//! command line shows of a case comes out of it.
mod act;
mod condition;
mod diagnose;
mod explain;
mod file;
mod how;
mod projection;
mod proof;
mod ready;
mod reasons;
mod replaced;
mod report;
mod schema;
mod takeable;
mod verdict;
mod what_if;

pub use act::{Act, BenchSaid, Cranked, Deed, EngineIs, OilIs, SumpIs};
pub use condition::{Unmeasured, unmeasured};
pub use diagnose::{Diagnosis, Setting, diagnose, hot_c, spec_points};
pub use explain::{Explanation, explain};
pub use file::{Case, CaseError, Evidence, FORMAT, MOST_FAMILY, Phase, Reading, Shows, Slope, SpeedHeld, check_card, parse};
pub use how::how;
pub use projection::{Change, Projected, project};
pub use proof::{Proof, ProofWord, proof};
pub use reasons::{Reason, reasons};
pub use replaced::{Effect, Replaced, ReplacedBy};
pub use report::{Pair, Report, pairs, report};
pub use schema::schema;
pub(crate) use verdict::gauge;
pub use verdict::{Basis, Decider, JudgedPoint, JudgedReading, Verdict, by_sheet, judge};
pub use what_if::{Otherwise, WHAT_IF, WhatIf, WouldBe, what_if};
