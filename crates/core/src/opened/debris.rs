//! Debris that was found: where it came from, whether its source was mended, and where it went meanwhile (`knowledge/debris.toml`).
use crate::case::{Case, Deed};
use crate::choice::choice;
use crate::knowledge::knowledge;
use serde::Deserialize;
use std::sync::LazyLock;

choice! {
    /// What is said of the source of debris as a job is closed.
    SourceIs {
        /// It was found and mended.
        Mended = "mended": "yes, found and repaired",
        /// Nobody found it.
        NotFound = "not_found": "it was looked for and not found",
        /// It is left, and the customer knows.
        Left = "left": "no, the customer knows and leaves it",
    }
}

/// Looks that find debris.
const LOOKS: [&str; 3] = ["filter_cut", "sump_debris", "oil_look"];

/// A kind of debris.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Debris {
    /// The outcome that finds it.
    pub outcome: String,
    /// What it is called.
    pub name: String,
    /// Where it mostly comes from.
    pub from: String,
    /// Causes whose repair mends its source.
    pub sources: Vec<String>,
    /// Where it went, and what is done there.
    pub went: Vec<String>,
}

/// Debris of a case.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    /// What.
    pub debris: &'static Debris,
    /// A repair that was recorded mends its source.
    pub source_mended: bool,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct Table {
    debris: Vec<Debris>,
}

static TABLE: LazyLock<Table> = LazyLock::new(|| {
    // OK because the file is compiled in, and a test reads it.
    toml::from_str(include_str!("../../knowledge/debris.toml")).unwrap_or_default()
});

/// The debris that a case's looks found before the repair, each once, in the order of the table.
pub fn debris(case: &Case) -> Vec<Found> {
    let found = |outcome: &str| case.weighed_evidence().any(|entry| LOOKS.contains(&entry.check.as_str()) && entry.saw(outcome));
    let mended = |debris: &Debris| {
        let of_it = |cause: &str| debris.sources.iter().any(|source| source == cause);
        case.acts.iter().any(|act| act.act == Deed::Repair && act.cause.as_deref().is_some_and(of_it))
    };
    // Metal in the oil and metal in the filter are the same metal: the filter says more.
    let better =
        |debris: &Debris| debris.outcome == "metal" && ["bearing_metal", "light_metal", "ferrous"].iter().any(|other| found(other));
    let found = TABLE.debris.iter().filter(|debris| found(&debris.outcome) && !better(debris));
    found.map(|debris| Found { debris, source_mended: mended(debris) }).collect()
}

/// What does not hold together in the table: a test keeps it empty.
pub fn debris_faults() -> Vec<String> {
    let know = knowledge();
    let mut found = Vec::new();
    if TABLE.debris.is_empty() {
        found.push("debris.toml cannot be read".to_owned());
    }
    for debris in &TABLE.debris {
        if !LOOKS.iter().any(|check| know.found(check, &debris.outcome).is_some()) {
            found.push(format!("debris {}: no look finds it", debris.outcome));
        }
        found.extend(
            debris
                .sources
                .iter()
                .filter(|cause| know.cause(cause).is_none())
                .map(|cause| format!("debris {}: {cause} is not a cause", debris.outcome)),
        );
        if debris.went.is_empty() || debris.sources.is_empty() {
            found.push(format!("debris {}: nothing is said of where it came from or went", debris.outcome));
        }
    }
    found
}
