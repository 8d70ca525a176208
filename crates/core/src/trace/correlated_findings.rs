//! Findings that are two sides of one fact: a knock the customer heard and the knock at the listening rod, metal in the filter and metal in the sump.
//!
//! The tables take findings as independent; these are not, and counted twice they make a suspicion into a certainty. Of two that are both found, the one that
//! tells less counts only a share of its weight (`twin_share` in `knowledge/checks.toml`, where the pairs stand).
use super::weigh::Finding;
use crate::knowledge::Knowledge;

/// The findings with twins lightened. The order of the findings does not matter.
pub fn lightened(know: &Knowledge, mut findings: Vec<Finding>) -> Vec<Finding> {
    let mut light: Vec<usize> = Vec::new();
    for [one, other] in &know.twins {
        // A look may have found several things.
        let places = |pattern: &str| -> Vec<usize> {
            findings.iter().enumerate().filter(|(_, finding)| matches(pattern, &finding.key)).map(|(place, _)| place).collect()
        };
        let (ones, others) = (places(one), places(other));
        if !ones.is_empty() && !others.is_empty() {
            let tell = |places: &[usize]| places.iter().filter_map(|place| findings.get(*place)).map(spread).sum::<f64>();
            light.extend(if tell(&ones) < tell(&others) { ones } else { others });
        }
    }
    light.sort_unstable();
    light.dedup();
    for index in light {
        if let Some(finding) = findings.get_mut(index) {
            finding.log_likelihood.iter_mut().for_each(|log| *log *= know.twin_share);
        }
    }
    findings
}

/// `check=*` is any outcome of the check; all else is the key itself.
fn matches(pattern: &str, key: &str) -> bool {
    pattern.strip_suffix('*').map_or(pattern == key, |check| key.starts_with(check))
}

/// How far apart a finding puts the states.
fn spread(finding: &Finding) -> f64 {
    let most = finding.log_likelihood.iter().copied().fold(f64::NEG_INFINITY, f64::max);
    let least = finding.log_likelihood.iter().copied().fold(f64::INFINITY, f64::min);
    most - least
}
