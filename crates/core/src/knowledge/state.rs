//! Hypotheses, their states, and how states fold back into causes.
use super::Knowledge;

/// Bands of severity: slight, marked.
pub const BANDS: usize = 2;
/// Severity under which a fault is slight.
pub const SLIGHT_UNDER: f64 = 1.0 / 3.0;

/// How the causes of a hypothesis belong together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Deserialize, serde::Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Link {
    /// One cause.
    Alone,
    /// The first led to the second.
    Linked,
    /// Both are there, and neither led to the other.
    Together,
}

/// A cause alone, or a pair.
#[derive(Debug, Clone)]
pub struct Hypothesis {
    /// Index of the cause, of a linked pair the one that came first.
    pub first: usize,
    /// Index of the second cause of a pair.
    pub second: Option<usize>,
    /// How they belong together.
    pub link: Link,
    /// Of the first cause's prior, the share that has this second one with it; of a cause alone, what its pairs leave.
    pub share: f64,
    /// Why that share; empty for a cause alone.
    pub reason: String,
}

impl Hypothesis {
    /// True when the cause is part of it.
    pub fn holds(&self, cause: usize) -> bool {
        self.first == cause || self.second == Some(cause)
    }
}

impl Knowledge {
    /// How many states there are.
    pub fn states(&self) -> usize {
        self.hypotheses.len() * BANDS
    }

    /// The hypothesis of a state.
    pub fn hypothesis(&self, state: usize) -> Option<&Hypothesis> {
        self.hypotheses.get(state / BANDS)
    }

    /// Priors of the states from those of the causes: severity is drawn evenly, so a band weighs its width.
    pub fn state_priors(&self, causes: &[f64]) -> Vec<f64> {
        let of = |h: &Hypothesis| causes.get(h.first).copied().unwrap_or(0.0) * h.share;
        self.hypotheses.iter().flat_map(|h| [of(h) * SLIGHT_UNDER, of(h) * (1.0 - SLIGHT_UNDER)]).collect()
    }

    /// Probability that at least one of some causes is present, from those of the states: never less than that of one of them.
    pub fn any(&self, states: &[f64], counts: impl Fn(usize) -> bool) -> f64 {
        let holds = |hypothesis: &Hypothesis| counts(hypothesis.first) || hypothesis.second.is_some_and(&counts);
        self.hypotheses.iter().zip(states.chunks(BANDS)).filter(|(hypothesis, _)| holds(hypothesis)).flat_map(|(_, bands)| bands).sum()
    }

    /// Probability that at least one cause of a group of parts is present.
    pub fn any_of(&self, states: &[f64], group: &str) -> f64 {
        self.any(states, |cause| self.causes.get(cause).is_some_and(|cause| cause.group == group))
    }

    /// The groups of parts, in the order they first stand in the file.
    pub fn groups(&self) -> Vec<&str> {
        let mut groups: Vec<&str> = Vec::new();
        for (cause, group) in self.causes.iter().zip(&self.group_of) {
            if *group == groups.len() {
                groups.push(&cause.group);
            }
        }
        groups
    }

    /// Shares of the groups of parts from shares of the causes, in the order of [`Knowledge::groups`]: they sum to what the causes sum to.
    pub fn by_group(&self, causes: &[f64]) -> Vec<f64> {
        let mut sums = Vec::new();
        for (group, p) in self.group_of.iter().zip(causes) {
            if *group == sums.len() {
                sums.push(0.0);
            }
            if let Some(sum) = sums.get_mut(*group) {
                *sum += p;
            }
        }
        sums
    }

    /// Probability that the circuit has no fault that its pressures could show, from those of the states.
    pub fn sound(&self, states: &[f64]) -> f64 {
        let sound = |cause: usize| self.causes.get(cause).is_some_and(|cause| cause.conforms);
        let holds = |hypothesis: &Hypothesis| sound(hypothesis.first) && hypothesis.second.is_none_or(sound);
        self.hypotheses.iter().zip(states.chunks(BANDS)).filter(|(hypothesis, _)| holds(hypothesis)).flat_map(|(_, bands)| bands).sum()
    }

    /// Probability that each cause is there, alone, first or second, from those of the states. These do not sum to one.
    pub fn present(&self, states: &[f64]) -> Vec<f64> {
        let mut present = vec![0.0; self.causes.len()];
        for (hypothesis, bands) in self.hypotheses.iter().zip(states.chunks(BANDS)) {
            let p: f64 = bands.iter().sum();
            for cause in [Some(hypothesis.first), hypothesis.second].into_iter().flatten() {
                if let Some(sum) = present.get_mut(cause) {
                    *sum += p;
                }
            }
        }
        present
    }

    /// Probabilities of the causes from those of the states. A linked pair counts for what came first, since without mending that the
    /// second comes back; a pair that only met counts half for each. So the causes sum to one as the states do.
    pub fn fold(&self, states: &[f64]) -> Vec<f64> {
        let mut causes = vec![0.0; self.causes.len()];
        let mut give = |cause: usize, p: f64| {
            if let Some(sum) = causes.get_mut(cause) {
                *sum += p;
            }
        };
        for (hypothesis, bands) in self.hypotheses.iter().zip(states.chunks(BANDS)) {
            let p: f64 = bands.iter().sum();
            match (hypothesis.link, hypothesis.second) {
                (Link::Together, Some(second)) => {
                    give(hypothesis.first, 0.5 * p);
                    give(second, 0.5 * p);
                }
                _ => give(hypothesis.first, p),
            }
        }
        causes
    }
}
