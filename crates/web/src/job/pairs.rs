//! Before and after at each point of the sheet, for the screens that read and for the report.
use crate::ui::show;
use crate::ui::words::point_words;
use velvet_dial_core::limits::Decision;
use velvet_dial_core::limits::limit_words;
use velvet_dial_core::record::{Judged, PointSaid};
use velvet_dial_core::unit::Units;

/// A point before and after.
pub struct Pair {
    pub place: String,
    pub limit: String,
    pub before: Option<Said>,
    pub after: Option<Said>,
}

/// A pressure, or nothing, and what it says.
pub struct Said {
    pub text: String,
    pub decision: &'static str,
    pub word: &'static str,
}

impl Said {
    /// A decision with its text.
    pub fn new(text: String, decision: Decision) -> Self {
        Self { text, decision: decision.id(), word: decision.word() }
    }
}

/// In a unit.
pub fn pairs(points: &[PointSaid], unit: Units) -> Vec<Pair> {
    let say = |judged: &Judged| Said::new(show::pressure(judged.measured_kpa, unit), judged.decision);
    let pair = |said: &PointSaid| Pair {
        place: point_words(&said.point, said.idle, unit),
        limit: limit_words(said.point.min_kpa, said.point.max_kpa, unit),
        before: said.before.as_ref().map(say),
        after: said.after.as_ref().map(say),
    };
    points.iter().map(pair).collect()
}
