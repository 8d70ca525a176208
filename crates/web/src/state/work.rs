//! Computation off the threads that serve: as many at once as there are cores, and a queue that ends.
use rayon::{ThreadPool, ThreadPoolBuilder};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use thiserror::Error;
use tokio::sync::{OwnedSemaphorePermit, Semaphore};

/// The queue is full, or the work was cut off.
#[derive(Debug, Error)]
pub enum Busy {
    /// Too many wait already.
    #[error("too much to work out at once")]
    Full,
    /// A defect in what was to be worked out: it costs this answer only.
    #[error("the computation was cut off")]
    CutOff,
}

/// Turns at the processor.
#[derive(Debug)]
pub struct Work {
    turns: Arc<Semaphore>,
    waiting: AtomicUsize,
    /// Threads for what takes a second and can wait: they give way to whoever is asked for something shorter. None where the machine grants no more threads.
    behind: Option<Arc<ThreadPool>>,
    /// One at a time of that.
    turn_behind: Arc<Semaphore>,
    /// One at a time of what takes much memory: photos as they come, reports on paper.
    turn_heavy: Arc<Semaphore>,
    waiting_heavy: AtomicUsize,
}

/// Those who wait at most. A diagnosis takes some ten milliseconds, so the last of them waits a second or two.
const MOST_WAITING: usize = 200;
/// Those who wait at most for what takes much memory: each may hold a photo of some megabytes meanwhile.
const MOST_WAITING_HEAVY: usize = 24;

impl Default for Work {
    fn default() -> Self {
        // Where a thread may not give way, it works all the same.
        let give_way = |_| _ = rustix::process::setpriority_process(None, GIVES_WAY);
        let behind = ThreadPoolBuilder::new().num_threads(cores()).start_handler(give_way).build().ok();
        Self {
            turns: Arc::new(Semaphore::new(cores())),
            waiting: AtomicUsize::new(0),
            behind: behind.map(Arc::new),
            turn_behind: Arc::new(Semaphore::new(1)),
            turn_heavy: Arc::new(Semaphore::new(1)),
            waiting_heavy: AtomicUsize::new(0),
        }
    }
}

/// How far the threads behind give way: as far as they can.
const GIVES_WAY: i32 = 19;

/// Cores of this machine.
pub fn cores() -> usize {
    std::thread::available_parallelism().map_or(2, usize::from)
}

/// One who waits: counted while it is there, also when its asker has gone.
struct Place<'a>(&'a AtomicUsize);

impl Drop for Place<'_> {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}

impl Work {
    /// How many wait for a processor, and for memory.
    pub fn waiting(&self) -> (usize, usize) {
        (self.waiting.load(Ordering::Relaxed), self.waiting_heavy.load(Ordering::Relaxed))
    }

    /// Works something out when its turn comes.
    ///
    /// # Errors
    /// [`Busy`] when too many wait already, or the work panicked.
    pub async fn out<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Busy> {
        self.in_turn(&self.turns, work).await
    }

    /// The same for what takes a second: one at a time, and behind all else.
    ///
    /// # Errors
    /// As [`Self::out`].
    pub async fn behind<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Busy> {
        let Some(pool) = self.behind.clone() else { return self.out(work).await };
        self.in_turn(&self.turn_behind, move || pool.install(work)).await
    }

    /// The turn of what takes much memory, waited for. What is loaded for it is loaded after this, so that of many who ask one holds its photos.
    ///
    /// # Errors
    /// As [`Self::out`].
    pub async fn heavy_turn(&self) -> Result<OwnedSemaphorePermit, Busy> {
        Self::turn(&self.turn_heavy, &self.waiting_heavy, MOST_WAITING_HEAVY).await
    }

    /// Works in a turn that was waited for.
    ///
    /// # Errors
    /// As [`Self::out`].
    pub async fn heavy<T: Send + 'static>(&self, turn: OwnedSemaphorePermit, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Busy> {
        Self::with(turn, work).await
    }

    async fn turn(turns: &Arc<Semaphore>, waiting: &AtomicUsize, most: usize) -> Result<OwnedSemaphorePermit, Busy> {
        if waiting.fetch_add(1, Ordering::Relaxed) >= most {
            waiting.fetch_sub(1, Ordering::Relaxed);
            return Err(Busy::Full);
        }
        let _place = Place(waiting);
        Arc::clone(turns).acquire_owned().await.map_err(|_| Busy::CutOff)
    }

    async fn in_turn<T: Send + 'static>(&self, turns: &Arc<Semaphore>, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Busy> {
        Self::with(Self::turn(turns, &self.waiting, MOST_WAITING).await?, work).await
    }

    async fn with<T: Send + 'static>(turn: OwnedSemaphorePermit, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Busy> {
        // The turn goes along: an asker who leaves does not let another one in beside work that still runs.
        let done = tokio::task::spawn_blocking(move || {
            let done = work();
            drop(turn);
            done
        });
        done.await.map_err(|_| Busy::CutOff)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn the_queue_ends_and_a_panic_costs_one_turn() {
        let work = Arc::new(Work::default());
        let (open, door) = std::sync::mpsc::channel::<()>();
        let door = Arc::new(std::sync::Mutex::new(door));
        let asked: Vec<_> = (0..MOST_WAITING + cores() + 20)
            .map(|_| {
                let (work, door) = (Arc::clone(&work), Arc::clone(&door));
                tokio::spawn(async move { work.out(move || drop(door.lock().map(|door| door.recv()))).await.is_err() })
            })
            .collect();
        while work.turns.available_permits() > 0 || work.waiting.load(Ordering::Relaxed) < MOST_WAITING {
            tokio::task::yield_now().await;
        }
        drop(open);
        let mut refused = 0;
        for one in asked {
            refused += usize::from(one.await.unwrap_or(true));
        }
        assert_eq!(refused, 20);
        assert!(matches!(work.out(|| panic!("a defect")).await, Err::<(), _>(Busy::CutOff)));
        assert!(matches!(work.behind(|| panic!("a defect")).await, Err::<(), _>(Busy::CutOff)));
        assert_eq!((work.out(|| 7).await.ok(), work.behind(|| 8).await.ok()), (Some(7), Some(8)));
        assert_eq!((work.waiting.load(Ordering::Relaxed), work.turns.available_permits()), (0, cores()));
    }
}
