//! Marks: twenty points each for proof, safety, order, price and record, and the sentence that each loss hangs on.
use crate::condition::Wreck;
use crate::play::{Did, Played};
use serde::{Deserialize, Serialize};
use velvet_dial_core::count::count;
use velvet_dial_core::unit::{first_upper, percent};

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

/// What came of a scene that was handed back: what a list and a class tell of it.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Summary {
    /// Points in all, 0 to 100.
    pub total: f64,
    /// The complaint is gone.
    pub cured: bool,
    /// In a sentence.
    pub verdict: String,
    /// Minutes and money.
    pub minutes: f64,
    pub money: f64,
    /// Those of the planner's way through the same scene.
    pub planner_minutes: f64,
    pub planner_money: f64,
    /// What it was, by cause.
    pub causes: Vec<String>,
    /// What it was taken for, by cause.
    pub taken_for: Vec<String>,
    /// Sentences on what was left out.
    pub left_out: Vec<String>,
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

impl Mark {
    /// All points, until something costs some.
    fn whole(of: &'static str) -> Self {
        Self { of, points: MOST, because: Vec::new() }
    }

    fn less(&mut self, points: f64, because: impl Into<String>) {
        if points >= 0.05 {
            self.points = (self.points - points).max(0.0);
            self.because.push(because.into());
        }
    }
}

fn proof(played: &Played) -> Mark {
    let mut mark = Mark::whole("Proof");
    let Some(found) = played.found() else {
        mark.less(MOST, if played.choices.is_empty() { "No cause was named." } else { "The fault was not found." });
        return mark;
    };
    let short = 1.0 - (found.probability / found.act_at).min(1.0);
    let said = format!("The cause was repaired at {}; one acts on it from {}.", percent(found.probability), percent(found.act_at));
    mark.less(12.0 * short, said);
    if !played.cured {
        mark.less(10.0, "Something is still wrong with it.");
    }
    for vain in played.choices.iter().filter(|choice| !choice.right) {
        mark.less(4.0, format!("A repair in vain, of what was {} probable then.", percent(vain.probability)));
    }
    if played.stopgaps > 0 {
        mark.less(6.0, "Thicker oil, a shim or a heavier spring lifted the gauge. The fault was hidden, not removed.");
    }
    if played.hints > 0 {
        mark.less(3.0 * played.hints as f64, format!("{} bought.", first_upper(&count(played.hints, "hint was|hints were"))));
    }
    if played.never_hot {
        mark.less(4.0, "The pressure was never read with the oil hot.");
    }
    if played.repaired() && !played.rechecked() {
        mark.less(8.0, "The pressure was not read again after the repair.");
    }
    mark
}

fn safety(played: &Played) -> Mark {
    let mut mark = Mark::whole("Safety");
    mark.less(10.0 * played.forbidden_runs as f64, "The engine was run though it must not.");
    if let Some(said) = wrecked(played.wreck) {
        mark.less(MOST, said);
    }
    for step in &played.left_out {
        mark.less(3.0, format!("Left out: {step}."));
    }
    if !played.measured_first() {
        mark.less(10.0, "Parts were fitted and the engine was run before anybody had measured its pressure.");
    }
    mark
}

fn wrecked(wreck: Wreck) -> Option<&'static str> {
    match wreck {
        Wreck::None => None,
        Wreck::Bearing => Some("It was run without oil pressure until its bearings were wiped."),
        Wreck::Journal => Some("It was run without oil pressure until a journal was scored."),
        Wreck::Crank => Some("It was run without oil pressure until the crank was done."),
    }
}

/// What each step was worth beside the best that could be done then, by its minutes.
fn order(played: &Played) -> Mark {
    let mut mark = Mark::whole("Order");
    let weighed = played.acts.iter().filter_map(|act| Some((act.minutes, act.worth?)));
    let (minutes, lost) = weighed.fold((0.0, 0.0), |(all, lost), (minutes, worth)| (all + minutes, lost + minutes * (1.0 - worth)));
    match minutes {
        nothing if nothing <= 0.0 && (!played.measured_first() || played.found().is_none()) => mark.less(MOST, "Nothing was checked."),
        minutes if minutes > 0.0 => {
            let said = format!("Of {minutes:.0} minutes of checks {lost:.0} went where less was to be learnt than elsewhere.");
            mark.less(MOST * lost / minutes, said);
        }
        _ => {}
    }
    mark
}

fn price(played: &Played, planner_money: f64) -> Mark {
    let mut mark = Mark::whole("Price");
    let money = played.money();
    if !played.cured {
        mark.less(MOST, format!("{money:.0} were spent, and the fault is still there."));
    } else if money > planner_money {
        let said = format!("It cost {money:.0}; the planner's way through the same scene costs {planner_money:.0}.");
        mark.less(MOST * (1.0 - planner_money / money), said);
    }
    mark
}

fn record(played: &Played) -> Mark {
    let mut mark = Mark::whole("Record");
    let has = |wanted: fn(&Did) -> bool| played.acts.iter().any(|act| wanted(&act.did));
    if played.reading_not_entered || !has(|did| *did == Did::Run) {
        mark.less(10.0, "No reading is on record.");
    }
    if !has(|did| matches!(did, Did::Check(_) | Did::Reading(_))) {
        mark.less(5.0, "No finding is on record.");
    }
    if played.not_agreed {
        mark.less(5.0, "It was opened, and nobody had agreed to that.");
    }
    if played.repaired() && (played.recheck_not_entered || !has(|did| *did == Did::Recheck)) {
        mark.less(5.0, "Nothing on record shows that the repair holds.");
    }
    mark
}
