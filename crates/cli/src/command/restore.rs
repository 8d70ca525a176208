//! `velvet-dial restore`: a backup is put back and verified before anything takes the place of what is there.
use super::backup::{FOLDER, TLS};
use super::verify::{self, JobError};
use chrono::{DateTime, Local, NaiveDateTime, TimeZone, Utc};
use clap::Args;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::Instant;
use thiserror::Error;
use velvet_dial_core::count::count;
use velvet_dial_core::signing::Depth;
use velvet_dial_services::backup::{self, BackupError, Manifest};
use velvet_dial_services::mariadb::{MariaDb, StartError};
use velvet_dial_store::{Connection, StoreError, accounts, audit, tables};
use velvet_dial_web::state::{KEY_FILE, KeyFileError, Keys, seal_ledgers};

/// What does not hold is named so often; the rest is counted.
const MOST_SAID: usize = 20;

/// What to put back, and where.
#[derive(Debug, Args)]
pub struct Restore {
    /// The backup.
    file: PathBuf,
    /// Folder of the private MariaDB that it becomes; the server must not run on it. What is in it is kept beside it under another name.
    #[arg(long, default_value = "var/mariadb")]
    data: PathBuf,
    /// Sign-in name of who puts it back, for the audit: somebody who is in the backup.
    #[arg(long)]
    by: String,
    /// File of the private key that opens an encrypted backup.
    #[arg(long)]
    identity: Option<PathBuf>,
    /// Play the binary log back after it until this moment: “2026-05-30 14:05” by this machine's clock, “2026-05-30T14:05:00Z”, or “now” for all there is.
    #[arg(long, value_parser = moment)]
    until: Option<DateTime<Utc>>,
    /// Folder with the binary log or its copies, looked at before the data folder and the folder of the backup; may be given more than once.
    #[arg(long, requires = "until")]
    log: Vec<PathBuf>,
    /// Put it in place although something in it does not hold.
    #[arg(long)]
    even_so: bool,
}

