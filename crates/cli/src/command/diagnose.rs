//! `velvet-dial diagnose FILE…`
use super::cases::{answer_each, json_of};
use chrono::{DateTime, Utc};
use clap::Args;
use std::path::PathBuf;
use std::process::ExitCode;
use velvet_dial_core::diagnosis;
use velvet_dial_core::diagnosis::{Basis, Setting};
use velvet_dial_core::limits::questionable;
use velvet_dial_core::unit::Units;

/// Case files to diagnose.
#[derive(Debug, Args)]
pub struct Diagnose {
    /// Files of one case each, or of one a line when they end in `.jsonl`; `-` reads standard input, lines or one object.
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The moment it is asked at, for a flag that is overruled until then, for example 2026-03-06T16:00:00Z.
    #[arg(long)]
    now: Option<DateTime<Utc>>,
}

impl Diagnose {
    /// Exit 0 when all is done, 1 when some case was bad or some file unreadable.
    pub fn run(&self) -> ExitCode {
        let setting = Setting { now: self.now, ..Setting::default() };
        answer_each(&self.files, None, |case, tracer| {
            let diagnosis = diagnosis::diagnose(case, tracer, &setting);
            if diagnosis.verdict.basis == Basis::RuleOfThumb {
                eprintln!(
                    "{}: no sheet given; judged by the rule of thumb of 70 kPa for each 1000 rpm hot, which is never a pass for a warranty",
                    case.id.as_deref().unwrap_or("case")
                );
            }
            for question in case.spec.iter().flat_map(|sheet| &sheet.points).filter_map(|point| questionable(point, Units::default())) {
                eprintln!("{}: {question}", case.id.as_deref().unwrap_or("case"));
            }
            json_of(diagnosis::report(case, &diagnosis))
        })
    }
}
