//! `velvet-dial capture FILE`: what a recorded run tells, as JSON.
use clap::Args;
use std::fs::{self, File};
use std::io::{self, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use velvet_dial_core::capture::{self, Analysis, CaptureError, MOST_BYTES, Run};
use velvet_dial_core::case;
use velvet_dial_core::circuit::Card;

/// A run and how it is read.
#[derive(Debug, Args)]
pub struct Capture {
    /// The recorder's CSV; `-` is standard input.
    #[arg(required_unless_present = "schema")]
    file: Option<PathBuf>,
    /// Columns that the header does not name, for example time=1:s,pressure=3:bar,speed=2:rpm,oil_temp=4:c. Volts: pressure=3:0.5..4.5V=0..10bar, with supply=5:5V where they
    /// follow it. Pulses: speed=2:hz/4 or speed=2:count/4. Rows without a time: rate=100.
    #[arg(long)]
    map: Option<String>,
    /// A case file of the engine, for what its oil's thinning explains.
    #[arg(long, value_name = "CASE")]
    engine: Option<PathBuf>,
    /// Write the channels as they were understood to this file: CSV in seconds, kPa, turns a minute and °C.
    #[arg(long, value_name = "FILE")]
    csv: Option<PathBuf>,
    /// Print the JSON Schema of the answer.
    #[arg(long)]
    schema: bool,
}

/// Why there is no answer, in a sentence.
type Sentence = String;

impl Capture {
    /// Exit 0 with the analysis, 1 with an object that says what is wrong.
    pub fn run(&self) -> ExitCode {
        if self.schema {
            println!("{:#}", capture::schema());
            return ExitCode::SUCCESS;
        }
        let (answer, code) = match self.told() {
            Ok(told) => (serde_json::to_string_pretty(&told).unwrap_or_default(), ExitCode::SUCCESS),
            Err(error) => {
                eprintln!("{}", error.get("message").and_then(|message| message.as_str()).unwrap_or_default());
                (serde_json::json!({ "error": error }).to_string(), ExitCode::FAILURE)
            }
        };
        // A reader that went away ends the work quietly.
        let _ = writeln!(io::stdout().lock(), "{answer}");
        code
    }

    fn told(&self) -> Result<Analysis, serde_json::Value> {
        let plain = |message: Sentence| serde_json::json!({ "message": message });
        let bytes = self.bytes().map_err(plain)?;
        let card = self.card().map_err(plain)?;
        let (run, told) = capture::read_and_analyse(&bytes, self.map.as_deref(), card.as_ref()).map_err(|error| of(&error))?;
        self.write(&run).map_err(plain)?;
        Ok(told)
    }

    /// The file, unless it is too large to be looked at.
    fn bytes(&self) -> Result<Vec<u8>, Sentence> {
        let path = self.file.as_deref().unwrap_or(Path::new("-"));
        let most = MOST_BYTES as u64;
        let mut bytes = Vec::new();
        let read = if path == Path::new("-") {
            io::stdin().lock().take(most + 1).read_to_end(&mut bytes)
        } else {
            let file = File::open(path).map_err(|error| format!("{} cannot be read: {error}.", path.display()))?;
            if file.metadata().is_ok_and(|about| about.len() > most) {
                return Err(CaptureError::TooLarge.to_string());
            }
            file.take(most + 1).read_to_end(&mut bytes)
        };
        read.map_err(|error| format!("{} cannot be read: {error}.", path.display()))?;
        Ok(bytes)
    }

    fn card(&self) -> Result<Option<Card>, Sentence> {
        let Some(path) = &self.engine else { return Ok(None) };
        let text = fs::read_to_string(path).map_err(|error| format!("{} cannot be read: {error}.", path.display()))?;
        case::parse(text.as_bytes()).map(|case| Some(case.engine)).map_err(|error| format!("{}: {error}", path.display()))
    }

    /// The channels as a file of their own, when that is asked for.
    fn write(&self, run: &Run) -> Result<(), Sentence> {
        let Some(path) = &self.csv else { return Ok(()) };
        let told = |error: io::Error| format!("{} cannot be written: {error}.", path.display());
        let mut out = BufWriter::new(File::create(path).map_err(told)?);
        capture::write_csv(run, &mut out).and_then(|()| out.flush()).map_err(told)
    }
}

/// What is wrong, and what would have to be named.
fn of(error: &CaptureError) -> serde_json::Value {
    match error {
        CaptureError::Unnamed { columns, missing } => {
            let missing: Vec<&str> = missing.iter().map(|quantity| quantity.id()).collect();
            serde_json::json!({ "message": error.to_string(), "columns": columns, "missing": missing })
        }
        _ => serde_json::json!({ "message": error.to_string() }),
    }
}
