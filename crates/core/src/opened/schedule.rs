//! What is still to do until the hand-over, laid on the shop's clock: as early as it can be done from now, and as late as it may be.
//!
//! The tasks are those of the plan of the opening, with what needs nobody between them: oil that cools and drains, parts on their way, sealant that cures, oil that settles before its level is
//! read. How long a sealant cures and how long oil drains stands on their sheets, so whoever plans says it. What is done already is not planned again.
use super::plan::{Opening, PROVING_MINUTES, Plan};
use super::repair::repair_of;
use crate::case::{Case, Deed, Phase};
use crate::clock::{Hours, Span, Task};
use crate::knowledge::{Access, Cause, knowledge};
use chrono::{DateTime, TimeDelta, Utc};
use serde::{Deserialize, Serialize};

/// What was promised, and what stands in its way.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Promise {
    /// When the customer collects.
    pub hand_over: DateTime<Utc>,
    /// The same as it was said, by the clock that hung there then.
    #[serde(default)]
    pub said: String,
    /// When the parts come, where they are not here.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub parts_at: Option<DateTime<Utc>>,
    /// How long it cools before anything is loosened, minutes.
    #[serde(default)]
    pub cool_minutes: f64,
    /// How long the oil drains, minutes.
    #[serde(default)]
    pub drain_minutes: f64,
    /// How long something soaks before it is put right, minutes.
    #[serde(default)]
    pub soak_minutes: f64,
    /// How long the sealant cures, minutes, by its sheet.
    #[serde(default)]
    pub cure_minutes: f64,
    /// When it comes back: level after settling, first filter cut open, leaks.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub recheck_at: Option<DateTime<Utc>>,
}

/// A task on the clock.
#[derive(Debug, Clone, PartialEq)]
pub struct Planned {
    /// What is done.
    pub name: String,
    /// It needs nobody.
    pub unattended: bool,
    /// As early as it can be.
    pub earliest: Span,
    /// As late as it may be.
    pub latest: Span,
    /// When it would be handed over if this began just too late.
    pub slips_to: DateTime<Utc>,
}

impl Planned {
    /// How long it may wait; negative where it is too late already.
    pub fn spare(&self) -> TimeDelta {
        self.latest.1 - self.earliest.1
    }
}

/// Everything that is left, on the clock.
#[derive(Debug, Clone, PartialEq)]
pub struct Schedule {
    /// The tasks, in the order they are done.
    pub tasks: Vec<Planned>,
    /// When it can be ready.
    pub ready_at: DateTime<Utc>,
    /// When the first of it must begin.
    pub begin_by: DateTime<Utc>,
    /// The first that is too late, by its place.
    pub too_late: Option<usize>,
    /// By when the parts must be here; none where nothing is waited for.
    pub parts_by: Option<DateTime<Utc>>,
}

/// Oil settles before its level is read, minutes.
const SETTLING_MINUTES: f64 = 15.0;
/// Level, leaks and the key handed over, minutes.
const LAST_LOOK_MINUTES: f64 = 10.0;

/// What a repair still has to wait for beside parts; it is asked and planned only where the repair has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Waits {
    /// It cools before anything is loosened.
    pub cool: bool,
    /// Its oil drains.
    pub drain: bool,
    /// What soaks before it is repaired; empty where nothing does.
    pub soaks: &'static str,
    /// Sealant cures before oil goes in.
    pub cure: bool,
}

/// What the repair of a cause still has to wait for.
pub fn waits(case: &Case, plan: &Plan, cause: &Cause) -> Waits {
    let repair = repair_of(&cause.id);
    if case.acts.iter().any(|act| act.act == Deed::Repair) {
        return Waits::default();
    }
    let changes_oil = repair.is_some_and(|repair| repair.changes_oil());
    let unopened = |opening: &&Opening| !opening.done;
    let drains = |opening: &Opening| opening.access != Access::Cover;
    Waits {
        cool: plan.openings.iter().any(|opening| unopened(&opening)),
        drain: changes_oil || plan.openings.iter().filter(unopened).any(drains),
        soaks: repair.map_or("", |repair| repair.soaks.as_str()),
        cure: !plan.openings.is_empty(),
    }
}

