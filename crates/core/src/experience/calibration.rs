//! Whether what was said came true: of the jobs in which a cause was given so many percent, it was that cause in how many.
//!
//! The range round a share is Wilson's score interval at 90 % (E. B. Wilson, *J. Am. Stat. Assoc.* 22 (1927) 209), which holds for few jobs too.
use serde::Serialize;

/// Standard normal quantile of 95 %: a two-sided range of 90 %.
const Z: f64 = 1.644_854;
/// Upper ends of the bands of what was said.
const BANDS: [f64; 5] = [0.2, 0.4, 0.6, 0.8, 1.0];

/// Something that was said, and whether it came true.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Said {
    /// The probability that was given.
    pub probability: f64,
    /// It was so.
    pub came_true: bool,
}

/// What was said between two probabilities.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Band {
    /// From.
    pub from: f64,
    /// To.
    pub to: f64,
    /// How often it was said.
    pub jobs: u32,
    /// How often it came true.
    pub came_true: u32,
    /// What was said on average.
    pub said: f64,
    /// The share that came true could be from here to there.
    pub range: (f64, f64),
}

/// What was said by bands, those in which nothing was said left out.
///
/// ```
/// # use velvet_dial_core::experience::{Said, calibration};
/// let said = [(0.9, true), (0.9, true), (0.9, false), (0.1, false)].map(|(probability, came_true)| Said { probability, came_true });
/// let bands = calibration(&said);
/// assert_eq!((bands[1].jobs, bands[1].came_true), (3, 2));
/// assert!(bands[1].range.0 < 0.66 && bands[1].range.1 > 0.67);
/// ```
pub fn calibration(said: &[Said]) -> Vec<Band> {
    let mut from = 0.0;
    let mut bands = Vec::new();
    for to in BANDS {
        let last = to >= 1.0;
        let within: Vec<&Said> = said.iter().filter(|one| one.probability >= from && (one.probability < to || last)).collect();
        let jobs = within.len() as u32;
        if jobs > 0 {
            let came_true = within.iter().filter(|one| one.came_true).count() as u32;
            let mean = within.iter().map(|one| one.probability).sum::<f64>() / f64::from(jobs);
            bands.push(Band { from, to, jobs, came_true, said: mean, range: wilson(came_true, jobs) });
        }
        from = to;
    }
    bands
}

/// Wilson's range of a share that was counted.
fn wilson(hits: u32, of: u32) -> (f64, f64) {
    let (n, share) = (f64::from(of), f64::from(hits) / f64::from(of));
    let middle = (share + Z * Z / (2.0 * n)) / (1.0 + Z * Z / n);
    let half = Z / (1.0 + Z * Z / n) * (share * (1.0 - share) / n + Z * Z / (4.0 * n * n)).sqrt();
    ((middle - half).max(0.0), (middle + half).min(1.0))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Against a table: 90 % score limits of 2 of 3, 9 of 10 and 0 of 5 (R, `prop.test(x, n, conf.level = 0.9, correct = FALSE)`).
    #[test]
    fn ranges_are_those_of_the_books_and_every_job_is_in_one_band() {
        for (hits, of, low, high) in [(2, 3, 0.253, 0.922), (9, 10, 0.652, 0.978), (0, 5, 0.0, 0.351)] {
            let (from, to) = wilson(hits, of);
            assert!((from - low).abs() < 2e-3 && (to - high).abs() < 2e-3, "{hits} of {of}: {from} {to}");
        }
        let said: Vec<Said> = (0..=100u32).map(|n| Said { probability: f64::from(n) / 100.0, came_true: n % 3 == 0 }).collect();
        let bands = calibration(&said);
        assert_eq!(bands.iter().map(|band| band.jobs).sum::<u32>(), 101);
        assert!(bands.iter().all(|band| band.said >= band.from && band.said <= band.to));
        assert!(bands.iter().all(|band| {
            let share = f64::from(band.came_true) / f64::from(band.jobs);
            band.range.0 <= share && share <= band.range.1
        }));
    }
}
