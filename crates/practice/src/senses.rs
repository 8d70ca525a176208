//! What a person sees, hears, smells, feels or reads where a check is done (`senses.toml`).
use std::collections::HashMap;
use std::sync::LazyLock;

static SENSES: LazyLock<HashMap<String, HashMap<String, String>>> =
    LazyLock::new(|| toml::from_str(include_str!("../senses.toml")).unwrap_or_default());

/// What this outcome of a check is like; none for a check that the file does not have, which a test finds.
pub fn sense(check: &str, outcome: &str) -> Option<&'static str> {
    SENSES.get(check)?.get(outcome).map(String::as_str)
}
