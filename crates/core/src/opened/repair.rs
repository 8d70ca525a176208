//! How a cause is put right: `knowledge/repairs.toml`, with its groups of steps laid in.
use crate::circuit::{Card, ReliefAccess};
use crate::trace::knowledge::{Access, knowledge};
use serde::Deserialize;
use std::sync::LazyLock;

/// A step of the hand.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Hand {
    /// What is done.
    #[serde(rename = "do")]
    pub act: String,
    /// What it minds at that moment; empty where there is nothing.
    pub mind: String,
}

/// Clean or replace, where both are valid.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Choice {
    /// What cleaning takes and leaves.
    pub clean: String,
    /// What replacing takes.
    pub replace: String,
}

/// How one cause is put right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Repair {
    /// The cause, by its word.
    pub cause: String,
    opens: Opens,
    /// What lies ready before anything is loosened.
    pub hand: Vec<String>,
    /// The steps, in the order of the hand.
    pub steps: Vec<Hand>,
    /// Clean or replace.
    pub choice: Option<Choice>,
    /// What is no repair of it and must be named so.
    pub stopgap: String,
    after: Vec<String>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
enum Opens {
    Outside,
    Cover,
    /// Where the card says the relief sits.
    Relief,
    Sump,
    EngineOut,
}

impl Repair {
    /// What must be open for it on this engine.
    pub fn access(&self, card: &Card) -> Access {
        match self.opens {
            Opens::Outside => Access::Outside,
            Opens::Cover => Access::Cover,
            Opens::Sump => Access::Sump,
            Opens::EngineOut => Access::EngineOut,
            Opens::Relief => match card.relief_access {
                Some(ReliefAccess::Cover) => Access::Cover,
                Some(ReliefAccess::InSump) => Access::Sump,
                Some(ReliefAccess::Outside) | None => Access::Outside,
            },
        }
    }
}

/// What an opening needs at hand, and what it leaves out of sight.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OpeningSaid {
    access: String,
    /// What lies ready.
    pub hand: Vec<String>,
    /// What cannot be seen behind it; empty where all can.
    pub cannot: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Row {
    cause: String,
    opens: Opens,
    hand: Vec<String>,
    steps: Vec<Hand>,
    #[serde(default)]
    then: Vec<String>,
    choice: Option<Choice>,
    #[serde(default)]
    stopgap: String,
    #[serde(default)]
    after: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Group {
    id: String,
    steps: Vec<Hand>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct After {
    id: String,
    looks: Vec<String>,
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct Table {
    opening: Vec<OpeningSaid>,
    group: Vec<Group>,
    after: Vec<After>,
    repair: Vec<Row>,
}

struct Known {
    openings: Vec<OpeningSaid>,
    after: Vec<After>,
    repairs: Vec<Repair>,
    complaints: Vec<String>,
}

static KNOWN: LazyLock<Known> = LazyLock::new(|| {
    let (table, mut complaints) = match toml::from_str::<Table>(include_str!("../../knowledge/repairs.toml")) {
        Ok(table) => (table, Vec::new()),
        Err(error) => (Table::default(), vec![format!("repairs: {error}")]),
    };
    let laid = |row: Row| {
        let mut steps = row.steps;
        for named in &row.then {
            match table.group.iter().find(|group| group.id == *named) {
                Some(group) => steps.extend(group.steps.clone()),
                None => complaints.push(format!("{}: no group of steps is called {named}", row.cause)),
            }
        }
        let (cause, opens, hand, choice, stopgap, after) = (row.cause, row.opens, row.hand, row.choice, row.stopgap, row.after);
        Repair { cause, opens, hand, steps, choice, stopgap, after }
    };
    let repairs = table.repair.into_iter().map(laid).collect();
    Known { openings: table.opening, after: table.after, repairs, complaints }
});

/// How a cause is put right; none for a word that is no cause.
///
/// ```
/// # use velvet_dial_core::opened::repair_of;
/// let pickup = repair_of("pickup_air").unwrap();
/// let bracket = pickup.steps.iter().position(|step| step.act.contains("bracket last")).unwrap();
/// assert!(pickup.steps[..bracket].iter().any(|step| step.act.contains("flush by hand")), "home first, levered by nothing");
/// assert!(repair_of("sunspots").is_none());
/// ```
pub fn repair_of(cause: &str) -> Option<&'static Repair> {
    KNOWN.repairs.iter().find(|repair| repair.cause == cause)
}

/// What is looked at after a repair, since the fault may have harmed it.
pub fn looks_after(repair: &Repair) -> impl Iterator<Item = &'static str> {
    KNOWN.after.iter().filter(|after| repair.after.contains(&after.id)).flat_map(|after| after.looks.iter().map(String::as_str))
}

/// What an opening needs at hand and leaves out of sight; none where nothing is opened.
pub fn opening_said(access: Access) -> Option<&'static OpeningSaid> {
    let word = match access {
        Access::Outside => return None,
        Access::Cover => "cover",
        Access::Sump => "sump",
        Access::EngineOut => "engine_out",
    };
    KNOWN.openings.iter().find(|opening| opening.access == word)
}

/// What does not hold together in the repairs: a test keeps it empty.
pub fn faults() -> Vec<String> {
    let known = &*KNOWN;
    let mut found = known.complaints.clone();
    for cause in &knowledge().causes {
        match known.repairs.iter().filter(|repair| repair.cause == cause.id).count() {
            1 => {}
            count => found.push(format!("{}: {count} repairs, where one is needed", cause.id)),
        }
    }
    for repair in &known.repairs {
        if knowledge().cause(&repair.cause).is_none() {
            found.push(format!("repair of {}, which is no cause", repair.cause));
        }
        if repair.steps.is_empty() {
            found.push(format!("{}: a repair without a step", repair.cause));
        }
        let strange = repair.after.iter().filter(|after| known.after.iter().all(|known| known.id != **after));
        found.extend(strange.map(|after| format!("{}: no follow-on looks are called {after}", repair.cause)));
    }
    let missing = [Access::Cover, Access::Sump, Access::EngineOut].into_iter().filter(|access| opening_said(*access).is_none());
    found.extend(missing.map(|access| format!("nothing is said of opening {access:?}")));
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_cause_has_its_repair_and_nothing_is_named_that_is_not_there() {
        assert_eq!(faults(), Vec::<String>::new());
    }

    /// A torque is the maker's: none stands in our data, where it would be followed.
    #[test]
    fn no_step_carries_a_torque() {
        let text = include_str!("../../knowledge/repairs.toml").to_lowercase();
        assert!(!text.contains(" nm") && !text.contains("newton") && !text.contains("ft-lb"));
    }
}
