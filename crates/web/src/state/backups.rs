//! How the server's backups go, for the pages that say so.
use chrono::{DateTime, TimeDelta, Utc};
use std::sync::{Mutex, PoisonError};

/// Two nights without a backup are worth a word.
const LATE: TimeDelta = TimeDelta::hours(50);

/// How they went last, as whoever takes them says.
#[derive(Debug, Default)]
pub struct Backups(Mutex<Option<BackupState>>);

/// How they went last.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BackupState {
    /// Folder of the backups.
    pub folder: String,
    /// When the last one began, and its length in bytes.
    pub taken: Option<(DateTime<Utc>, u64)>,
    /// Why the last try failed, where it did.
    pub failed: Option<String>,
    /// When this server began.
    pub since: DateTime<Utc>,
}

impl Backups {
    /// Says how they went.
    pub fn set(&self, state: BackupState) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(state);
    }

    /// How they went; none where nobody takes any.
    pub fn state(&self) -> Option<BackupState> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }
}

impl BackupState {
    /// Somebody should look after them: the last try failed, or none was taken for two nights.
    pub fn is_late(&self, now: DateTime<Utc>) -> bool {
        let last = self.taken.map_or(self.since, |(began, _)| began);
        self.failed.is_some() || now - last > LATE
    }
}
