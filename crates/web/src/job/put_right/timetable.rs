//! The timetable: what is left to do until the hand-over, against the shop's hours.
use super::calendar;
use super::steps::begun;
use crate::http::Failure;
use crate::http::form::{self, FieldView as Field, Form, Input, Kind, Question, Read};
use crate::job::assess::assess;
use crate::job::frame::ScreenRequest;
use crate::job::{Assessed, JobContext, ScreenData, Sent};
use crate::state::ShopContext;
use crate::ui::picture::clock::{self, Bar, Clock};
use crate::ui::show;
use actix_web::http::StatusCode;
use actix_web::http::header;
use actix_web::{HttpResponse, web};
use chrono::{DateTime, NaiveTime, TimeDelta, Utc};
use velvet_dial_core::clock::Hours;
use velvet_dial_core::field;
use velvet_dial_core::knowledge::{Cause, knowledge};
use velvet_dial_core::opened::{self, Planned, Promise, Schedule, Waits};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::accounts::Shop;
use velvet_dial_store::jobs::Body;
use velvet_dial_store::zone::Zone;

static FORM: Form = Form {
    name: "promise",
    asks: &[
        Question::new("hand_over", "Hand-over", "by the shop's clock", Kind::Moment),
        Question::new("parts_at", "Parts come", "empty: they are here", Kind::Moment),
        Question::new("cool", "Engine cools", "min", Kind::Number(&field::WAITS)),
        Question::new("drain", "Oil drains", "min", Kind::Number(&field::WAITS)),
        Question::new("soak", "Soaks", "min", Kind::Number(&field::WAITS)),
        Question::new("cure", "Sealant cures", "min, by its sheet", Kind::Number(&field::WAITS)),
        Question::new("recheck_at", "Comes back", "level, filter cut open, leaks", Kind::Moment),
    ],
};

/// What is offered before anybody said otherwise, minutes: cooled, drained, soaked, cured.
const USUAL: [f64; 4] = [40.0, 30.0, 0.0, 60.0];
/// Hours of a shop that does not say its own.
const OPENS_MIN: i16 = 8 * 60;
const CLOSES_MIN: i16 = 17 * 60;
/// A hand-over may lie so far ahead.
const FAR: TimeDelta = TimeDelta::days(366);

/// What lies on the screen.
pub struct Timetable {
    pub fields: Vec<Field>,
    pub entry: String,
    /// What was typed was not taken.
    pub refused: bool,
    pub laid: Option<Laid>,
}

/// What is left to do, laid out.
pub struct Laid {
    /// How it stands, as a shape and a word.
    pub stands: (&'static str, &'static str),
    pub says: Vec<String>,
    pub rows: Vec<Row>,
    pub clock: Clock,
}

/// A task.
pub struct Row {
    pub name: String,
    pub unattended: bool,
    pub earliest: String,
    pub by: String,
    pub late: bool,
    /// When it would be handed over if this began just too late.
    pub slips_to: String,
}

fn clock_time(minutes: i16) -> NaiveTime {
    let seconds = u32::from(minutes.unsigned_abs()) * 60;
    NaiveTime::from_num_seconds_from_midnight_opt(seconds, 0).unwrap_or_default()
}

/// The shop's hours.
fn hours<'a>(shop: &Shop, zone: &'a Zone) -> Hours<'a> {
    let (opens, closes) = shop.hours_min.unwrap_or((OPENS_MIN, CLOSES_MIN));
    Hours { opens: clock_time(opens), closes: clock_time(closes), saturdays: shop.saturdays, wall: zone }
}

/// What is left to do for the cause that is repaired, or that leads.
#[derive(Default)]
pub struct Left {
    /// What it waits for.
    waits: Option<Waits>,
    /// Until the promised hand-over.
    schedule: Option<Schedule>,
}

/// Works it out.
pub fn left(assessed: &Assessed, shop_context: &ShopContext, now: DateTime<Utc>) -> Left {
    let Some(cause) = at_hand(assessed) else { return Left::default() };
    let plan = opened::plan(&assessed.case, &assessed.now, shop_context.shop.labour_rate);
    let scheduled = |promise: &Promise| {
        let tasks = opened::tasks(&assessed.case, &plan, cause, promise);
        opened::schedule(&tasks, promise, &hours(&shop_context.shop, &assessed.job.zone), now)
    };
    Left {
        waits: Some(opened::waits(&assessed.case, &plan, cause)),
        schedule: assessed.job.promise().and_then(|(promise, _)| scheduled(promise)),
    }
}

