//! How often each program may ask: so many times a second for long, and more in a burst.
use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use std::num::NonZeroU32;
use uuid::Uuid;

/// Requests a second, for long.
pub const A_SECOND: NonZeroU32 = NonZeroU32::new(20).expect("not zero");
/// Requests at once, after a rest.
pub const AT_ONCE: NonZeroU32 = NonZeroU32::new(200).expect("not zero");
/// Programs that rest are forgotten once so many are known.
const MANY: usize = 1000;

/// The rates of all programs, as this server sees them.
#[derive(Debug)]
pub struct Rates(DefaultKeyedRateLimiter<Uuid>);

impl Default for Rates {
    fn default() -> Self {
        Self(RateLimiter::dashmap(Quota::per_second(A_SECOND).allow_burst(AT_ONCE)))
    }
}

impl Rates {
    /// Counts a request of a program.
    ///
    /// # Errors
    /// Seconds to wait, where it asks too often.
    pub fn count(&self, program: Uuid) -> Result<(), u64> {
        if self.0.len() > MANY {
            self.0.retain_recent();
        }
        self.0.check_key(&program).map_err(|not_yet| not_yet.wait_time_from(DefaultClock::default().now()).as_secs() + 1)
    }
}
