//! Questions on which good mechanics differ: each way with why, when and what it risks (`knowledge/methods.toml`). The shop chooses; nothing else goes by the choice.
use crate::stage::Stage;
use serde::Deserialize;
use std::sync::LazyLock;

/// A question.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Method {
    /// Its word.
    pub id: String,
    /// What is asked.
    pub ask: String,
    /// Causes at whose repair it is shown.
    pub at: Vec<String>,
    /// A stage where it is shown besides.
    #[serde(default)]
    stage: String,
    /// The ways.
    pub ways: Vec<Way>,
}

/// One way.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Way {
    /// Its word.
    pub id: String,
    /// In a line.
    pub label: String,
    /// Why some do it.
    pub why: String,
    /// When it is right.
    pub when: String,
    /// What it risks.
    pub risk: String,
}

impl Method {
    /// A way of it by its word.
    pub fn way(&self, id: &str) -> Option<&Way> {
        self.ways.iter().find(|way| way.id == id)
    }

    /// It is shown at this stage, whatever is repaired.
    pub fn is_at(&self, stage: Stage) -> bool {
        Stage::parse(&self.stage) == Some(stage)
    }
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct Table {
    method: Vec<Method>,
}

static TABLE: LazyLock<Table> = LazyLock::new(|| {
    // OK because the file is compiled in, and a test reads it.
    toml::from_str(include_str!("../knowledge/methods.toml")).unwrap_or_default()
});

/// Every question.
pub fn methods() -> &'static [Method] {
    &TABLE.method
}

/// A question by its word.
pub fn method(id: &str) -> Option<&'static Method> {
    TABLE.method.iter().find(|method| method.id == id)
}

/// The questions that a repair of this cause raises.
pub fn methods_of<'a>(cause: &'a str) -> impl Iterator<Item = &'static Method> + 'a {
    TABLE.method.iter().filter(move |method| method.at.iter().any(|at| at == cause))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::knowledge::knowledge;
    use std::collections::HashSet;

    #[test]
    fn every_question_has_two_ways_each_with_its_reasons_and_stands_where_it_belongs() {
        let ids: HashSet<&str> = methods().iter().map(|method| method.id.as_str()).collect();
        assert!(ids.len() == methods().len() && ids.len() >= 8);
        for method in methods() {
            assert!(method.ways.len() >= 2, "{}", method.id);
            let of_way = |way: &Way| [&way.id, &way.label, &way.why, &way.when, &way.risk].iter().all(|text| !text.trim().is_empty());
            assert!(method.ways.iter().all(of_way), "{}", method.id);
            assert!(method.at.iter().all(|cause| knowledge().cause(cause).is_some()), "{}", method.id);
            assert!(method.stage.is_empty() || Stage::parse(&method.stage).is_some(), "{}", method.id);
            assert!(method.way("tarot").is_none() && method.ways.iter().all(|way| method.way(&way.id) == Some(way)));
        }
    }
}
