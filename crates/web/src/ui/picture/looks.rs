//! Drawings for checks whose result is seen: where to look, and what each result looks like. The drawings are in looks.toml.
use serde::Deserialize;
use std::collections::BTreeMap;
use std::sync::LazyLock;

/// The drawings of a check.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Look {
    /// The place on the engine.
    at: String,
    /// What is common to all results.
    base: String,
    /// By result.
    results: BTreeMap<String, String>,
}

static LOOKS: LazyLock<BTreeMap<String, Look>> = LazyLock::new(|| {
    // OK because the file is compiled in, and a test reads it.
    toml::from_str(include_str!("looks.toml")).unwrap_or_default()
});

/// Places on the engine in its drawing of 96 by 64, from the side, front at the left.
const PLACES: [(&str, u8, u8); 11] = [
    ("dipstick", 74, 14),
    ("filter", 80, 36),
    ("sender", 66, 34),
    ("head", 46, 13),
    ("front", 14, 30),
    ("pump", 20, 44),
    ("crank", 46, 42),
    ("sump", 56, 56),
    ("pickup", 38, 54),
    ("turbo", 84, 20),
    ("cooler", 80, 46),
];

/// The engine from the side: head, block, sump, front cover, dipstick, filter.
const ENGINE: &str =
    "<path class=\"t\" d=\"M22 8h48v12H22zM18 20h56v28H18zM18 48h56l-8 12H30l-4-6h-8zM10 22h8v28h-8zM74 30h10v12H74zM74 4v16\"/>";

/// What a result looks like; none where it is not seen.
pub fn result(check: &str, outcome: &str) -> Option<String> {
    let look = LOOKS.get(check)?;
    Some(framed(&look.results.get(outcome)?.replace('@', &look.base)))
}

/// Where to look for it; none where nothing is seen.
pub fn place(check: &str) -> Option<String> {
    let at = &LOOKS.get(check)?.at;
    let (_, x, y) = PLACES.iter().find(|(name, ..)| name == at)?;
    Some(framed(&format!("{ENGINE}<circle class=\"n\" cx=\"{x}\" cy=\"{y}\" r=\"9\"/>")))
}

fn framed(drawing: &str) -> String {
    format!("<svg class=\"look-picture\" viewBox=\"0 0 96 64\" aria-hidden=\"true\">{drawing}</svg>")
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;
    use velvet_dial_core::knowledge::knowledge;

    /// Every result of a check that is drawn has a drawing of its own, and nothing is drawn that no check has.
    #[test]
    fn every_result_of_a_drawn_check_looks_like_nothing_else_of_it() {
        assert!(LOOKS.len() >= 20);
        for (check, look) in LOOKS.iter() {
            let known: HashSet<&str> = knowledge().check(check).unwrap().outcomes.iter().map(|outcome| outcome.id.as_str()).collect();
            let drawn: HashSet<&str> = look.results.keys().map(String::as_str).collect();
            assert_eq!(known, drawn, "{check}");
            let drawings: HashSet<String> = drawn.iter().filter_map(|outcome| result(check, outcome)).collect();
            assert_eq!(drawings.len(), known.len(), "{check}: two results look alike");
            assert!(place(check).is_some(), "{check} is nowhere");
        }
        assert!(result("codes", "none").is_none() && place("codes").is_none(), "what is not seen is not drawn");
    }
}
