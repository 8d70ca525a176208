//! The shop's clock, and what is left to do on it.
use crate::support::with;
use chrono::Datelike;
use chrono::{DateTime, NaiveDateTime, NaiveTime, TimeDelta, Timelike, Utc, Weekday};
use proptest::prelude::*;
use velvet_dial_core::case::{Act, Case, Deed, Phase, Reading, parse, spec_points};
use velvet_dial_core::clock::{Hours, PlainWall, Span, Task, Wall};
use velvet_dial_core::diagnosis::{Setting, diagnose};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::opened::{Plan, Promise, Waits, plan, schedule, tasks, waits};
use velvet_dial_core::trace::Tracer;

/// A clock that goes forward by an hour at a moment, as clocks do.
struct Jumps(DateTime<Utc>);

impl Wall for Jumps {
    fn shows(&self, at: DateTime<Utc>) -> NaiveDateTime {
        (if at < self.0 { at } else { at + TimeDelta::hours(1) }).naive_utc()
    }

    fn when(&self, shown: NaiveDateTime) -> DateTime<Utc> {
        let before = shown.and_utc();
        if before < self.0 { before } else { (before - TimeDelta::hours(1)).max(self.0) }
    }
}

fn moment(text: &str) -> DateTime<Utc> {
    text.parse().unwrap()
}

fn hours(opens: u32, closes: u32, saturdays: bool, wall: &dyn Wall) -> Hours<'_> {
    let at = |minutes: u32| NaiveTime::from_num_seconds_from_midnight_opt(60 * minutes, 0).unwrap();
    Hours { opens: at(opens), closes: at(closes), saturdays, wall }
}

/// Minutes of a span in which the shop works, counted one by one.
fn worked(hours: &Hours<'_>, (from, to): Span) -> i64 {
    let minutes = (to - from).num_minutes();
    let works = |minute: &i64| {
        let shown = hours.wall.shows(from + TimeDelta::minutes(*minute));
        let day = match shown.weekday() {
            Weekday::Sun => false,
            Weekday::Sat => hours.saturdays,
            _ => true,
        };
        day && shown.time() >= hours.opens && shown.time() < hours.closes
    };
    (0..minutes).filter(works).count() as i64
}

fn some_tasks() -> impl Strategy<Value = Vec<Task>> {
    let task = (1..600u32, any::<bool>()).prop_map(|(minutes, unattended)| Task {
        name: format!("{minutes}"),
        minutes: f64::from(minutes),
        unattended,
        not_before: None,
    });
    prop::collection::vec(task, 1..7)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(80))]

    /// Work lies in the hours and takes its minutes in them, what needs nobody takes its minutes by any clock, none overlaps the next; what is laid back from an end and begun at its latest is
    /// done by that end, on a plain clock and over the night in which clocks change.
    #[test]
    fn tasks_keep_to_the_clock(
        tasks in some_tasks(),
        begins in 0..40_000i64,
        opens in (300..700u32),
        open_for in (120..700u32),
        saturdays in any::<bool>(),
        jumps in any::<bool>(),
    ) {
        let wall: Box<dyn Wall> = if jumps { Box::new(Jumps(moment("2026-03-29T01:00:00Z"))) } else { Box::new(PlainWall) };
        let hours = hours(opens, opens + open_for, saturdays, &*wall);
        let from = moment("2026-03-16T00:00:00Z") + TimeDelta::minutes(begins);
        let forwards = hours.forwards(&tasks, from).unwrap();
        let end = forwards.last().unwrap().1;
        let backwards = hours.backwards(&tasks, end).unwrap();
        for (spans, latest) in [(&forwards, false), (&backwards, true)] {
            let mut before = from;
            for (task, span) in tasks.iter().zip(spans) {
                let minutes = task.minutes as i64;
                prop_assert!(span.0 <= span.1 && (latest || span.0 >= before));
                if task.unattended {
                    // Laid back it begins as soon as the work before it is done, and may lie.
                    prop_assert!((span.1 - span.0).num_minutes() >= minutes);
                    prop_assert!(latest || (span.1 - span.0).num_minutes() == minutes);
                } else {
                    prop_assert_eq!(worked(&hours, *span), minutes);
                    prop_assert!(hours.wall.shows(span.0).time() >= hours.opens && hours.wall.shows(span.1).time() <= hours.closes);
                }
                before = span.1;
            }
            prop_assert!(before <= end);
        }
        prop_assert!(backwards[0].0 >= forwards[0].0, "the latest begin is no earlier than the earliest");
        // Begun a minute later than at the latest it is late.
        if !tasks[0].unattended {
            let late = hours.forwards(&tasks, backwards[0].0 + TimeDelta::minutes(1)).unwrap();
            prop_assert!(late.last().unwrap().1 > end - TimeDelta::minutes(1), "{:?} after {end}", late.last());
        }
        // Closed and open are the whole.
        let to = from + TimeDelta::days(9);
        let closed: i64 = hours.closed(from, to).into_iter().map(|(from, to)| (to - from).num_minutes()).sum();
        prop_assert_eq!(closed + worked(&hours, (from, to)), (to - from).num_minutes());
    }
}

fn case() -> Case {
    parse(with(|v| v["engine"]["sump_off_minutes"] = 60.into()).to_string().as_bytes()).unwrap()
}

