//! The engine opened: what the opening will take, what is found before anything is wiped, and what the measured clearances explain.
//!
//! Steps in the order of the work: [`plan`] says what is opened, looked at and paid before a bolt is loosened; a [`StripDown`] holds the figures that are taken
//! behind it, and [`StripDown::outcomes`] what each says as the outcome of a check, so that every figure moves the suspects; [`crank`] lays the journals along the
//! oil, and [`explained`] holds what they leak against what the gauge read. [`debris`] says where what was found came from and went, [`unexpected_findings`] are findings that
//! do not fit and stop the job for a talk. [`repair_of`] is how a cause is put right, step by step, and [`schedule`] lays what is left to do on the shop's clock.
mod crank;
mod debris;
mod plan;
mod repair;
mod schedule;
mod unexpected_finding;

pub use crank::{Crank, Explained, Fits, JournalTold, crank, explained};
pub use debris::{Debris, Found, SourceIs, debris, debris_faults};
pub use plan::{Cost, Look, Opening, Plan, minutes_of, plan};
pub use repair::{Choice, Hand, OpeningSaid, Repair, faults, looks_after, opening_said, repair_of};
pub use schedule::{Planned, Promise, Schedule, Waits, schedule, tasks, waits};
pub use unexpected_finding::{UnexpectedFinding, unexpected_findings};
