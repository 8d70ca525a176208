//! What was found and done, in the order of time.
//!
//! Where everything has a time, that is the order, and of what happened at the same moment the acts come first. Where something has none, the cautious order
//! is taken: what is marked *before* stands first, then acts without a time, then what has one, and findings without a time last. Within one list the
//! file's own order holds. What was told at intake stands before all.
use super::lines::{Says, says};
use crate::case::{Act, Case, Cranked, Deed, Phase, Shows};
use crate::knowledge::knowledge;
use chrono::{DateTime, Utc};

/// One thing that happened.
#[derive(Debug)]
pub(super) enum Event<'a> {
    /// A circumstance, or `check=outcome`.
    Found(String),
    /// A reading: what it says, whether it can be believed, and whether it was taken to recheck a repair.
    Read { says: Says, believed: bool, after: bool },
    /// A repair of a cause of a group.
    Repaired { cause: &'a str, group: &'a str },
    /// The flag was overruled.
    Overruled(&'a Act),
}

/// Events in order. `believed` says of each reading by its place whether it can be believed.
pub(super) fn events<'a>(case: &'a Case, believed: impl Fn(usize) -> bool) -> Vec<Event<'a>> {
    let mut all: Vec<(Place, Event)> = Vec::new();
    for (index, reading) in case.readings.iter().enumerate() {
        let after = reading.phase == Phase::After;
        let event = Event::Read { says: says(case, reading), believed: believed(index) && reading.set_aside.is_none(), after };
        let place = Place::of(reading.moment(), false, !after);
        if reading.shows == Some(Shows::LampOn) {
            all.push((place, Event::Found("lamp_on".to_owned())));
        }
        all.push((place, event));
    }
    for entry in &case.evidence {
        let place = Place::of(entry.at, false, entry.phase == Some(Phase::Before));
        all.extend(entry.keys().map(|key| (place, Event::Found(key))));
    }
    for act in &case.acts {
        let event = match act.act {
            Deed::Repair => {
                let cause = act.cause.as_deref().unwrap_or("something_else");
                let know = knowledge();
                let group = know.cause(cause).and_then(|cause| know.causes.get(cause)).map_or("none", |cause| cause.group.as_str());
                Event::Repaired { cause, group }
            }
            // A crank that shows nothing is a finding, not an act: where its order is not known it stands last.
            Deed::Crank => {
                let outcome = act.outcome.unwrap_or(Cranked::None);
                let event = Event::Found(format!("crank_no_fuel={}", outcome.id()));
                all.push((Place::of(act.at, outcome != Cranked::None, false), event));
                continue;
            }
            Deed::Overrule => Event::Overruled(act),
            // A finding too: of the start, or of the engine as it ran.
            Deed::StopCall => {
                let fact = match act.check.as_deref() {
                    Some("build_time") => "build_time=none",
                    Some("relief_plunger") => "reading:over",
                    _ => "stop_called",
                };
                all.push((Place::of(act.at, false, false), Event::Found(fact.to_owned())));
                continue;
            }
            // Filled to the mark, and dipped: the level is right.
            Deed::Fill => Event::Found("level=ok".to_owned()),
            Deed::Adjust | Deed::Refill => continue,
        };
        all.push((Place::of(act.at, true, false), event));
    }
    // OK for what has equal places: the sort is stable, and readings stand before checks.
    all.sort_by_key(|(place, _)| *place);
    let told = case.circumstances.iter().map(|told| Event::Found(told.clone()));
    told.chain(all.into_iter().map(|(_, event)| event)).collect()
}

/// Where an event stands: its group, then its time, then acts before findings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Place(u8, Option<DateTime<Utc>>, bool);

impl Place {
    fn of(at: Option<DateTime<Utc>>, act: bool, before: bool) -> Self {
        let group = match (at, act, before) {
            (Some(_), ..) => 2,
            (None, false, true) => 0,
            (None, true, _) => 1,
            (None, false, false) => 3,
        };
        Self(group, at, !act)
    }
}