fn promise(hand_over: &str) -> Promise {
    Promise {
        hand_over: moment(hand_over),
        said: String::new(),
        parts_at: None,
        cool_minutes: 40.0,
        drain_minutes: 30.0,
        soak_minutes: 0.0,
        cure_minutes: 120.0,
        recheck_at: None,
    }
}

/// What is left follows what was done: nothing is opened again once it is put right, nothing proven twice.
#[test]
fn what_is_done_is_not_planned_again() {
    let names = |case: &Case| {
        let tracer = Tracer::new(&case.engine, &spec_points(case)).unwrap();
        let now = diagnose(case, &tracer, &Setting::default());
        let cause = knowledge().causes.iter().find(|cause| cause.id == "pickup_air").unwrap();
        let tasks = tasks(case, &plan(case, &now, None), cause, &promise("2026-03-06T16:00:00Z"));
        tasks.into_iter().map(|task| task.name).collect::<Vec<_>>().join("|")
    };
    let mut case = case();
    let all = names(&case);
    for part in
        ["Engine cools|Oil drains|", "Look at what is open|Repair|Close it again|Sealant cures|", "Warm it up and recheck|Oil settles"]
    {
        assert!(all.contains(part), "{all}");
    }
    case.acts.push(Act { cause: Some("pickup_air".into()), ..Act::of(Deed::Repair) });
    assert_eq!(names(&case), "Warm it up and recheck|Oil settles|Level, leaks, hand-over");
    case.readings.push(Reading { phase: Phase::After, ..Reading::of(780.0, 98.0, 160.0) });
    assert_eq!(names(&case), "Oil settles|Level, leaks, hand-over");
}

/// What cannot be ready says so by its first task that is too late; parts that come late push what needs them; one minute too late slips as far as the next hours.
#[test]
fn a_promise_that_cannot_be_kept_is_told() {
    let task = |name: &str, minutes: f64, unattended: bool| Task { name: name.into(), minutes, unattended, not_before: None };
    let mut list = vec![task("open", 60.0, false), task("mend", 60.0, false), task("cures", 600.0, true), task("prove", 60.0, false)];
    let hours = hours(8 * 60, 17 * 60, false, &PlainWall);
    // Thursday at ten; the sealant cures through the night.
    let now = moment("2026-03-05T10:00:00Z");
    let on_friday = schedule(&list, &promise("2026-03-06T16:00:00Z"), &hours, now).unwrap();
    assert_eq!((on_friday.too_late, on_friday.ready_at), (None, moment("2026-03-06T09:00:00Z")));
    assert_eq!(on_friday.begin_by, moment("2026-03-05T15:00:00Z"), "closed by five, or it goes into the next day and cures until evening");
    assert_eq!(on_friday.tasks[1].slips_to, moment("2026-03-09T09:00:00Z"), "mended a minute too late it is Monday");
    let today = schedule(&list, &promise("2026-03-05T16:00:00Z"), &hours, now).unwrap();
    assert_eq!(today.too_late, Some(0));
    // Parts on Friday at noon: the cure ends in the night, and Saturday is off.
    list[1].not_before = Some(moment("2026-03-06T12:00:00Z"));
    let waits = schedule(&list, &promise("2026-03-06T16:00:00Z"), &hours, now).unwrap();
    assert_eq!(waits.parts_by, Some(waits.tasks[1].latest.0));
    assert!(waits.too_late == Some(1) && waits.parts_by < list[1].not_before);
    assert_eq!(waits.ready_at, moment("2026-03-09T09:00:00Z"));
    assert_eq!(waits.tasks[1].earliest.0.hour(), 12);
}

/// A wait is asked and planned only where the repair has it: nothing soaks for a pickup seal, an outside repair cools and cures nothing, an oil change drains.
#[test]
fn a_repair_waits_only_for_what_it_has() {
    let case = case();
    let tracer = Tracer::new(&case.engine, &spec_points(&case)).unwrap();
    let plan = plan(&case, &diagnose(&case, &tracer, &Setting::default()), None);
    let soaking = Promise { soak_minutes: 25.0, ..promise("2026-03-06T16:00:00Z") };
    for cause in &knowledge().causes {
        let (has, tasks) = (waits(&case, &plan, cause), tasks(&case, &plan, cause, &soaking));
        let planned = |word: &str| tasks.iter().any(|task| task.name.starts_with(word));
        assert_eq!(has.soaks.is_empty(), !planned("Soaks: "), "{}", cause.id);
        assert_eq!(
            (has.cool, has.drain, has.cure),
            (planned("Engine cools"), planned("Oil drains"), planned("Sealant cures")),
            "{}",
            cause.id
        );
    }
    let of = |plan: &Plan, id: &str| waits(&case, plan, knowledge().causes.iter().find(|cause| cause.id == id).unwrap());
    assert!(of(&plan, "relief_open").soaks.contains("plunger") && of(&plan, "pickup_air").soaks.is_empty());
    let outside = Plan { openings: Vec::new(), ..plan.clone() };
    assert_eq!(of(&outside, "sender"), Waits::default());
    assert_eq!(of(&outside, "oil_degraded"), Waits { drain: true, ..Waits::default() });
}
