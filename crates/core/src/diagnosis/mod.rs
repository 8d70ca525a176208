//! What is known of a case. [`diagnose`] is the core's facade: everything a screen or the command line shows of a case comes out of it.
mod condition;
mod curves;
mod diagnose;
mod explain;
mod how;
mod projection;
mod proof;
mod ready;
mod reasons;
mod report;
mod takeable;
mod verdict;
mod what_if;

pub use condition::{Unmeasured, unmeasured};
pub use curves::{COLD_C, Curve, SPEEDS, curves};
pub use diagnose::{Diagnosis, Setting, diagnose};
pub use explain::{Explanation, explain};
pub use how::how;
pub use projection::{Change, Projected, project};
pub use proof::{Proof, ProofWord, proof};
pub use reasons::{Reason, reasons};
pub use report::{Pair, Report, pairs, report};
pub use verdict::{Basis, Decider, JudgedPoint, JudgedReading, Verdict, by_sheet, judge};
pub use what_if::{Otherwise, WHAT_IF, WhatIf, WouldBe, what_if};
