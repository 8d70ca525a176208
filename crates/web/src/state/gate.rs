//! Slows down guessing at the sign-in.
use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use std::num::NonZeroU32;
use std::time::Duration;
use velvet_dial_store::accounts::normal_name;

/// Names and addresses kept before those that are over are forgotten.
const MOST_KEPT: usize = 4096;

/// Slows down guessing: five tries at a name, then one in ten seconds; the same for an address, twenty and one in two.
#[derive(Debug)]
pub struct SignInGate {
    by_name: DefaultKeyedRateLimiter<String>,
    by_address: DefaultKeyedRateLimiter<String>,
}

impl Default for SignInGate {
    fn default() -> Self {
        let quota = |burst: u32, seconds: u64| {
            let burst = NonZeroU32::new(burst).unwrap_or(NonZeroU32::MIN);
            Quota::with_period(Duration::from_secs(seconds)).map_or(Quota::per_minute(burst), |quota| quota.allow_burst(burst))
        };
        Self { by_name: RateLimiter::keyed(quota(5, 10)), by_address: RateLimiter::keyed(quota(20, 2)) }
    }
}

impl SignInGate {
    /// Whole seconds to wait before the next try, or `None` when it may be made now.
    pub fn wait_s(&self, name: &str, address: &str) -> Option<u64> {
        // Names nobody tried for a while are forgotten: they would let a try through again anyway.
        if self.by_name.len() + self.by_address.len() > MOST_KEPT {
            self.by_name.retain_recent();
            self.by_address.retain_recent();
        }
        let refused = self.by_address.check_key(&address.to_owned()).and_then(|()| self.by_name.check_key(&normal_name(name))).err()?;
        Some(refused.wait_time_from(DefaultClock::default().now()).as_secs() + 1)
    }
}
