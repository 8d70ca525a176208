//! What was done in a scene, act by act.
use serde::Serialize;

/// What was done.
#[derive(Debug, Clone, PartialEq, Serialize)]
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
    /// The readings after a repair.
    Recheck,
}

/// An act with its price.
#[derive(Debug, Clone, PartialEq, Serialize)]
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
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Choice {
    /// The cause, by its id.
    pub cause: String,
    /// Its probability then, from what was known then.
    pub probability: f64,
    /// The probability at which one acts on it.
    pub act_at: f64,
    /// It was at fault.
    pub right: bool,
    /// Minutes into the scene.
    pub at_minutes: f64,
}

/// A scene that was played to its end.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
pub struct Played {
    /// What was done, in order.
    pub acts: Vec<Act>,
    /// What was chosen, in order; the last ended it.
    pub choices: Vec<Choice>,
    /// The engine was run though it must not.
    pub forbidden_runs: usize,
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

    /// The complaint is gone.
    pub fn is_cured(&self) -> bool {
        self.choices.last().is_some_and(|last| last.right)
    }

    /// Something was read or looked at before anything was repaired.
    pub fn looked_first(&self) -> bool {
        self.acts.first().is_some_and(|act| !matches!(act.did, Did::Repair(_)))
    }

    /// The right cause was the first that was chosen, at the certainty at which one acts, and not by what the customer said alone.
    pub fn is_justified(&self) -> bool {
        self.looked_first() && matches!(self.choices.as_slice(), [only] if only.right && only.probability >= only.act_at)
    }

    /// The right cause was repaired without enough that spoke for it.
    pub fn is_lucky(&self) -> bool {
        self.choices.last().is_some_and(|last| last.right && last.probability < 0.5 * last.act_at)
    }

    /// Repairs in vain.
    pub fn in_vain(&self) -> usize {
        self.choices.iter().filter(|choice| !choice.right).count()
    }

    /// It was measured before anything was repaired.
    pub fn measured_first(&self) -> bool {
        let place = |wanted: fn(&Did) -> bool| self.acts.iter().position(|act| wanted(&act.did));
        let run = place(|did| matches!(did, Did::Run | Did::Reading(_)));
        place(|did| matches!(did, Did::Repair(_))).is_none_or(|repair| run.is_some_and(|run| run < repair))
    }

    /// The pressure was read again after the last repair.
    pub fn rechecked(&self) -> bool {
        let after = self.acts.iter().rev().take_while(|act| !matches!(act.did, Did::Repair(_)));
        !self.recheck_not_entered && after.clone().count() < self.acts.len() && after.into_iter().any(|act| act.did == Did::Recheck)
    }
}
