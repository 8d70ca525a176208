//! `velvet-dial verify`: is a report, a job as it is kept, or everything that is kept, what it was when it was written.
use super::database::{OpenError, Where};
use clap::Args;
use serde::Serialize;
use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use thiserror::Error;
use uuid::Uuid;
use velvet_dial_core::record::Chained;
use velvet_dial_core::record::{FIRST_FORMAT, Record};
use velvet_dial_core::signing::{
    Depth, LedgerHead, REMOVED, SealError, Verified, check_seals, head, made_here, public_keys, report_of_pages, verified, verify,
};
use velvet_dial_store::{Connection, StoreError, Viewer, accounts, audit, jobs, seals};
use velvet_dial_web::state::{KEY_FILE, KeyFileError, Keys};

/// What to check.
#[derive(Debug, Args)]
pub struct Verify {
    /// Reports: the PDF that a shop gives out, or the page *Report (JSON)*.
    #[arg(required_unless_present_any = ["job", "shop"])]
    files: Vec<PathBuf>,
    /// A job's number: its ledger as the database keeps it, and the record of its closing. May be given more than once.
    #[arg(long, conflicts_with = "files")]
    job: Vec<i64>,
    /// Every job of the database, and its seals against the file of seals beside the server's key.
    #[arg(long, conflicts_with_all = ["files", "job"])]
    shop: bool,
    /// Public keys in PEM, as `velvet-dial key` or *Public key* gives them: what none of them signed does not hold.
    #[arg(long)]
    key: Option<PathBuf>,
    /// The server's private key file, beside which the file of seals and the shops' keys lie; the one in --data when left out. Only --shop looks at it.
    #[arg(long)]
    report_key: Option<PathBuf>,
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
pub enum JobError {
    #[error("There is no job {0} in this database.")]
    NotFound(i64),
    #[error(transparent)]
    Seal(#[from] SealError),
    #[error("The record of its closing belongs to another job history than the one that is stored.")]
    OtherLedger,
    #[error("It is closed, and the record of its closing is gone.")]
    NoRecord,
    #[error("What entry {0} says of the customer is not what was written.")]
    Words(i32),
    #[error("Entry {0}, a follow-up, is not signed by the shop.")]
    FollowUp(i32),
    #[error("Line {0} of the report's history is not what the entry says.")]
    Log(usize),
    #[error("{0}")]
    Signed(String),
    #[error(transparent)]
    Keys(#[from] KeyFileError),
    #[error(transparent)]
    Open(#[from] OpenError),
    #[error(transparent)]
    Store(#[from] StoreError),
}

/// What was checked, or why it does not hold, by its name.
pub type Checked = (String, Result<serde_json::Value, String>);

impl Verify {
    /// One JSON object a report or job on standard output. Exit 0 when all hold, 1 when one does not, 2 when the key is none.
    pub fn run(&self) -> ExitCode {
        let key = match self.key.as_ref().map(|file| {
            let text = fs::read_to_string(file).map_err(|error| error.to_string())?;
            public_keys(&text).map_err(|error| error.to_string())
        }) {
            None => None,
            Some(Ok(keys)) => Some(keys),
            Some(Err(error)) => {
                eprintln!("The key cannot be used: {error}");
                return ExitCode::from(2);
            }
        };
        let keys = key.as_deref();
        let mut all = ExitCode::SUCCESS;
        let mut say = |(name, told): Checked| match told {
            Ok(checked) => println!("{}", serde_json::json!({ "file": name, "holds": true, "checked": checked })),
            Err(message) => {
                println!("{}", serde_json::json!({ "file": name, "holds": false, "error": message }));
                all = ExitCode::FAILURE;
            }
        };
        for file in &self.files {
            let name = file.display().to_string();
            let told = fs::read(file).map_err(|error| error.to_string()).and_then(|bytes| report(&bytes, keys, &name));
            say((name, told.and_then(json)));
        }
        if self.shop || !self.job.is_empty() {
            match actix_web::rt::System::new().block_on(self.kept(keys)) {
                Ok(told) => told.into_iter().for_each(say),
                Err(error) => {
                    eprintln!("{error}");
                    all = ExitCode::FAILURE;
                }
            }
        }
        all
    }

    async fn kept(&self, keys: Option<&[String]>) -> Result<Vec<Checked>, JobError> {
        let opened = self.at.open().await?;
        if !self.shop {
            return self.jobs(&opened.db, keys).await;
        }
        let file = self.report_key.clone().unwrap_or_else(|| self.at.data().join(KEY_FILE));
        everything(&opened.db, &file, keys, Depth::Figures).await
    }

    async fn jobs(&self, db: &Connection, keys: Option<&[String]>) -> Result<Vec<Checked>, JobError> {
        let viewers = accounts::one_of_each_shop(db).await?;
        let mut told = Vec::new();
        for number in &self.job {
            let mut found = Err(JobError::NotFound(*number));
            for viewer in &viewers {
                match jobs::chain(db, viewer, *number).await {
                    Err(StoreError::NotFound) => continue,
                    Err(error) => found = Err(error.into()),
                    Ok(chain) => found = job(db, viewer, *number, chain, keys, Depth::Figures).await,
                }
                break;
            }
            told.push((format!("job {number}"), found.map_err(|error| error.to_string()).and_then(json)));
        }
        Ok(told)
    }
}

/// Every job of every shop, and the seals of all of them.
pub async fn everything(db: &Connection, file: &Path, keys: Option<&[String]>, depth: Depth) -> Result<Vec<Checked>, JobError> {
    // A command that checks makes no key.
    let server = if file.exists() { Some(Keys::open(file)?) } else { None };
    let known = match (keys, &server) {
        (None, Some(server)) => Some(public_keys(&server.public_of_all()?).map_err(|error| JobError::Signed(error.to_string()))?),
        (keys, _) => keys.map(<[String]>::to_vec),
    };
    let (mut told, mut heads) = (Vec::new(), HashMap::new());
    for viewer in accounts::one_of_each_shop(db).await? {
        for number in jobs::numbers(db, &viewer).await? {
            let (key, entries) = jobs::chain(db, &viewer, number).await?;
            for head in seals::heads_of_job(db, key, &entries).await? {
                heads.insert((head.job.clone(), head.seq), head);
            }
            let found = job(db, &viewer, number, (key, entries), known.as_deref(), depth).await;
            told.push((format!("job {number}"), found.map_err(|error| error.to_string()).and_then(json)));
        }
        for at in audit::changed_restorings(db, &viewer).await? {
            told.push((
                "audit".to_owned(),
                Err(format!("What was written on {} of a backup that was put back is not what the server signed.", at.date())),
            ));
        }
    }
    let head_at = |job: &str, seq: i32| -> Option<LedgerHead> { heads.get(&(job.to_owned(), seq)).cloned() };
    let lines = match &server {
        Some(server) => server.seal_lines()?,
        None => Vec::new(),
    };
    let sealed = seals::seals(db).await?;
    let mut wrong = check_seals(&lines, &sealed, head_at);
    if server.is_none() {
        wrong.push(format!(
            "There is no key at {}: without the file of seals next to it nobody can say that no job is missing.",
            file.display()
        ));
    } else if lines.is_empty() && !sealed.is_empty() {
        wrong.push("The file of seals is empty or gone, and the database has seals.".to_owned());
    }
    let by = server.as_ref().map(|server| server.server().key());
    if lines.iter().any(|line| line.signed.as_ref().map(|signed| &signed.key) != by.as_ref()) {
        wrong.push("A line of the file of seals is not signed by the server's key.".to_owned());
    }
    let seals = if wrong.is_empty() { json(serde_json::json!({ "seals": sealed.len() })) } else { Err(wrong.join(" ")) };
    told.push(("seals".to_owned(), seals));
    Ok(told)
}

fn json(checked: impl Serialize) -> Result<serde_json::Value, String> {
    serde_json::to_value(checked).map_err(|error| error.to_string())
}

fn report(bytes: &[u8], keys: Option<&[String]>, name: &str) -> Result<Verified, String> {
    let (text, by) = if bytes.starts_with(b"%PDF") {
        let (text, by) = report_of_pages(bytes).map_err(|error| error.to_string())?;
        (text, Some(by))
    } else {
        (bytes, None)
    };
    let checked = verify(text).map_err(|error| error.to_string())?;
    if !checked.figures {
        eprintln!("{name}: another version of the program worked it out ({}): its figures were not worked out again.", checked.knowledge);
    }
    // The pages may be signed by a later key of the same shop.
    signed_by(&checked, keys).map_err(|error| error.to_string())?;
    match by {
        Some(by) if keys.is_some_and(|keys| !keys.contains(&by)) => Err(format!("Its pages are signed by another key ({by}).")),
        _ => Ok(checked),
    }
}

fn signed_by(checked: &Verified, keys: Option<&[String]>) -> Result<(), JobError> {
    match (keys, &checked.signed_by) {
        (Some(keys), Some(by)) if !keys.contains(by) => Err(JobError::Signed(format!("It is signed by another key ({by})."))),
        (Some(_), None) if checked.draft => Err(JobError::Signed("It is a draft: nobody signed it.".to_owned())),
        (Some(_), None) => Err(JobError::Signed("Nobody signed it.".to_owned())),
        _ => Ok(()),
    }
}

/// The ledger's chain, and that the record of a closing holds, is signed, and stands on this very ledger.
async fn job(
    db: &Connection,
    viewer: &Viewer,
    number: i64,
    (key, entries): (Uuid, Vec<Chained>),
    keys: Option<&[String]>,
    depth: Depth,
) -> Result<JobVerified, JobError> {
    let head = head(&key.to_string(), &entries)?;
    if let Some(seq) = jobs::changed_words(db, viewer, number).await? {
        return Err(JobError::Words(seq));
    }
    let loaded = jobs::load(db, viewer, number).await?;
    for entry in &loaded.entries {
        if let jobs::Body::FollowUp(found) = &entry.body {
            let other = found.signed.as_ref().is_some_and(|signed| keys.is_some_and(|keys| !keys.contains(&signed.key)));
            if !found.holds() || other || (keys.is_some() && found.signed.is_none()) {
                return Err(JobError::FollowUp(entry.seq));
            }
        }
    }
    let closed = match jobs::kept_record(db, &loaded).await? {
        None if loaded.closed() => return Err(JobError::NoRecord),
        None => None,
        Some(text) => {
            let (record, checked) = verified(text.as_bytes(), depth)?;
            if !record.seal.as_ref().is_some_and(|seal| entries.starts_with(&seal.entries)) {
                return Err(JobError::OtherLedger);
            }
            // Before reports were signed as a job is closed, the kept ones were not.
            if record.format != FIRST_FORMAT {
                signed_by(&checked, keys)?;
            }
            if checked.customer_removed && !loaded.customer_removed() {
                return Err(SealError::CustomerGone.into());
            }
            same_log(&record, &loaded)?;
            Some(checked)
        }
    };
    Ok(JobVerified { entries: entries.len(), head, closed })
}

/// The readable history of a record is what the entries say, where this program is the one that wrote it; of lines that the customer was removed from nobody can tell.
fn same_log(record: &Record, job: &jobs::Job) -> Result<(), JobError> {
    let entries = record.seal.as_ref().map_or(0, |seal| seal.entries.len());
    if !made_here(record) {
        return Ok(());
    }
    let now = velvet_dial_web::log_until(job, entries as i32);
    if now.len() != record.log.len() {
        return Err(JobError::Log(now.len().min(record.log.len()) + 1));
    }
    let differs = now.iter().zip(&record.log).position(|(now, said)| {
        said.what != REMOVED && (&now.what, now.kpa, now.at, now.struck) != (&said.what, said.kpa, said.at, said.struck)
    });
    differs.map_or(Ok(()), |place| Err(JobError::Log(place + 1)))
}
