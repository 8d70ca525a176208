//! What a server that serves does at night: backups, and customers that shops keep no longer.
use super::backup::{Keeping, Of, TakeError};
use super::database;
use chrono::{DateTime, Local, TimeDelta, TimeZone, Utc};
use std::sync::Arc;
use std::time::{Duration, Instant};
use velvet_dial_core::count::count;
use velvet_dial_services::backup::{self, BackupError};
use velvet_dial_store::{Connection, DatabaseRole, StoreError, jobs};
use velvet_dial_web::state::{BackupState, Backups};

/// How often it is looked whether a backup is due, how long after one that failed it is tried again, and how often the binary log is copied to the backups.
const LOOK_EVERY: Duration = Duration::from_secs(60);
const TRY_AGAIN_AFTER: Duration = Duration::from_secs(3600);
const COPY_LOG_EVERY: Duration = Duration::from_secs(3600);
/// How often customers that shops keep no longer are removed.
const REMOVE_EVERY: Duration = Duration::from_secs(24 * 3600);

/// The backups of a server that serves.
pub struct Nightly<'a> {
    pub keeping: &'a Keeping,
    pub of: Of,
    pub state: Arc<Backups>,
    /// The server takes them.
    pub wanted: bool,
}

impl Nightly<'_> {
    /// Takes one whenever one is due, copies the binary log every hour, and says how they go; never returns.
    pub async fn take_them(&self, db: &Connection) {
        if !self.wanted {
            return std::future::pending().await;
        }
        let (since, folder) = (Utc::now(), self.keeping.folder(&self.of.data));
        let mut tried: Option<Instant> = None;
        let mut copied = Instant::now();
        loop {
            let last = backup::last(&folder);
            let began = last.taken.as_ref().map(|taken| taken.began);
            let taken = last.taken.as_ref().map(|taken| (taken.began, taken.bytes));
            self.state.set(BackupState { folder: folder.display().to_string(), taken, failed: last.failed, since });
            if is_due(began, Local::now()) && tried.is_none_or(|tried| tried.elapsed() > TRY_AGAIN_AFTER) {
                tried = Some(Instant::now());
                match self.keeping.take(db, &self.of).await {
                    Ok(taken) => {
                        tracing::info!(file = %taken.file.display(), bytes = taken.bytes, took = ?taken.took, "a backup was taken")
                    }
                    Err(TakeError::Backup(BackupError::Busy(_))) => {}
                    Err(error) => tracing::error!(%error, "no backup was taken; it is tried again in an hour"),
                }
                continue;
            }
            if copied.elapsed() > COPY_LOG_EVERY {
                copied = Instant::now();
                if let Err(error) = self.keeping.copy_log(&self.of).await {
                    tracing::error!(%error, "the binary log was not copied; it is tried again in an hour");
                }
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
    }
}

/// A backup is due when none began since the last half past two at night.
fn is_due(began: Option<DateTime<Utc>>, now: DateTime<Local>) -> bool {
    let Some(night) = now.date_naive().and_hms_opt(2, 30, 0) else { return false };
    let night = if now.naive_local() < night { night - TimeDelta::days(1) } else { night };
    // In the hour that a clock leaves out there is no such moment; the next one is meant.
    let night = Local.from_local_datetime(&night).latest().unwrap_or(now);
    began.is_none_or(|began| began < night)
}

/// Removes the customers that shops keep no longer, every day; never returns.
pub async fn remove_customers(db: &Connection, url: &str, is_private: bool) {
    loop {
        if let Err(error) = remove_past(db, url, is_private).await {
            tracing::error!(%error, "customers that are kept no longer could not be removed; it is tried again tomorrow");
        }
        tokio::time::sleep(REMOVE_EVERY).await;
    }
}

/// The server's own connection looks; only where there is something to remove, the user who may do that is let in.
async fn remove_past(db: &Connection, url: &str, is_private: bool) -> Result<(), StoreError> {
    let past = jobs::past_keeping(db, Utc::now().naive_utc()).await?;
    if past.is_empty() {
        return Ok(());
    }
    let db = database::open_as(url, is_private, DatabaseRole::Remover).await?;
    for (owner, number, months) in past {
        let because = format!("the shop keeps customers for {} after a job is closed", count(usize::from(months), "month"));
        match jobs::remove_customer(&db, &owner, number, &because).await {
            Ok(()) => tracing::info!(number, "a customer was removed from a closed job"),
            // A report of before signed the customer's name: it stays as it is.
            Err(error) => tracing::warn!(%error, number, "a customer could not be removed"),
        }
    }
    Ok(db.close().await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_backup_is_due_once_a_night_and_at_once_where_there_is_none() {
        let at = |hour: u32, minute: u32| Local.with_ymd_and_hms(2026, 5, 30, hour, minute, 0).unwrap();
        let began = |hour: u32, minute: u32| Some(at(hour, minute).to_utc());
        assert!(is_due(None, at(12, 0)));
        assert!(is_due(began(2, 29), at(2, 30)) && is_due(began(2, 29), at(23, 0)));
        assert!(!is_due(began(2, 31), at(2, 45)) && !is_due(began(2, 31), at(23, 59)));
        // Before half past two the night before counts.
        assert!(!is_due(began(0, 10), at(2, 0)));
        assert!(is_due(began(2, 0).map(|began| began - TimeDelta::days(1)), at(2, 0)));
    }
}