/// The cause that is ticked already, or that leads.
fn at_hand(assessed: &Assessed) -> Option<&'static Cause> {
    let know = knowledge();
    let index = begun(&assessed.job).and_then(|id| know.cause(id)).or_else(|| assessed.now.posterior.ranked().first().copied())?;
    know.causes.get(index)
}

/// The timetable of a job.
pub fn timetable(data: &ScreenData, left: &Left) -> Timetable {
    let (assessed, zone) = (data.assessed, &data.assessed.job.zone);
    let promised = assessed.job.promise();
    let refused = data.frame.form_state.form == FORM.name;
    let mut fields = FORM.draw(&data.frame.form_state, data.frame.unit, |_| Vec::new());
    if !refused {
        let usual =
            promised.as_ref().map_or(USUAL, |(said, _)| [said.cool_minutes, said.drain_minutes, said.soak_minutes, said.cure_minutes]);
        let at = |moment: Option<DateTime<Utc>>| {
            moment.map(|at| zone.wall(at.naive_utc()).format("%Y-%m-%dT%H:%M").to_string()).unwrap_or_default()
        };
        let said = promised.as_ref().map(|(said, _)| *said);
        let values = [
            at(said.map(|said| said.hand_over)),
            at(said.and_then(|said| said.parts_at)),
            show::plain(usual[0]),
            show::plain(usual[1]),
            show::plain(usual[2]),
            show::plain(usual[3]),
            at(said.and_then(|said| said.recheck_at)),
        ];
        for (field, value) in fields.iter_mut().zip(values) {
            field.value = value;
        }
    }
    if let Some(waits) = left.waits {
        ask_what_it_waits_for(&mut fields, waits);
    }
    let now = Utc::now();
    let laid = promised.zip(left.schedule.as_ref());
    let laid = laid.map(|((promise, _), schedule)| self::laid(schedule, promise, &hours(&data.shop_context.shop, zone), zone, now));
    Timetable { fields, refused, entry: promised.map(|(_, entry)| entry.to_string()).unwrap_or_default(), laid }
}

/// A wait that this repair does not have goes along unseen, with the value it had.
fn ask_what_it_waits_for(fields: &mut [Field], waits: Waits) {
    for field in fields {
        let asked = match field.name {
            "cool" => waits.cool,
            "drain" => waits.drain,
            "soak" => !waits.soaks.is_empty(),
            "cure" => waits.cure,
            _ => true,
        };
        if field.name == "soak" && asked {
            field.hint = format!("min: {}", waits.soaks);
        }
        if !asked && field.problem.is_none() {
            field.input = Input::Hidden;
        }
    }
}

