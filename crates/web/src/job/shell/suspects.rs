//! The suspects: causes grouped by part, their odds, and what just moved.
use crate::job::assess::Assessed;
use crate::ui::show;
use crate::ui::words::group_name;
use velvet_dial_core::trace::knowledge::knowledge;

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
    let mut groups: Vec<(f64, Group)> = Vec::new();
    for index in listed {
        let Some(cause) = knowledge().causes.get(index) else {
            continue;
        };
        let p = posterior.of(index);
        let change = p - assessed.before.get(index).copied().unwrap_or(p);
        let moved = (change.abs() >= MOVED).then(|| format!("{} {:.0}", if change > 0.0 { "up" } else { "down" }, 100.0 * change.abs()));
        let suspect = Suspect {
            id: &cause.id,
            name: &cause.name,
            shape: &cause.shape,
            percent: show::percent(p),
            width: format!("{:.1}", 100.0 * p),
            moved,
        };
        match groups.iter_mut().find(|(_, group)| group.name == group_name(&cause.group)) {
            Some((sum, group)) => {
                *sum += p;
                group.percent = show::percent(*sum);
                group.suspects.push(suspect);
            }
            None => groups.push((p, Group { name: group_name(&cause.group), percent: show::percent(p), suspects: vec![suspect] })),
        }
    }
    groups.sort_by(|a, b| b.0.total_cmp(&a.0));
    let sum: f64 = rest.iter().map(|index| posterior.of(*index)).sum();
    Suspects {
        groups: groups.into_iter().map(|(_, group)| group).collect(),
        rest: (!rest.is_empty()).then(|| Rest { count: rest.len(), percent: show::percent(sum) }),
    }
}
