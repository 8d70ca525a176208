//! The folder of backups: names by time, how many are kept, and how the last one went.
use super::archive::{kept_as, plain_name};
use super::{BackupError, file};
use chrono::{DateTime, NaiveDateTime, Utc};
use serde::{Deserialize, Serialize};
use std::fs::{self, File, TryLockError};
use std::os::unix::fs::DirBuilderExt;
use std::path::{Path, PathBuf};

/// The backup that is being written.
pub(super) const HALF: &str = "half-written";
const LOCK: &str = "lock";
const LAST: &str = "last.json";
const BEGINS: &str = "velvet-dial-";
const ENDS: &str = ".tar";
const TIME: &str = "%Y%m%dT%H%M%SZ";

/// How the backups of a folder go.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Last {
    /// The last one that was taken.
    pub taken: Option<LastTaken>,
    /// Why the last try failed, where it did.
    pub failed: Option<String>,
}

/// The last backup that was taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LastTaken {
    /// When it began.
    pub began: DateTime<Utc>,
    /// Name of the file.
    pub file: String,
    /// Its length.
    pub bytes: u64,
    /// How long it took, seconds.
    pub seconds: u64,
}

/// Makes the folder where it is not there, and keeps others out of it until the lock is dropped.
///
/// # Errors
/// [`BackupError::Busy`] while another holds it.
pub fn lock(folder: &Path) -> Result<File, BackupError> {
    fs::DirBuilder::new().recursive(true).mode(0o700).create(folder).map_err(file(folder))?;
    let path = folder.join(LOCK);
    let lock = File::create(&path).map_err(file(&path))?;
    match lock.try_lock() {
        Ok(()) => Ok(lock),
        Err(TryLockError::WouldBlock) => Err(BackupError::Busy(folder.to_owned())),
        Err(TryLockError::Error(source)) => Err(BackupError::File { path, source }),
    }
}

/// How the backups of a folder went last; nothing where none was taken.
pub fn last(folder: &Path) -> Last {
    let text = fs::read(folder.join(LAST)).unwrap_or_default();
    serde_json::from_slice(&text).unwrap_or_default()
}

/// Notes how a backup went.
///
/// # Errors
/// Where the folder cannot be written to.
pub fn note(folder: &Path, taken: &Result<super::Taken, BackupError>) -> Result<(), BackupError> {
    let before = last(folder);
    let now = match taken {
        Ok(taken) => {
            let name = taken.file.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let seconds = taken.took.as_secs();
            Last { taken: Some(LastTaken { began: taken.began, file: name, bytes: taken.bytes, seconds }), failed: None }
        }
        Err(error) => Last { failed: Some(error.to_string()), ..before },
    };
    let (path, half) = (folder.join(LAST), folder.join("last.half"));
    let text = serde_json::to_vec(&now).map_err(|error| file(&path)(error.into()))?;
    fs::write(&half, text).and_then(|()| fs::rename(&half, &path)).map_err(file(&path))
}

pub(super) fn name(began: DateTime<Utc>, is_encrypted: bool) -> String {
    kept_as(&format!("{BEGINS}{}{ENDS}", began.format(TIME)), is_encrypted)
}

/// The backups of a folder with the time at which each began, the oldest first.
pub(super) fn backups(folder: &Path) -> Result<Vec<(DateTime<Utc>, PathBuf)>, BackupError> {
    let mut found = Vec::new();
    for entry in fs::read_dir(folder).map_err(file(folder))? {
        let entry = entry.map_err(file(folder))?;
        let name = entry.file_name().to_string_lossy().into_owned();
        let time = plain_name(&name).strip_prefix(BEGINS).and_then(|rest| rest.strip_suffix(ENDS));
        let time = time.and_then(|time| NaiveDateTime::parse_from_str(time, TIME).ok());
        if let Some(time) = time {
            found.push((time.and_utc(), entry.path()));
        }
    }
    found.sort();
    Ok(found)
}

/// Removes all but the newest.
pub(super) fn thin(folder: &Path, keep: usize) -> Result<(), BackupError> {
    let found = backups(folder)?;
    let many = found.len().saturating_sub(keep.max(1));
    for (_, path) in found.iter().take(many) {
        fs::remove_file(path).map_err(file(path))?;
    }
    Ok(())
}
