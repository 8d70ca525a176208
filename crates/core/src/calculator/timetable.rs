//! The repair against the clock, backwards from the hand-over.
//!
//! Steps: the tasks in the order they are done are laid from the last to the first, each ending where the next begins. Work fits only into the shop's
//! hours and goes on the day before where a day ends; what needs nobody (oil draining over night, sealant curing) runs through. Times are the shop's
//! local clock, without daylight saving's jumps. How long a sealant cures and how long oil drains is on their sheets, not here.
use super::{CalculatorError, hold, together};
use crate::clock::{self, Hours, MOST_DAYS, PlainWall};
use crate::field;
use crate::message;
use chrono::{NaiveDateTime, NaiveTime};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The job's tasks and when it must be done.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Timetable {
    /// When the customer collects, on the shop's clock, for example `2026-03-06T16:00:00`.
    pub hand_over: NaiveDateTime,
    /// Now; with it a plan that should have begun already is said to be too late.
    #[serde(default)]
    pub now: Option<NaiveDateTime>,
    /// The shop opens at.
    #[serde(default = "eight")]
    pub opens: NaiveTime,
    /// The shop closes at.
    #[serde(default = "five")]
    pub closes: NaiveTime,
    /// The shop works on Saturdays.
    #[serde(default)]
    pub saturdays: bool,
    /// The tasks, in the order they are done; at most 60.
    pub tasks: Vec<Task>,
}

fn eight() -> NaiveTime {
    NaiveTime::from_hms_opt(8, 0, 0).unwrap_or_default()
}

fn five() -> NaiveTime {
    NaiveTime::from_hms_opt(17, 0, 0).unwrap_or_default()
}

/// A task.
#[derive(Debug, Clone, PartialEq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Task {
    /// What is done.
    pub name: String,
    /// How long, minutes, 1 to 10 000.
    pub minutes: f64,
    /// It needs nobody: draining, curing.
    #[serde(default)]
    pub unattended: bool,
}

/// A task laid on the clock.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Step {
    /// What is done.
    pub name: String,
    /// Latest begin; what needs nobody begins when the work before it is done.
    pub begins: NaiveDateTime,
    /// Latest end.
    pub ends: NaiveDateTime,
    /// It needs nobody.
    pub unattended: bool,
}

/// The plan.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Planned {
    /// The tasks in the order they are done.
    pub steps: Vec<Step>,
    /// The job must begin by.
    pub begin_by: Option<NaiveDateTime>,
    /// That has passed already.
    pub too_late: bool,
    /// Minutes somebody works.
    pub work_minutes: f64,
    /// Minutes it takes by itself.
    pub wait_minutes: f64,
}

const MOST_TASKS: usize = 60;

/// Lays the tasks on the clock, backwards from the hand-over.
///
/// # Errors
/// [`CalculatorError`] without tasks or with too many, with a duration out of range, and when the shop closes before it opens.
///
/// ```
/// # use velvet_dial_core::calculator::Calculator;
/// let plan = Calculator::named("timetable").unwrap();
/// // 90 minutes of proving before four, the sealant curing through the night, the sump on by half past two the day before.
/// assert_eq!(plan.run(plan.example).unwrap()["begin_by"], "2026-03-05T16:00:00");
/// assert!(plan.run(r#"{ "hand_over": "2026-03-06T16:00:00", "tasks": [] }"#).is_err());
/// ```
pub fn timetable(plan: &Timetable) -> Result<Planned, CalculatorError> {
    if plan.tasks.is_empty() || plan.tasks.len() > MOST_TASKS {
        return Err(together(message!("calculator-tasks", tasks = plan.tasks.len(), most = MOST_TASKS)));
    }
    if plan.opens >= plan.closes {
        return Err(together(message!("calculator-hours", opens = plan.opens.to_string(), closes = plan.closes.to_string())));
    }
    let (mut work_minutes, mut wait_minutes) = (0.0, 0.0);
    let mut tasks = Vec::with_capacity(plan.tasks.len());
    for task in &plan.tasks {
        let minutes = hold(&field::DURATION, task.minutes)?;
        *if task.unattended { &mut wait_minutes } else { &mut work_minutes } += minutes;
        tasks.push(clock::Task { name: task.name.clone(), minutes, unattended: task.unattended, not_before: None });
    }
    let hours = Hours { opens: plan.opens, closes: plan.closes, saturdays: plan.saturdays, wall: &PlainWall };
    let spans =
        hours.backwards(&tasks, plan.hand_over.and_utc()).ok_or_else(|| together(message!("calculator-no-room", days = MOST_DAYS)))?;
    let step = |(task, (begins, ends)): (clock::Task, clock::Span)| Step {
        name: task.name,
        begins: begins.naive_utc(),
        ends: ends.naive_utc(),
        unattended: task.unattended,
    };
    let steps: Vec<Step> = tasks.into_iter().zip(spans).map(step).collect();
    let begin_by = steps.first().map(|step| step.begins);
    let too_late = begin_by.zip(plan.now).is_some_and(|(begin, now)| begin < now);
    Ok(Planned { steps, begin_by, too_late, work_minutes, wait_minutes })
}
