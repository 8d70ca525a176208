//! Case files read, each handed on, one JSON line a case: what `diagnose` and `explain` share.
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::{fs, io};
use velvet_dial_core::case::{self, Case, CaseError};
use velvet_dial_core::oil::Oil;
use velvet_dial_core::trace::Tracer;

/// Prints what `answer` says to every case, in order; `oil` is what is in the engines where its data sheet is at hand. Exit 0 when all is done, 1 when some case was bad or some file unreadable.
pub fn answer_each(files: &[PathBuf], oil: Option<Oil>, answer: impl Fn(&Case, &Tracer) -> Result<Value, CaseError>) -> ExitCode {
    let mut all_good = true;
    let mut kept: Option<Tracer> = None;
    for file in files {
        let bytes = match read(file) {
            Ok(bytes) => bytes,
            Err(error) => {
                eprintln!("{}: {error}", file.display());
                all_good = false;
                continue;
            }
        };
        for text in cases(file, &bytes) {
            // A defect met in one case costs that case only.
            let answered = catch_unwind(AssertUnwindSafe(|| one(text, oil, &mut kept, &answer))).unwrap_or_else(|_| {
                let message = "this case met a defect of the program and is not answered; the others are".to_owned();
                Err(CaseError { path: ".".to_owned(), message })
            });
            let line = match answered {
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
    // Some editors put a mark of their own before the first byte.
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let lines = || bytes.split(|byte| *byte == b'\n').filter(|line| !line.trim_ascii().is_empty()).collect::<Vec<_>>();
    // Standard input may hold either: it is lines when its first line is a whole JSON value by itself.
    let by_line = file.extension().is_some_and(|extension| extension == "jsonl")
        || (file == Path::new("-") && lines().first().is_some_and(|first| serde_json::from_slice::<Value>(first).is_ok()));
    if by_line { lines() } else { vec![bytes] }
}

fn one(
    text: &[u8],
    oil: Option<Oil>,
    kept: &mut Option<Tracer>,
    answer: impl Fn(&Case, &Tracer) -> Result<Value, CaseError>,
) -> Result<Value, CaseError> {
    let case = case::parse(text)?;
    let spec = case::spec_points(&case);
    // Cases of one engine often stand together; its draws are kept for the next.
    let tracer = match (kept.take().filter(|tracer| tracer.is_for(&case.engine, &spec)), oil) {
        (Some(tracer), _) => tracer,
        (None, Some(oil)) => Tracer::filled_with(oil, &case.engine, &spec),
        (None, None) => Tracer::new(&case.engine, &spec)
            .map_err(|error| CaseError { path: "engine.oil_grade".to_owned(), message: error.to_string() })?,
    };
    let answered = answer(&case, &tracer);
    *kept = Some(tracer);
    answered
}

/// A value as JSON; what cannot be written is an error of the case as a whole.
pub fn json_of(value: impl serde::Serialize) -> Result<Value, CaseError> {
    serde_json::to_value(value).map_err(|error| CaseError { path: ".".to_owned(), message: error.to_string() })
}

fn id_of(text: &[u8]) -> Value {
    serde_json::from_slice::<Value>(text).ok().and_then(|value| value.get("id").cloned()).filter(Value::is_string).unwrap_or(Value::Null)
}
