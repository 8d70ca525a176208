//! One safeguarded Newton iteration for monotone balances.

/// The root of a falling function inside `[low, high]`, where `balance` returns value and slope.
///
/// Newton's step is taken when it stays inside the shrinking bracket and the last one at least halved the value, else the bracket is halved; so it
/// converges for any falling function, kinks and wrong slopes included. Stops when the value is within `tolerance` or the bracket is exhausted in
/// floating point.
pub fn falling(balance: impl Fn(f64) -> (f64, f64), mut low: f64, mut high: f64, start: f64, tolerance: f64) -> f64 {
    let mut x = start.clamp(low, high);
    let mut last = f64::INFINITY;
    for _ in 0..120 {
        let (value, slope) = balance(x);
        if value.abs() <= tolerance {
            return x;
        }
        if value > 0.0 {
            low = x;
        } else {
            high = x;
        }
        let newton = x - value / slope;
        let quick = value.abs() <= 0.5 * last;
        let inside = slope < 0.0 && newton > low && newton < high;
        let next = if inside && quick { newton } else { 0.5 * (low + high) };
        // After a halving Newton may try again.
        last = if quick { value.abs() } else { f64::INFINITY };
        if next == x {
            return x;
        }
        x = next;
    }
    x
}
