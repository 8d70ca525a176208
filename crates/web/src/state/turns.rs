//! One after the other at the same job, and nobody waits for another job.
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError, Weak};
use uuid::Uuid;

type Turn = tokio::sync::Mutex<()>;

/// Whose turn it is, by shop and number of the job.
#[derive(Debug, Default)]
pub struct Turns(Mutex<HashMap<(Uuid, i64), Weak<Turn>>>);

impl Turns {
    /// The turn at a job, waited for; it ends when it is dropped.
    pub async fn at(&self, shop: Uuid, job: i64) -> tokio::sync::OwnedMutexGuard<()> {
        let turn = {
            let mut turns = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            turns.retain(|_, turn| turn.strong_count() > 0);
            let turn = turns.get(&(shop, job)).and_then(Weak::upgrade).unwrap_or_default();
            turns.insert((shop, job), Arc::downgrade(&turn));
            turn
        };
        turn.lock_owned().await
    }
}
