//! The suspects: causes grouped by part, their odds, and what just moved.
use crate::job::assess::Assessed;
use crate::ui::show;
use crate::ui::words::group_name;
use velvet_dial_core::experience::KnownPattern;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::trace::Posterior;

/// One cause.
pub struct Suspect {
    pub id: &'static str,
    pub name: &'static str,
    pub shape: &'static str,
    pub percent: String,
    /// 0 to 100, for the bar.
    pub width: String,
    /// “up 12” or “down 3”, in points, when the last entry moved it.
    pub moved: Option<String>,
    /// “known, × 3” of a known pattern.
    pub known: Option<String>,
}

/// Causes of one part.
pub struct Group {
    pub name: String,
    pub percent: String,
    pub suspects: Vec<Suspect>,
}

/// The panel.
pub struct Suspects {
    pub groups: Vec<Group>,
    /// How many causes are not listed, and their odds together.
    pub rest: Option<Rest>,
}

/// The causes not listed.
pub struct Rest {
    pub count: usize,
    pub percent: String,
}

/// Causes listed at most, and the least odds to be listed.
const LISTED: usize = 6;
const LEAST: f64 = 0.015;
/// Points a bar must move to be told.
const MOVED: f64 = 0.01;

pub(super) fn suspects(assessed: &Assessed) -> Suspects {
    let posterior = &assessed.now.posterior;
    let ranked = posterior.ranked();
    let (listed, rest): (Vec<usize>, Vec<usize>) = ranked
        .iter()
        .enumerate()
        .map(|(place, index)| (place < LISTED && (place < 3 || posterior.of(*index) >= LEAST), *index))
        .fold((Vec::new(), Vec::new()), |(mut listed, mut rest), (keep, index)| {
            if keep {
                listed.push(index)
            } else {
                rest.push(index)
            }
            (listed, rest)
        });
    let suspect = |index: usize| {
        let cause = knowledge().causes.get(index)?;
        let p = posterior.of(index);
        let suspect = Suspect {
            id: &cause.id,
            name: &cause.name,
            shape: &cause.shape,
            percent: show::percent(p),
            width: format!("{:.1}", 100.0 * p),
            moved: moved(assessed, index),
            known: known(assessed, index).map(raised),
        };
        Some((cause.group.as_str(), suspect))
    };
    let groups = grouped(posterior, listed.into_iter().filter_map(suspect));
    let any = knowledge().any(&posterior.states, |cause| rest.contains(&cause));
    Suspects {
        groups: groups
            .into_iter()
            .map(|(any, name, suspects)| Group { name: group_name(name), percent: show::percent(any), suspects })
            .collect(),
        rest: (!rest.is_empty()).then(|| Rest { count: rest.len(), percent: show::percent(any) }),
    }
}

/// What is known of this engine's family and this cause.
pub fn known(assessed: &Assessed, index: usize) -> Option<&KnownPattern> {
    let cause = knowledge().causes.get(index)?;
    assessed.case.known_patterns.iter().find(|known| known.cause == cause.id)
}

/// “known, × 3”.
pub fn raised(known: &KnownPattern) -> String {
    format!("known, × {}", show::plain(known.times))
}

/// “up 12” or “down 3”, in points, when a cause was moved since the asker last looked.
pub fn moved(assessed: &Assessed, index: usize) -> Option<String> {
    let p = assessed.now.posterior.of(index);
    let change = p - assessed.before.get(index).copied().unwrap_or(p);
    (change.abs() >= MOVED).then(|| format!("{} {:.0}", if change > 0.0 { "up" } else { "down" }, 100.0 * change.abs()))
}

/// Causes, likeliest first, by their part: the part of the likeliest cause first, each with the probability that at least one of all its causes is present.
pub fn grouped<T>(posterior: &Posterior, causes: impl Iterator<Item = (&'static str, T)>) -> Vec<(f64, &'static str, Vec<T>)> {
    let mut groups: Vec<(f64, &str, Vec<T>)> = Vec::new();
    for (part, cause) in causes {
        match groups.iter_mut().find(|(_, name, _)| *name == part) {
            Some((.., all)) => all.push(cause),
            None => groups.push((knowledge().any_of(&posterior.states, part), part, vec![cause])),
        }
    }
    groups
}
