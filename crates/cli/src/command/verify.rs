//! `velvet-dial verify REPORT.json…`, `velvet-dial verify --job 9`: is a report, or a job as it is kept, what it was when it was written.
use super::database::{OpenError, Where};
use clap::Args;
use serde::Serialize;
use std::fs;
use std::path::PathBuf;
use std::process::ExitCode;
use thiserror::Error;
use velvet_dial_core::record::{Record, SealError, Verified, head, public_key, verify};
use velvet_dial_store::{Connection, StoreError, accounts, jobs};

/// What to check.
#[derive(Debug, Args)]
pub struct Verify {
    /// Reports as the page *Report (JSON)* gives them.
    #[arg(required_unless_present = "job")]
    files: Vec<PathBuf>,
    /// A job's number: its ledger as the database keeps it, and the record of its closing. May be given more than once.
    #[arg(long, conflicts_with = "files")]
    job: Vec<i64>,
    /// A shop's public key in PEM: what it did not sign does not hold.
    #[arg(long)]
    key: Option<PathBuf>,
    #[command(flatten)]
    at: Where,
}

/// What was checked of a job as it is kept.
#[derive(Debug, Serialize)]
struct JobVerified {
    /// Entries of its ledger.
    entries: usize,
    /// Head of the chain.
    head: String,
    /// The record of its closing; none of an open job.
    closed: Option<Verified>,
}

/// A job that does not hold, or could not be looked at.
#[derive(Debug, Error)]
enum JobError {
    #[error("There is no job {0} in this database.")]
    NotFound(i64),
    #[error(transparent)]
    Seal(#[from] SealError),
    #[error("The record of its closing stands on another ledger than the one that is kept.")]
    OtherLedger,
    #[error(transparent)]
    Open(#[from] OpenError),
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl Verify {
    /// One JSON object a report or job on standard output. Exit 0 when all hold, 1 when one does not, 2 when the key is none.
    pub fn run(&self) -> ExitCode {
        let key = match self.key.as_ref().map(|file| {
            let text = fs::read_to_string(file).map_err(|error| error.to_string())?;
            public_key(&text).map_err(|error| error.to_string())
        }) {
            None => None,
            Some(Ok(key)) => Some(key),
            Some(Err(error)) => {
                eprintln!("The key cannot be used: {error}");
                return ExitCode::from(2);
            }
        };
        let mut all = ExitCode::SUCCESS;
        let mut say = |name: &str, told: Result<serde_json::Value, String>| match told {
            Ok(checked) => println!("{}", serde_json::json!({ "file": name, "holds": true, "checked": checked })),
            Err(message) => {
                println!("{}", serde_json::json!({ "file": name, "holds": false, "error": message }));
                all = ExitCode::FAILURE;
            }
        };
        for file in &self.files {
            let name = file.display().to_string();
            let told = fs::read(file).map_err(|error| error.to_string()).and_then(|text| report(&text, key.as_deref(), &name));
            say(&name, told.and_then(|verified| serde_json::to_value(verified).map_err(|error| error.to_string())));
        }
        if !self.job.is_empty() {
            match actix_web::rt::System::new().block_on(self.jobs()) {
                Ok(told) => {
                    for (number, told) in told {
                        let told = told.map_err(|error| error.to_string());
                        say(&format!("job {number}"), told.and_then(|told| serde_json::to_value(told).map_err(|error| error.to_string())));
                    }
                }
                Err(error) => {
                    eprintln!("{error}");
                    all = ExitCode::FAILURE;
                }
            }
        }
        all
    }

    async fn jobs(&self) -> Result<Vec<(i64, Result<JobVerified, JobError>)>, JobError> {
        let opened = self.at.open().await?;
        let mut told = Vec::new();
        for number in &self.job {
            told.push((*number, job(&opened.db, *number).await));
        }
        Ok(told)
    }
}

fn report(text: &[u8], key: Option<&str>, name: &str) -> Result<Verified, String> {
    let verified = verify(text).map_err(|error| error.to_string())?;
    if !verified.figures {
        eprintln!(
            "{name}: judged by knowledge {}, and this program has another: its figures were not worked out again.",
            verified.knowledge
        );
    }
    match (key, &verified.signed_by) {
        (Some(key), Some(by)) if key != by => Err(format!("It is signed by another key ({by}).")),
        (Some(_), None) => Err("Nobody signed it.".to_owned()),
        _ => Ok(verified),
    }
}

/// The ledger's chain, and that the record of a closing holds and stands on this very ledger.
async fn job(db: &Connection, number: i64) -> Result<JobVerified, JobError> {
    for viewer in accounts::one_of_each_shop(db).await? {
        let (key, entries) = match jobs::chain(db, &viewer, number).await {
            Err(StoreError::NotFound) => continue,
            other => other?,
        };
        let head = head(&key.to_string(), &entries)?;
        let closed = match jobs::kept_record(db, &viewer, number).await? {
            None => None,
            Some(text) => {
                let verified = verify(text.as_bytes())?;
                let record: Record = serde_json::from_str(&text).map_err(|error| SealError::NotOne(error.to_string()))?;
                if !record.seal.is_some_and(|seal| entries.starts_with(&seal.entries)) {
                    return Err(JobError::OtherLedger);
                }
                Some(verified)
            }
        };
        return Ok(JobVerified { entries: entries.len(), head, closed });
    }
    Err(JobError::NotFound(number))
}