/// What is left to do for a cause, in its order.
pub fn tasks(case: &Case, plan: &Plan, cause: &Cause, promise: &Promise) -> Vec<Task> {
    let know = knowledge();
    let repaired = case.acts.iter().any(|act| act.act == Deed::Repair);
    let proven = case.readings.iter().any(|reading| reading.phase == Phase::After);
    let waits = waits(case, plan, cause);
    let mut tasks = Vec::new();
    let mut add = |name: String, minutes: f64, unattended: bool, not_before: Option<DateTime<Utc>>| {
        if minutes > 0.0 {
            tasks.push(Task { name, minutes, unattended, not_before });
        }
    };
    if !repaired {
        if waits.cool {
            add("Engine cools".to_owned(), promise.cool_minutes, true, None);
        }
        if waits.drain {
            add("Oil drains".to_owned(), promise.drain_minutes, true, None);
        }
        for opening in plan.openings.iter().filter(|opening| !opening.done) {
            add(opening.step.label().to_owned(), opening.minutes, false, None);
        }
        let looks = plan.openings.iter().flat_map(|opening| &opening.looks).filter(|look| look.counts()).map(|look| look.minutes).sum();
        add("Look at what is open".to_owned(), looks, false, None);
        if !waits.soaks.is_empty() {
            add(format!("Soaks: {}", waits.soaks), promise.soak_minutes, true, None);
        }
        let minutes = plan.costs.iter().find(|cost| cost.cause.id == cause.id).map_or(cause.repair_minutes, |cost| cost.minutes);
        add("Repair".to_owned(), minutes, false, promise.parts_at);
        add("Close it again".to_owned(), plan.closing.0, false, None);
        if waits.cure {
            add("Sealant cures".to_owned(), promise.cure_minutes, true, None);
            add("Fill it, crank, first start".to_owned(), know.moves.fill.minutes, false, None);
        }
    }
    if !proven {
        add("Warm it up and recheck".to_owned(), PROVING_MINUTES, false, None);
    }
    add("Oil settles".to_owned(), SETTLING_MINUTES, true, None);
    add("Level, leaks, hand-over".to_owned(), LAST_LOOK_MINUTES, false, None);
    tasks
}

/// Lays tasks between now and the hand-over; none where no working hours are found.
pub fn schedule(tasks: &[Task], promise: &Promise, hours: &Hours<'_>, now: DateTime<Utc>) -> Option<Schedule> {
    let earliest = hours.forwards(tasks, now)?;
    let latest = hours.backwards(tasks, promise.hand_over)?;
    let slips = |(place, (begins, _)): (usize, &Span)| {
        let left = tasks.get(place..)?;
        Some(hours.forwards(left, *begins + TimeDelta::minutes(1))?.last()?.1)
    };
    let slips: Vec<DateTime<Utc>> = latest.iter().enumerate().map(slips).collect::<Option<_>>()?;
    let laid = tasks.iter().zip(&earliest).zip(&latest).zip(slips).map(|(((task, earliest), latest), slips_to)| Planned {
        name: task.name.clone(),
        unattended: task.unattended,
        earliest: *earliest,
        latest: *latest,
        slips_to,
    });
    let laid: Vec<Planned> = laid.collect();
    Some(Schedule {
        ready_at: laid.last()?.earliest.1,
        begin_by: laid.first()?.latest.0,
        too_late: laid.iter().position(|planned| planned.spare() < TimeDelta::zero()),
        parts_by: tasks.iter().zip(&laid).find(|(task, _)| task.not_before.is_some()).map(|(_, planned)| planned.latest.0),
        tasks: laid,
    })
}
