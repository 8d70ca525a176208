//! `velvet-dial verify REPORT.json…`: is a report what it was when it was made.
use clap::Args;
use std::fs;
use std::path::PathBuf;
use std::process::ExitCode;
use velvet_dial_core::record::verify;

/// What to check.
#[derive(Debug, Args)]
pub struct Verify {
    /// Reports as the page *Report (JSON)* gives them.
    #[arg(required = true)]
    files: Vec<PathBuf>,
}

impl Verify {
    /// One JSON object a report on standard output. Exit 0 when all hold, 1 when one does not.
    pub fn run(&self) -> ExitCode {
        let mut all = ExitCode::SUCCESS;
        for file in &self.files {
            let told = fs::read(file).map_err(|error| error.to_string()).and_then(|text| verify(&text).map_err(|error| error.to_string()));
            match told {
                Ok(verified) => {
                    if !verified.figures {
                        eprintln!(
                            "{}: judged by knowledge {}, and this program has another: its figures were not worked out again.",
                            file.display(),
                            verified.knowledge
                        );
                    }
                    println!("{}", serde_json::json!({ "file": file.display().to_string(), "holds": true, "checked": verified }));
                }
                Err(message) => {
                    println!("{}", serde_json::json!({ "file": file.display().to_string(), "holds": false, "error": message }));
                    all = ExitCode::FAILURE;
                }
            }
        }
        all
    }
}
