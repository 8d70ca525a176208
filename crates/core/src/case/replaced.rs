//! Who replaced a part before this visit, and what that changed. It is shown and reported; the circumstance itself is what is weighed.
use crate::choice::choice;
use serde::{Deserialize, Serialize};

choice! {
    /// Who replaced it.
    ReplacedBy {
        /// This shop.
        Us = "us": "this shop",
        /// Another workshop.
        Workshop = "workshop": "another workshop",
        /// The owner or the driver.
        Owner = "owner": "the owner",
    }
}

choice! {
    /// What it changed.
    Effect {
        /// Nothing.
        NoChange = "no_change": "no change",
        /// Better at first, then as before.
        BetterForAWhile = "better_for_a_while": "better for a while",
        /// Better, and still too low.
        Better = "better": "better, but not right",
        /// Worse.
        Worse = "worse": "worse since then",
    }
}

/// A part that was replaced before this visit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Replaced {
    /// The circumstance that says so, such as `pump_already_replaced`.
    pub circumstance: String,
    /// Who did it; left out where nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<ReplacedBy>,
    /// What it changed; left out where nobody knows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub effect: Option<Effect>,
}

impl Replaced {
    /// "by another workshop, no change"; none where nothing is known.
    pub fn said(&self) -> Option<String> {
        let by = self.by.map(|by| format!("by {}", by.label()));
        let parts: Vec<String> = by.into_iter().chain(self.effect.map(|effect| effect.label().to_owned())).collect();
        (!parts.is_empty()).then(|| parts.join(", "))
    }
}
