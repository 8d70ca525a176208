//! Taking a backup.
use super::archive::Writer;
use super::client::{Address, Running};
use super::{BackupError, DATABASE_PARTS, FILE_PARTS, LogPlace, Manifest, file, folder};
use chrono::{DateTime, Utc};
use flate2::Compression;
use flate2::write::GzEncoder;
use std::collections::BTreeMap;
use std::fs;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::{Duration, Instant};

/// So much of the dump is one part: what is held in memory at a time.
const PART_BYTES: usize = 32 << 20;
/// The dump says where the binary log goes on among its first bytes.
const HEAD_BYTES: usize = 64 << 10;

/// What is backed up.
#[derive(Debug)]
pub struct Source<'a> {
    /// Address of the database, as its owner.
    pub url: &'a str,
    /// It keeps a binary log.
    pub has_log: bool,
    /// Files and folders beside it, with their names in the backup. What is not there is left out.
    pub files: Vec<(String, PathBuf)>,
    /// Rows of each table, counted before.
    pub rows: BTreeMap<String, u64>,
    /// Of the program.
    pub version: &'a str,
}

/// A backup that was taken.
#[derive(Debug)]
pub struct Taken {
    /// The file.
    pub file: PathBuf,
    /// Its length.
    pub bytes: u64,
    /// When it began.
    pub began: DateTime<Utc>,
    /// How long it took.
    pub took: Duration,
}

/// Takes a backup into a folder, for these recipients where it is to be encrypted, and keeps so many of the newest.
///
/// # Errors
/// [`BackupError`]; no half backup is left, and no older one is removed then.
pub fn take(source: &Source, to: &Path, recipients: &[String], keep: usize) -> Result<Taken, BackupError> {
    let (started, began) = (Instant::now(), Utc::now());
    let _lock = folder::lock(to)?;
    let done = to.join(folder::name(began, !recipients.is_empty()));
    let half = to.join(folder::HALF);
    let written = write(source, began, &half, recipients);
    if written.is_err() {
        fs::remove_file(&half).ok();
    }
    written?;
    fs::rename(&half, &done).map_err(file(&done))?;
    folder::thin(to, keep)?;
    let bytes = fs::metadata(&done).map_err(file(&done))?.len();
    Ok(Taken { file: done, bytes, began, took: started.elapsed() })
}

fn write(source: &Source, began: DateTime<Utc>, half: &Path, recipients: &[String]) -> Result<(), BackupError> {
    let mut writer = Writer::begin(half, recipients)?;
    // The file of seals first: a seal in it that the dump has not would look like a ledger cut short.
    for (name, path) in &source.files {
        add_files(&mut writer, &format!("{FILE_PARTS}{name}"), path)?;
    }
    let log = add_dump(&mut writer, source)?;
    let parts = std::mem::take(&mut writer.parts);
    writer.end(&Manifest { version: source.version.to_owned(), began, log, rows: source.rows.clone(), parts })
}

fn add_files(writer: &mut Writer, name: &str, path: &Path) -> Result<(), BackupError> {
    if path.is_dir() {
        let mut inside: Vec<_> = fs::read_dir(path).map_err(file(path))?.collect::<Result<_, _>>().map_err(file(path))?;
        inside.sort_by_key(fs::DirEntry::file_name);
        for one in inside {
            add_files(writer, &format!("{name}/{}", one.file_name().to_string_lossy()), &one.path())?;
        }
    } else if path.is_file() {
        writer.part(name, &fs::read(path).map_err(file(path))?)?;
    }
    Ok(())
}

/// The dump, in parts that are each a whole gzip file; one after the other they are the dump.
fn add_dump(writer: &mut Writer, source: &Source) -> Result<Option<LogPlace>, BackupError> {
    let at = Address::of(source.url)?;
    let mut command = at.client("mariadb-dump")?;
    command.args(["--single-transaction", "--quick", "--skip-lock-tables", "--skip-add-locks", "--hex-blob", "--no-tablespaces"]);
    if source.has_log {
        command.arg("--master-data=2");
    }
    command.arg(&at.database).stdin(Stdio::null()).stdout(Stdio::piped());
    let mut running = Running::start("mariadb-dump", command)?;
    let Some(mut out) = running.child.stdout.take() else { return Err(running.done().err().unwrap_or(BackupError::Address)) };
    let failed = |error: std::io::Error| BackupError::Failed { program: "mariadb-dump", words: error.to_string() };
    let mut head = Vec::new();
    for number in 1.. {
        let mut part = GzEncoder::new(Vec::new(), Compression::fast());
        let mut some = Vec::with_capacity(1 << 20);
        let mut raw = 0;
        while raw < PART_BYTES {
            some.clear();
            let got = out.by_ref().take(1 << 20).read_to_end(&mut some).map_err(failed)?;
            if got == 0 {
                break;
            }
            if head.len() < HEAD_BYTES {
                head.extend(some.iter().take(HEAD_BYTES).copied());
            }
            part.write_all(&some).map_err(failed)?;
            raw += got;
        }
        if raw == 0 {
            break;
        }
        writer.part(&format!("{DATABASE_PARTS}{number:05}.sql.gz"), &part.finish().map_err(failed)?)?;
    }
    running.done()?;
    Ok(place(&String::from_utf8_lossy(&head)).filter(|_| source.has_log))
}

/// Where the binary log goes on, by the line in which the dump says so.
fn place(head: &str) -> Option<LogPlace> {
    let line = head.lines().find(|line| line.contains("MASTER_LOG_FILE='"))?;
    let file = line.split('\'').nth(1)?.to_owned();
    let position = line.split("MASTER_LOG_POS=").nth(1)?.trim_end_matches(';').trim().parse().ok()?;
    Some(LogPlace { file, position })
}
