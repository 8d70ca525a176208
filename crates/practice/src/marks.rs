//! Marks: twenty points each for proof, safety, order, price and record, and the sentence that each loss hangs on.
use crate::play::{Did, Played};
use serde::Serialize;
use velvet_dial_core::unit::percent;

/// Most points of one mark.
pub const MOST: f64 = 20.0;

/// One mark.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Mark {
    /// What it is for.
    pub of: &'static str,
    /// Points, 0 to 20.
    pub points: f64,
    /// What cost points, a sentence each; empty where nothing did.
    pub because: Vec<String>,
}

/// All marks of a scene that was played.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Marks {
    /// In the order proof, safety, order, price, record.
    pub marks: [Mark; 5],
}

impl Marks {
    /// Points in all, 0 to 100.
    pub fn total(&self) -> f64 {
        self.marks.iter().map(|mark| mark.points).sum()
    }

    /// The marks of what was done, beside what the planner's way through the same scene cost.
    pub fn of(played: &Played, planner_money: f64) -> Self {
        Self { marks: [proof(played), safety(played), order(played), price(played, planner_money), record(played)] }
    }
}

/// Takes points off with the reason.
struct Count {
    of: &'static str,
    points: f64,
    because: Vec<String>,
}

impl Count {
    fn new(of: &'static str) -> Self {
        Self { of, points: MOST, because: Vec::new() }
    }

    fn less(&mut self, points: f64, because: impl Into<String>) {
        if points >= 0.05 {
            self.points -= points;
            self.because.push(because.into());
        }
    }

    fn mark(self) -> Mark {
        Mark { of: self.of, points: self.points.clamp(0.0, MOST), because: self.because }
    }
}

fn proof(played: &Played) -> Mark {
    let mut count = Count::new("Proof");
    let Some(last) = played.choices.last() else {
        count.less(MOST, "No cause was named.");
        return count.mark();
    };
    if !last.right {
        count.less(MOST, "The fault was not found.");
        return count.mark();
    }
    let short = 1.0 - (last.probability / last.act_at).min(1.0);
    let said = format!("The cause was repaired at {}; one acts on it from {}.", percent(last.probability), percent(last.act_at));
    count.less(12.0 * short, said);
    for vain in played.choices.iter().filter(|choice| !choice.right) {
        count.less(4.0, format!("A repair in vain, of what was {} probable then.", percent(vain.probability)));
    }
    if !played.rechecked() {
        count.less(8.0, "The pressure was not read again after the repair.");
    }
    count.mark()
}

fn safety(played: &Played) -> Mark {
    let mut count = Count::new("Safety");
    count.less(10.0 * played.forbidden_runs as f64, "The engine was run though it must not.");
    if !played.measured_first() {
        count.less(10.0, "Parts were fitted and the engine was run before anybody had measured its pressure.");
    }
    count.mark()
}

/// What each step was worth beside the best that could be done then, by its minutes.
fn order(played: &Played) -> Mark {
    let mut count = Count::new("Order");
    let weighed = played.acts.iter().filter_map(|act| Some((act.minutes, act.worth?)));
    let (minutes, lost) = weighed.fold((0.0, 0.0), |(all, lost), (minutes, worth)| (all + minutes, lost + minutes * (1.0 - worth)));
    match minutes {
        nothing if nothing <= 0.0 && !played.measured_first() => count.less(MOST, "Nothing was checked."),
        minutes if minutes > 0.0 => {
            let said = format!("Of {minutes:.0} minutes of checks {lost:.0} went where less was to be learnt than elsewhere.");
            count.less(MOST * lost / minutes, said);
        }
        _ => {}
    }
    count.mark()
}

fn price(played: &Played, planner_money: f64) -> Mark {
    let mut count = Count::new("Price");
    let money = played.money();
    if !played.is_cured() {
        count.less(MOST, format!("{money:.0} were spent, and the fault is still there."));
    } else if money > planner_money {
        let said = format!("It cost {money:.0}; the planner's way through the same scene costs {planner_money:.0}.");
        count.less(MOST * (1.0 - planner_money / money), said);
    }
    count.mark()
}

fn record(played: &Played) -> Mark {
    let mut count = Count::new("Record");
    let has = |wanted: fn(&Did) -> bool| played.acts.iter().any(|act| wanted(&act.did));
    if played.reading_not_entered || !has(|did| *did == Did::Run) {
        count.less(10.0, "No reading is on record.");
    }
    if !has(|did| matches!(did, Did::Check(_) | Did::Reading(_))) {
        count.less(5.0, "No finding is on record.");
    }
    if played.recheck_not_entered || !has(|did| *did == Did::Recheck) {
        count.less(5.0, "Nothing on record shows that the repair holds.");
    }
    count.mark()
}
