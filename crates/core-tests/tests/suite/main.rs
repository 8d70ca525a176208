//! Every test of the core in one program, so that it is linked once.
#![expect(clippy::indexing_slicing, clippy::unwrap_used, reason = "a test stops where it cannot go on")]
mod believe;
mod calculator;
mod capture;
mod case;
mod circuit;
mod clock;
mod columns;
mod extremes;
mod field;
mod flag;
mod foreman;
mod humility;
mod knowledge;
mod laws;
mod oil;
mod opened;
mod planner;
mod record;
mod running;
mod script;
mod shelf;
mod stories;
mod support;
mod trace;
mod verdict;
mod why;
