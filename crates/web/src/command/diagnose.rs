//! `velvet-dial diagnose FILE…`
use clap::Args;
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::{fs, io};
use velvet_dial_core::case::{self, Basis, CaseError, Setting};
use velvet_dial_core::trace::Tracer;

/// Case files to diagnose.
#[derive(Debug, Args)]
pub struct Diagnose {
    /// Files of one case each, or of one a line when they end in `.jsonl`; `-` reads standard input, lines or one object.
    #[arg(required = true)]
    files: Vec<PathBuf>,
}

impl Diagnose {
    /// Exit 0 when all is done, 1 when some case was bad or some file unreadable.
    pub fn run(&self) -> ExitCode {
        let mut all_good = true;
        let mut tracer: Option<Tracer> = None;
        for file in &self.files {
            let bytes = match read(file) {
                Ok(bytes) => bytes,
                Err(error) => {
                    eprintln!("{}: {error}", file.display());
                    all_good = false;
                    continue;
                }
            };
            for text in cases(file, &bytes) {
                let line = match one(text, &mut tracer) {
                    Ok(line) => line,
                    Err(error) => {
                        all_good = false;
                        json!({ "id": id_of(text), "error": error })
                    }
                };
                // A reader that went away (`| head`) ends the work quietly.
                if writeln!(io::stdout().lock(), "{line}").is_err() {
                    return ExitCode::SUCCESS;
                }
            }
        }
        if all_good { ExitCode::SUCCESS } else { ExitCode::FAILURE }
    }
}

fn read(file: &Path) -> io::Result<Vec<u8>> {
    if file == Path::new("-") {
        let mut bytes = Vec::new();
        io::stdin().lock().read_to_end(&mut bytes)?;
        return Ok(bytes);
    }
    fs::read(file)
}

/// The cases in a file's bytes.
fn cases<'a>(file: &Path, bytes: &'a [u8]) -> Vec<&'a [u8]> {
    let lines = || bytes.split(|byte| *byte == b'\n').filter(|line| !line.trim_ascii().is_empty()).collect::<Vec<_>>();
    // Standard input may hold either: it is lines when its first line is a whole JSON value by itself.
    let by_line = file.extension().is_some_and(|extension| extension == "jsonl")
        || (file == Path::new("-") && lines().first().is_some_and(|first| serde_json::from_slice::<Value>(first).is_ok()));
    if by_line { lines() } else { vec![bytes] }
}

fn one(text: &[u8], tracer: &mut Option<Tracer>) -> Result<Value, CaseError> {
    let case = case::parse(text)?;
    let spec = case::spec_points(&case);
    // Cases of one engine often stand together; its draws are kept for the next.
    let kept = tracer.take().filter(|tracer| tracer.is_for(&case.engine, &spec));
    let kept = match kept {
        Some(kept) => kept,
        None => Tracer::new(&case.engine, &spec)
            .map_err(|error| CaseError { path: "engine.oil_grade".to_owned(), message: error.to_string() })?,
    };
    let diagnosis = case::diagnose(&case, &kept, &Setting::default());
    *tracer = Some(kept);
    if diagnosis.verdict.basis == Basis::RuleOfThumb {
        eprintln!(
            "{}: no sheet given; judged by the rule of thumb of 70 kPa for each 1000 rpm hot, which is never a pass for a warranty",
            case.id.as_deref().unwrap_or("case")
        );
    }
    serde_json::to_value(case::report(&case, &diagnosis)).map_err(|error| CaseError { path: ".".to_owned(), message: error.to_string() })
}

fn id_of(text: &[u8]) -> Value {
    serde_json::from_slice::<Value>(text).ok().and_then(|value| value.get("id").cloned()).filter(Value::is_string).unwrap_or(Value::Null)
}
