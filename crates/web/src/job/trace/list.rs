//! The suspects in full: sound or not, who leads and what acting on it costs if that is wrong, every cause by its part, pairs, what was struck out.
use crate::job::assess::Assessed;
use crate::job::frame::{grouped, known, moved, raised};
use crate::ui::show;
use crate::ui::words::{cause_name, fact_name, group_name, reading_to_take};
use velvet_dial_core::diagnosis::pairs;
use velvet_dial_core::knowledge::{Link, knowledge};
use velvet_dial_core::trace::{Enough, Step, Takeable, overturn, price_if_wrong};
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Body;

/// What the screen shows.
pub struct List {
    /// Sound or not, and how sure.
    pub sound: String,
    pub sound_shape: &'static str,
    /// Who leads, and whether that is good enough to act on.
    pub leads: String,
    /// What acting on it costs if it is wrong.
    pub wrong: String,
    /// The one result that would overturn it; empty where none would.
    pub overturn: String,
    pub groups: Vec<Group>,
    /// The long tail.
    pub rest: Vec<Row>,
    pub rest_percent: String,
    pub pairs: Vec<PairSaid>,
    pub struck: Vec<StruckOut>,
}

/// Causes of one part.
pub struct Group {
    pub name: String,
    pub percent: String,
    pub rows: Vec<Row>,
}

/// A cause.
pub struct Row {
    pub id: &'static str,
    pub name: &'static str,
    /// How probable it is that it is there.
    pub percent: String,
    pub width: String,
    pub moved: Option<String>,
    /// “known, × 3” of a known pattern of the family.
    pub known: Option<String>,
}

/// Two causes that are there together.
pub struct PairSaid {
    pub says: String,
    pub reason: &'static str,
}

/// A cause that is struck out, or was until its fact fell.
pub struct StruckOut {
    pub entry: String,
    pub name: String,
    pub because: String,
    pub who: String,
    /// The fact does not stand any more: it is back.
    pub fallen: bool,
}

/// Causes in full view: so many, or as many as are at least so probable.
const FEW: usize = 3;
const MANY: usize = 8;
const LEAST: f64 = 0.02;
/// Sound, or not, is said from here on.
const SURE: f64 = 0.9;

pub fn list(assessed: &Assessed, unit: Units) -> List {
    let know = knowledge();
    let now = &assessed.now;
    let row = |index: usize| {
        let cause = know.causes.get(index)?;
        let (p, moved) = (now.posterior.of(index), moved(assessed, index));
        let (percent, width) = (show::percent(p), format!("{:.1}", 100.0 * p));
        Some((
            cause.group.as_str(),
            Row { id: &cause.id, name: &cause.name, percent, width, moved, known: known(assessed, index).map(raised) },
        ))
    };
    let ranked = now.posterior.ranked();
    let seen = ranked
        .iter()
        .enumerate()
        .take_while(|(place, index)| *place < FEW || (*place < MANY && now.posterior.of(**index) >= LEAST))
        .count();
    let (listed, rest) = ranked.split_at(seen.min(ranked.len()));
    let groups = grouped(&now.posterior, listed.iter().filter_map(|index| row(*index)));
    let rest_any = know.any(&now.posterior.states, |cause| rest.contains(&cause));
    let (sound, sound_shape) = sound(assessed);
    let (leads, wrong) = leads(assessed);
    List {
        sound,
        sound_shape,
        leads,
        wrong,
        overturn: overturned(assessed, unit),
        groups: groups.into_iter().map(|(any, name, rows)| Group { name: group_name(name), percent: show::percent(any), rows }).collect(),
        rest: rest.iter().filter_map(|index| row(*index)).map(|(_, row)| row).collect(),
        rest_percent: show::percent(rest_any),
        pairs: paired(assessed),
        struck: struck(assessed),
    }
}

fn sound(assessed: &Assessed) -> (String, &'static str) {
    let sound = assessed.now.sound;
    if assessed.now.findings.is_empty() {
        return ("Nothing was found yet. These are the typical frequencies for such an engine.".to_owned(), "not_measured");
    }
    match sound {
        sound if sound >= SURE => {
            (format!("Oil system OK ({}). Check the sender, its wiring and the complaint itself first.", show::percent(sound)), "within")
        }
        sound if sound <= 1.0 - SURE => (format!("The oil system is not OK ({}).", show::percent(1.0 - sound)), "below"),
        sound => (format!("Not clear yet whether the oil system is OK: {}.", show::percent(sound)), "undecided"),
    }
}

