//! The timetable as iCalendar (RFC 5545): what is left to do, the hand-over, and the vehicle's coming back. Moments are UTC, so that no calendar has to know the shop's zone.
use chrono::{DateTime, TimeDelta, Utc};
use icalendar::{Calendar, Component, Event, EventLike};
use velvet_dial_core::opened::{Promise, Schedule};
use velvet_dial_store::jobs::Job;

/// How long the key takes to change hands, and how long the look when it comes back.
const HAND_OVER: TimeDelta = TimeDelta::minutes(15);
const RECHECK: TimeDelta = TimeDelta::minutes(30);

/// The calendar of a promise; each event keeps its key when it is made anew, so that a calendar moves it and adds none.
pub fn calendar(job: &Job, shop: &str, promise: &Promise, schedule: Option<&Schedule>, entry: &str) -> String {
    let tag = &job.head.vehicle.tag;
    let event = |key: &str, what: &str, from: DateTime<Utc>, to: DateTime<Utc>, more: &str| {
        Event::new()
            .uid(&format!("{key}-{}@velvet-dial", job.head.id))
            .summary(&format!("{tag}: {what}"))
            .description(more)
            .starts(from)
            .ends(to)
            .done()
    };
    let mut calendar = Calendar::empty();
    calendar
        .append_property(("VERSION", "2.0"))
        .append_property(("PRODID", "-//Velvet Dial//Timetable//EN"))
        .append_property(("CALSCALE", "GREGORIAN"));
    calendar.name(&format!("{shop}, job {}", job.head.number));
    let planned = schedule.map(|schedule| schedule.tasks.as_slice()).unwrap_or_default();
    for (place, task) in planned.iter().enumerate() {
        let nobody = if task.unattended { "It needs nobody. " } else { "" };
        let more = if task.spare() < TimeDelta::zero() {
            "Too late for the hand-over."
        } else {
            "It may begin later; the timetable says by when."
        };
        calendar.push(event(&format!("task-{place}"), &task.name, task.earliest.0, task.earliest.1, &format!("{nobody}{more}")));
    }
    calendar.push(event(
        "hand-over",
        "hand-over",
        promise.hand_over,
        promise.hand_over + HAND_OVER,
        &format!("Job {}, entry {entry}", job.head.number),
    ));
    if let Some(back) = promise.recheck_at {
        let more = "Level after settling, first filter cut open, leaks.";
        calendar.push(event("recheck", "comes back to be looked at", back, back + RECHECK, more));
    }
    calendar.done().to_string()
}
