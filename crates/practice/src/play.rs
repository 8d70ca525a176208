//! What was done in a scene, act by act.
use crate::condition::Wreck;
use serde::{Deserialize, Serialize};
use velvet_dial_core::trace::{Proposal, Step};

/// What was done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Did {
    /// The run: the readings of the sheet's points.
    Run,
    /// A check, by its id.
    Check(String),
    /// One more reading, by its name.
    Reading(String),
    /// A repair, by the cause that it is for.
    Repair(String),
    /// The fault was hidden: thicker oil, a shim, a heavier spring.
    Hidden,
    /// The readings after a repair.
    Recheck,
    /// Help was bought.
    Help,
}

impl Did {
    /// It changes the vehicle: a repair, or what only hides the fault.
    pub fn changes_it(&self) -> bool {
        matches!(self, Self::Repair(_) | Self::Hidden)
    }
}

/// An act with its price.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Act {
    /// What.
    pub did: Did,
    /// Minutes, with the way to it.
    pub minutes: f64,
    /// Work and material, in the shop's money.
    pub money: f64,
    /// What it was worth per minute beside the best that could be done then, 0 to 1; none where nothing is known of that.
    pub worth: Option<f64>,
}

/// A cause that was chosen and repaired.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Choice {
    /// The cause, by its id.
    pub cause: String,
    /// Its probability then, from what was known then.
    pub probability: f64,
    /// The probability at which one acts on it.
    pub act_at: f64,
    /// It was at fault, or part of what was.
    pub right: bool,
    /// Minutes into the scene.
    pub at_minutes: f64,
}

/// A scene that was played to its end.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Played {
    /// What was done, in order.
    pub acts: Vec<Act>,
    /// What was chosen, in order; the last ended it.
    pub choices: Vec<Choice>,
    /// The complaint is gone.
    pub cured: bool,
    /// The engine was run though it must not.
    pub forbidden_runs: usize,
    /// How far it has wrecked itself, at worst.
    pub wreck: Wreck,
    /// Steps that cost something when they are left out, and were.
    pub left_out: Vec<String>,
    /// It was opened, to look or to repair, and nobody had agreed to that.
    pub not_agreed: bool,
    /// Times that the fault was hidden and not removed: thicker oil, a shim, a heavier spring.
    #[serde(default)]
    pub stopgaps: usize,
    /// Hints that were bought.
    pub hints: usize,
    /// Readings were taken, and none with the oil hot.
    pub never_hot: bool,
    /// The gauge was looked at before a repair, and no reading was entered.
    pub reading_not_entered: bool,
    /// The same after the last repair.
    pub recheck_not_entered: bool,
}

impl Played {
    /// Minutes in all.
    pub fn minutes(&self) -> f64 {
        self.acts.iter().map(|act| act.minutes).sum()
    }

    /// Money in all.
    pub fn money(&self) -> f64 {
        self.acts.iter().map(|act| act.money).sum()
    }

    /// The first cause that was chosen and was at fault.
    pub fn found(&self) -> Option<&Choice> {
        self.choices.iter().find(|choice| choice.right)
    }

    /// Something was read or looked at before anything was repaired.
    pub fn looked_first(&self) -> bool {
        self.acts.first().is_some_and(|act| !act.did.changes_it())
    }

    /// The right cause was the first that was chosen, at the certainty at which one acts, and not by what the customer said alone; nothing else was repaired.
    pub fn is_justified(&self) -> bool {
        self.cured && self.in_vain() == 0 && self.looked_first() && self.found().is_some_and(|found| found.probability >= found.act_at)
    }

    /// The right cause was repaired without enough that spoke for it.
    pub fn is_lucky(&self) -> bool {
        self.cured && self.found().is_some_and(|found| found.probability < 0.5 * found.act_at)
    }

    /// Repairs in vain.
    pub fn in_vain(&self) -> usize {
        self.choices.iter().filter(|choice| !choice.right).count()
    }

    /// Something was repaired.
    pub fn repaired(&self) -> bool {
        self.acts.iter().any(|act| act.did.changes_it())
    }

    /// It was measured before anything was repaired.
    pub fn measured_first(&self) -> bool {
        let place = |wanted: fn(&Did) -> bool| self.acts.iter().position(|act| wanted(&act.did));
        let run = place(|did| matches!(did, Did::Run | Did::Reading(_)));
        place(Did::changes_it).is_none_or(|repair| run.is_some_and(|run| run < repair))
    }

    /// The pressure was read again after the last repair.
    pub fn rechecked(&self) -> bool {
        let last = self.acts.iter().rposition(|act| act.did.changes_it());
        let after = last.and_then(|last| self.acts.get(last..)).unwrap_or_default();
        !self.recheck_not_entered && after.iter().any(|act| act.did == Did::Recheck)
    }
}

/// What a step is worth per minute beside the best that can be done, 0 to 1, and that best one. A step counts by the move that it is behind.
pub fn worth(proposals: &[Proposal], wanted: impl Fn(&Step) -> bool) -> (f64, Option<&Proposal>) {
    let holds = |step: &Step| match step {
        Step::Bench(_, behind) => behind.iter().any(&wanted),
        step => wanted(step),
    };
    let best = proposals.iter().max_by(|a, b| a.bits_a_minute.total_cmp(&b.bits_a_minute));
    let most = best.map_or(0.0, |best| best.bits_a_minute);
    let own = proposals.iter().filter(|one| holds(&one.step)).map(|one| one.bits_a_minute).fold(0.0, f64::max);
    (if most > 0.0 { own / most } else { 1.0 }, best)
}