/// Who leads and whether to act, and what acting costs if it is wrong.
fn leads(assessed: &Assessed) -> (String, String) {
    let know = knowledge();
    let now = &assessed.now;
    let Some((index, cause)) = now.posterior.leader().and_then(|index| know.causes.get(index).map(|cause| (index, cause))) else {
        return Default::default();
    };
    let (name, p) = (&cause.name, show::percent(now.posterior.of(index)));
    let leads = match now.enough {
        Some(Enough::Certain) => format!("Good enough to act on: {name}, {p} (one acts on it from {}).", show::percent(cause.act_at)),
        Some(Enough::NothingWorthIt) => {
            format!("Good enough to act on: {name} leads with {p}, and nothing left to learn is worth its minutes.")
        }
        Some(Enough::InSpec) => "Stop here: every point of the sheet is within its limits. Look at the sender, the wiring and the complaint itself; nothing is opened or cut.".to_owned(),
        Some(Enough::Seen) => {
            let seen = now.mend_now.and_then(|index| know.causes.get(index)).map_or("", |cause| cause.name.as_str());
            format!("“{seen}” was seen at fault: put that right first, then read again. There may be more.")
        }
        Some(Enough::NothingLeft) => format!("{name} leads with {p}, and all that can be done from here is done."),
        None => format!("{name} leads with {p}: not good enough to act on yet."),
    };
    let wrong = in_vain(index).filter(|_| !cause.conforms && now.enough.is_some_and(|enough| enough != Enough::Seen)).map(|costs| {
        let ruins = if cause.ruins > 0.2 { " Left in place it ruins the engine." } else { "" };
        format!("If it is wrong: {costs}.{ruins}")
    });
    (leads, wrong.unwrap_or_default())
}

/// What acting on a cause costs when it is not the one.
pub fn in_vain(cause: usize) -> Option<String> {
    let (minutes, parts) = price_if_wrong(knowledge(), cause)?;
    let parts = if parts > 0.0 { format!(" and {parts:.0} in parts") } else { String::new() };
    Some(format!("{} in vain with the comeback{parts}", show::minutes(minutes)))
}

/// The one result that would overturn the leader.
fn overturned(assessed: &Assessed, unit: Units) -> String {
    let know = knowledge();
    let Some((step, turn)) = overturn(&assessed.now.next) else { return String::new() };
    let result = match step {
        Step::Check(check) => {
            know.check(check).and_then(|check| Some(format!("“{}” at “{}”", check.outcomes.get(turn.outcome)?.label, check.ask)))
        }
        Step::Reading(place) => assessed
            .now
            .takeable
            .get(*place)
            .map(|reading| format!("{} at {}", part_kpa(reading, turn.outcome, unit), reading_to_take(&assessed.case.engine, reading))),
        Step::Bench(..) => None,
    };
    let then = know.causes.get(turn.cause).map_or("", |cause| cause.name.as_str());
    result.map_or_else(String::new, |result| {
        format!("What would most likely overturn it: {result} ({}) would put “{then}” in front.", show::percent(turn.probability))
    })
}

/// The pressures that an outcome of a reading stands for.
fn part_kpa(reading: &Takeable, outcome: usize, unit: Units) -> String {
    match reading.part(outcome) {
        (Some(low), Some(high)) => format!("{} to {}", unit.show(low), show::pressure(high, unit)),
        (Some(low), None) => format!("over {}", show::pressure(low, unit)),
        (None, Some(high)) => format!("under {}", show::pressure(high, unit)),
        (None, None) => "any pressure".to_owned(),
    }
}

fn paired(assessed: &Assessed) -> Vec<PairSaid> {
    let pairs = pairs(knowledge(), &assessed.now.posterior.states);
    let said = pairs.into_iter().take(4).map(|pair| {
        let (first, second) = (cause_name(pair.first), cause_name(pair.second));
        let says = match pair.link {
            Link::Linked => format!("{first} came first, and led to: {second}"),
            _ => format!("{first}, and with it: {second}"),
        };
        PairSaid { says, reason: pair.reason }
    });
    said.collect()
}

fn struck(assessed: &Assessed) -> Vec<StruckOut> {
    let stands = |key: &str| assessed.now.findings.iter().any(|finding| finding.key == key);
    let live = assessed.job.live().filter_map(|entry| {
        let Body::Struck { cause, because } = &entry.body else { return None };
        Some(StruckOut {
            entry: entry.id.to_string(),
            name: cause_name(cause).to_owned(),
            because: fact_name(because),
            who: format!("{}, {}", entry.author_name, show::moment(entry.written_at, &assessed.job.zone)),
            fallen: !stands(because),
        })
    });
    live.collect()
}
