//! How a cause is put right: `knowledge/repairs.toml`, with its groups of steps laid in.
use crate::circuit::{Burns, Card};
use crate::knowledge::{Access, Reached, knowledge};
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
    /// Only for engines that burn this.
    #[serde(default)]
    pub burns: Option<Burns>,
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
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Repair {
    /// The cause, by its word.
    pub cause: String,
    opens: Reached,
    /// What lies ready before anything is loosened.
    pub hand: Vec<String>,
    steps: Vec<Hand>,
    #[serde(default)]
    then: Vec<String>,
    /// Clean or replace.
    pub choice: Option<Choice>,
    /// What may have to soak before it is repaired; empty where nothing does.
    #[serde(default)]
    pub soaks: String,
    /// What is no repair of it and must be named so.
    #[serde(default)]
    pub stopgap: String,
    #[serde(default)]
    after: Vec<String>,
}

impl Repair {
    /// What must be open for it, as the knowledge has it.
    pub fn opens(&self) -> Reached {
        self.opens
    }

    /// What must be open for it on this engine.
    pub fn access(&self, card: &Card) -> Access {
        self.opens.on(card)
    }

    /// All of the oil is drained for it, although nothing is opened.
    pub fn changes_oil(&self) -> bool {
        self.then.iter().any(|group| group == "first_fill")
    }

    /// Its steps on this engine, in the order of the hand: what was opened is closed, what was drained is filled, and nothing else.
    pub fn steps_on(&'static self, card: &Card) -> Vec<&'static Hand> {
        let then = self.then.iter().flat_map(|name| groups_of(name, self.access(card))).flat_map(|group| &group.steps);
        self.steps.iter().chain(then).filter(|step| step.burns.is_none() || card.fuel.is_none() || step.burns == card.fuel).collect()
    }

    /// Some step of it, on some engine, is this one: what was ticked stays readable when the card is changed.
    pub fn has(&self, act: &str) -> bool {
        let any = [Access::Outside, Access::Cover, Access::Sump, Access::EngineOut];
        let groups = || any.iter().flat_map(|access| self.then.iter().flat_map(|name| groups_of(name, *access)));
        self.steps.iter().chain(groups().flat_map(|group| &group.steps)).any(|step| step.act == act)
    }
}

/// The groups of steps that a name of `then` stands for where so much was opened.
fn groups_of(name: &str, access: Access) -> Vec<&'static Group> {
    let names: &[&str] = match (name, access) {
        ("close", Access::Outside) => &[],
        ("close", Access::Cover) => &["close_cover"],
        ("close", Access::Sump) => &["close_sump"],
        ("close", Access::EngineOut) => &["close_sump", "close_engine_out"],
        ("fill", Access::Outside) => &["no_fill"],
        ("fill", _) => &["first_fill"],
        (one, _) => &[one],
    };
    names.iter().filter_map(|name| KNOWN.group.iter().find(|group| group.id == *name)).collect()
}

/// An opening: its steps, what it needs at hand, and what it leaves out of sight.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct OpeningSaid {
    access: String,
    /// What lies ready.
    pub hand: Vec<String>,
    /// How it is opened, in the order of the hand.
    pub steps: Vec<Hand>,
    /// What cannot be seen behind it; empty where all can.
    pub cannot: String,
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
struct Known {
    opening: Vec<OpeningSaid>,
    group: Vec<Group>,
    after: Vec<After>,
    repair: Vec<Repair>,
    #[serde(skip)]
    complaints: Vec<String>,
}

static KNOWN: LazyLock<Known> = LazyLock::new(|| match toml::from_str::<Known>(include_str!("../../knowledge/repairs.toml")) {
    Ok(known) => known,
    Err(error) => Known { complaints: vec![format!("repairs: {error}")], ..Known::default() },
});

/// How a cause is put right; none for a word that is no cause.
///
/// ```
/// # use velvet_dial_core::{circuit::Card, opened::repair_of};
/// let pickup = repair_of("pickup_air").unwrap();
/// let steps = pickup.steps_on(&Card::of(2.0, 4, 750.0, "5W-30"));
/// let bracket = steps.iter().position(|step| step.act.contains("bracket last")).unwrap();
/// assert!(steps[..bracket].iter().any(|step| step.act.contains("flush by hand")), "home first, levered by nothing");
/// assert!(repair_of("sunspots").is_none());
/// ```
pub fn repair_of(cause: &str) -> Option<&'static Repair> {
    KNOWN.repair.iter().find(|repair| repair.cause == cause)
}

/// What is looked at after a repair, since the fault may have harmed it.
pub fn looks_after(repair: &Repair) -> impl Iterator<Item = &'static str> {
    KNOWN.after.iter().filter(|after| repair.after.contains(&after.id)).flat_map(|after| after.looks.iter().map(String::as_str))
}

/// What an opening needs at hand and leaves out of sight; none where nothing is opened.
pub fn opening_said(access: Access) -> Option<&'static OpeningSaid> {
    KNOWN.opening.iter().find(|opening| access != Access::Outside && opening.access == access.id())
}

/// What does not hold together in the repairs: a test keeps it empty.
pub fn faults() -> Vec<String> {
    let known = &*KNOWN;
    let mut found = known.complaints.clone();
    for cause in &knowledge().causes {
        match known.repair.iter().filter(|repair| repair.cause == cause.id).count() {
            1 => {}
            count => found.push(format!("{}: {count} repairs, where one is needed", cause.id)),
        }
    }
    for repair in &known.repair {
        if knowledge().cause(&repair.cause).is_none() {
            found.push(format!("repair of {}, which is no cause", repair.cause));
        }
        if repair.steps.is_empty() {
            found.push(format!("{}: a repair without a step", repair.cause));
        }
        let unknown = repair.then.iter().filter(|name| groups_of(name, Access::Sump).is_empty());
        found.extend(unknown.map(|name| format!("{}: no group of steps is called {name}", repair.cause)));
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