/// Why it was not put back.
#[derive(Debug, Error)]
enum RestoreError {
    #[error("a server runs on {}. Stop it first.", .0.display())]
    Runs(PathBuf),
    #[error(transparent)]
    Private(#[from] StartError),
    #[error(transparent)]
    Backup(#[from] BackupError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Keys(#[from] KeyFileError),
    #[error(transparent)]
    Job(#[from] JobError),
    #[error("nobody signs in as “{0}” in this backup. These do: {1}")]
    Nobody(String, String),
    #[error("the backup began at {}, and the moment that --until names is before that. Take an older backup", .0.format("%Y-%m-%d %H:%M:%S UTC"))]
    Before(DateTime<Utc>),
    #[error("the backup has {there} rows of {table}, and had {then} when it was taken")]
    Rows { table: String, there: u64, then: u64 },
    #[error("{many} of what was checked does not hold, see above. --even-so puts it in place all the same")]
    DoesNotHold { many: usize },
    #[error("{}: {source}", .path.display())]
    File { path: PathBuf, source: io::Error },
}

fn moment(text: &str) -> Result<DateTime<Utc>, String> {
    if text == "now" {
        return Ok(Utc::now());
    }
    if let Ok(at) = DateTime::parse_from_rfc3339(text) {
        return Ok(at.to_utc());
    }
    let local = ["%Y-%m-%d %H:%M:%S", "%Y-%m-%d %H:%M"].iter().find_map(|form| NaiveDateTime::parse_from_str(text, form).ok());
    let at = local.and_then(|local| Local.from_local_datetime(&local).earliest());
    at.map(|at| at.to_utc()).ok_or_else(|| "give a moment such as “2026-05-30 14:05”, or now".to_owned())
}

impl Restore {
    /// Runs it.
    pub fn run(self) -> ExitCode {
        match actix_web::rt::System::new().block_on(self.act()) {
            Ok(()) => ExitCode::SUCCESS,
            Err(error) => {
                eprintln!("Nothing was put back: {error}");
                ExitCode::FAILURE
            }
        }
    }

    async fn act(&self) -> Result<(), RestoreError> {
        let started = Instant::now();
        self.is_free()?;
        let staging = beside(&self.data, "restoring");
        // Of one that was cut short.
        remove(&staging)?;
        let done = self.load_and_swap(&staging, started).await;
        if done.is_err() {
            remove(&staging).ok();
        }
        done
    }

    fn is_free(&self) -> Result<(), RestoreError> {
        if MariaDb::url_of_running(&self.data)?.is_some() { Err(RestoreError::Runs(self.data.clone())) } else { Ok(()) }
    }

    async fn load_and_swap(&self, staging: &Path, started: Instant) -> Result<(), RestoreError> {
        let private = MariaDb::start_to_load(staging)?;
        let manifest = backup::read_back(&self.file, self.identity.as_deref(), &private.url(), staging)?;
        println!(
            "Loaded: the backup of {} by version {}, {:.0} s.",
            manifest.began.format("%Y-%m-%d %H:%M:%S UTC"),
            manifest.version,
            started.elapsed().as_secs_f64()
        );
        let mut played = None;
        if let Some(until) = self.until {
            if until < manifest.began {
                return Err(RestoreError::Before(manifest.began));
            }
            let from = manifest.log.as_ref().ok_or_else(|| BackupError::Log("its database kept none".to_owned()))?;
            let reaches = backup::replay_until(&private.url(), from, until, &self.logs(), self.identity.as_deref(), staging)?;
            let reached = until.min(reaches.max(manifest.began));
            played = Some(reached);
            println!("Played back until {}, {:.0} s.", reached.format("%Y-%m-%d %H:%M:%S UTC"), started.elapsed().as_secs_f64());
            if reached < until {
                println!("The binary log ends there: what was written later is in none of its files.");
            }
        }
        let db = velvet_dial_store::open(&private.url()).await?;
        self.verified(&db, staging, &manifest, played).await?;
        println!("Verified, {:.0} s.", started.elapsed().as_secs_f64());
        db.close().await.map_err(StoreError::from)?;
        drop(private);
        self.swap(staging)
    }

    /// Where the binary log may be: where it was said, in the data folder as it is, and beside the backup.
    fn logs(&self) -> Vec<PathBuf> {
        let of_backup = self.file.parent().map(Path::to_owned).into_iter();
        self.log.iter().cloned().chain([MariaDb::log_folder(&self.data)]).chain(of_backup).collect()
    }

    /// Everything that was backed up holds, and it is noted and signed that it was put back.
    async fn verified(
        &self,
        db: &Connection,
        staging: &Path,
        manifest: &Manifest,
        played: Option<DateTime<Utc>>,
    ) -> Result<(), RestoreError> {
        let Some(by) = accounts::viewer_named(db, &self.by).await? else {
            let people = accounts::everybody(db).await?.into_iter().filter(|person| !person.removed);
            let names: Vec<String> = people.map(|person| person.sign_in).collect();
            return Err(RestoreError::Nobody(self.by.clone(), names.join(", ")));
        };
        let there = tables::lasting_rows(db).await?;
        for (table, then) in &manifest.rows {
            let there = there.get(table).copied().unwrap_or_default();
            if there < *then {
                return Err(RestoreError::Rows { table: table.clone(), there, then: *then });
            }
        }
        let key = staging.join(KEY_FILE);
        let checked = verify::everything(db, &key, None, Depth::Seal).await?;
        let wrong: Vec<&(String, _)> = checked.iter().filter(|(_, found)| found.is_err()).collect();
        for (name, found) in wrong.iter().take(MOST_SAID) {
            eprintln!("{name}: {}", found.as_ref().err().map(String::as_str).unwrap_or_default());
        }
        if wrong.len() > MOST_SAID {
            eprintln!("… and {} more of these; velvet-dial verify --shop names all", wrong.len() - MOST_SAID);
        }
        if !wrong.is_empty() && !self.even_so {
            return Err(RestoreError::DoesNotHold { many: wrong.len() });
        }
        let rows: Vec<String> = there.iter().map(|(table, many)| format!("{many} {}", table.replace('_', " "))).collect();
        let histories = checked.iter().filter(|(name, _)| name.starts_with("job")).count();
        println!("Checked: {} and the seals; rows: {}.", count(histories, "job history|job histories"), rows.join(", "));
        let keys = Keys::open(&key)?;
        // Who was let in then may not be welcome any more.
        accounts::end_every_session(db).await?;
        audit::note_restored(db, &by, manifest.began, played, keys.server()).await?;
        seal_ledgers(db, Some(&keys)).await;
        Ok(())
    }

    /// What was there gets another name, and the backup its place. The folder of the backups stays where it was.
    fn swap(&self, staging: &Path) -> Result<(), RestoreError> {
        self.is_free()?;
        let rename = |from: &Path, to: &Path| fs::rename(from, to).map_err(|source| RestoreError::File { path: to.to_owned(), source });
        if self.data.exists() {
            let before = beside(&self.data, &format!("before-{}", Utc::now().format("%Y%m%dT%H%M%SZ")));
            rename(&self.data, &before)?;
            if let Err(error) = rename(staging, &self.data) {
                rename(&before, &self.data)?;
                return Err(error);
            }
            for kept in [FOLDER, TLS] {
                let (from, to) = (before.join(kept), self.data.join(kept));
                if from.exists() && !to.exists() {
                    rename(&from, &to)?;
                }
            }
            println!("What was there is kept in {}; remove it once all is well.", before.display());
        } else {
            rename(staging, &self.data)?;
        }
        println!("Everybody signs in again. Passwords and people are as they were then: look at People.");
        println!("Put back into {}. Start it: velvet-dial serve --data {}", self.data.display(), self.data.display());
        Ok(())
    }
}

/// A folder beside another: its name with an ending.
fn beside(folder: &Path, ending: &str) -> PathBuf {
    let mut name = folder.file_name().unwrap_or_default().to_owned();
    name.push(format!(".{ending}"));
    folder.with_file_name(name)
}

fn remove(folder: &Path) -> Result<(), RestoreError> {
    MariaDb::remove(folder)?;
    match fs::remove_dir_all(folder) {
        Err(source) if source.kind() != io::ErrorKind::NotFound => Err(RestoreError::File { path: folder.to_owned(), source }),
        _ => Ok(()),
    }
}