fn laid(schedule: &Schedule, promise: &Promise, hours: &Hours<'_>, zone: &Zone, now: DateTime<Utc>) -> Laid {
    let at = |moment: DateTime<Utc>| zone.wall(moment.naive_utc()).format("%a %-d %b %H:%M").to_string();
    let spare = promise.hand_over - schedule.ready_at;
    let last_spare = schedule.tasks.iter().map(Planned::spare).min().unwrap_or_default();
    let mut says = Vec::new();
    let stands = match schedule.too_late.and_then(|place| schedule.tasks.get(place)) {
        Some(late) => {
            says.push(format!(
                "It cannot be ready by {}. Begun now and not interrupted it is ready {}.",
                at(promise.hand_over),
                at(schedule.ready_at)
            ));
            says.push(format!("The first that is too late: {}, which would have to be done by {}.", late.name, at(late.latest.1)));
            ("below", "too late")
        }
        None => {
            let left = show::minutes(last_spare.num_minutes() as f64);
            says.push(format!(
                "Begin by {}. It can be ready {}; {left} to spare where it is tightest.",
                at(schedule.begin_by),
                at(schedule.ready_at)
            ));
            if spare < TimeDelta::hours(1) { ("undecided", "tight") } else { ("within", "in time") }
        }
    };
    if let Some((by, come)) = schedule.parts_by.zip(promise.parts_at) {
        says.push(if come > by {
            format!("The parts come {}, and had to be here by {}.", at(come), at(by))
        } else {
            format!("The parts come {}; later than {} is too late.", at(come), at(by))
        });
    }
    // A wall clock shows no parts of a second.
    let by_the_wall = zone.wall(promise.hand_over.naive_utc()) - zone.wall(now.naive_utc());
    if (by_the_wall - (promise.hand_over - now)).num_minutes().abs() > 1 {
        says.push("The clocks change between now and then; what cures or drains takes its minutes all the same.".to_owned());
    }
    let by_now = show::moment_with_year(promise.hand_over.naive_utc(), zone);
    if !promise.said.is_empty() && promise.said != by_now {
        says.push(format!("It was promised for {}, by another clock: the shop's zone was changed since, and by this one that is {by_now}. Say it once more if the hour was meant.", promise.said));
    }
    if let Some(back) = promise.recheck_at {
        says.push(format!("Comes back {}: level after settling, first filter cut open, leaks.", at(back)));
    }
    let late = |planned: &Planned| planned.spare() < TimeDelta::zero();
    let rows = schedule.tasks.iter().map(|planned| Row {
        name: planned.name.clone(),
        unattended: planned.unattended,
        earliest: at(planned.earliest.0),
        by: at(planned.latest.0),
        late: late(planned),
        slips_to: at(planned.slips_to),
    });
    let bars = schedule.tasks.iter().map(|planned| Bar {
        name: planned.name.clone(),
        unattended: planned.unattended,
        span: planned.earliest,
        begin_by: planned.latest.0,
        late: late(planned),
    });
    Laid {
        stands,
        says,
        rows: rows.collect(),
        clock: clock::clock(bars.collect(), hours, (now, promise.hand_over.max(schedule.ready_at)), promise.hand_over),
    }
}

/// Writes the promise.
pub async fn promise(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let zone = context.viewer.zone.clone();
    let [hand_over, parts_at, recheck_at] = ["hand_over", "parts_at", "recheck_at"].map(|name| typed.moment(name, &zone));
    let [cool, drain, soak, cure] = ["cool", "drain", "soak", "cure"].map(|name| typed.number(name));
    let now = Utc::now();
    match hand_over {
        None if typed.form_state.problem(FORM.name, "hand_over").is_none() => {
            typed.form_state.wrong("hand_over", "Hand-over: nothing typed yet; it is what everything is counted back from.");
        }
        Some(at) if at <= now => {
            let shown = show::moment_with_year(at.naive_utc(), &zone);
            typed.form_state.wrong("hand_over", format!("Hand-over: {shown} has passed already; type a day and an hour to come."));
        }
        Some(at) if at > now + FAR => typed.form_state.wrong("hand_over", "Hand-over: more than a year ahead; look at the year."),
        _ => {}
    }
    if let Some((back, at)) = recheck_at.zip(hand_over)
        && back <= at
    {
        typed.form_state.wrong("recheck_at", "Comes back: not before it was handed over; type a later day.");
    }
    let read = (typed.form_state.is_clean(), hand_over, cool, drain, soak, cure);
    let (true, Some(hand_over), Some(cool_minutes), Some(drain_minutes), Some(soak_minutes), Some(cure_minutes)) = read else {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::PutRight, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    };
    let said = show::moment_with_year(hand_over.naive_utc(), &zone);
    let promise = Promise { hand_over, said, parts_at, cool_minutes, drain_minutes, soak_minutes, cure_minutes, recheck_at };
    context.write(Stage::PutRight, sent, Body::Promised { promise }, "promise", typed.fields()).await
}

/// The timetable for a calendar.
pub async fn calendar(context: JobContext) -> Result<HttpResponse, Failure> {
    let (job, shop_context) = (context.job().await?, context.shop_context().await?);
    let assessed = assess(context.app.clone(), job, None).await?;
    let made = context
        .app
        .work
        .out(move || {
            let (promise, entry) = assessed.job.promise()?;
            let schedule = left(&assessed, &shop_context, Utc::now()).schedule;
            Some(calendar::calendar(&assessed.job, &shop_context.shop.name, promise, schedule.as_ref(), &entry.to_string()))
        })
        .await?;
    let text = made.ok_or(Failure::NoPage)?;
    let name = format!("attachment; filename=\"job-{}.ics\"", context.number);
    Ok(HttpResponse::Ok().content_type("text/calendar; charset=utf-8").insert_header((header::CONTENT_DISPOSITION, name)).body(text))
}
