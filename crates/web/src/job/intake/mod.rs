//! Intake: what was seen and done, ticked and cleared.
mod details;

use crate::http::form::{self, Choice, FieldView as Field, Form, Kind, Question, Read};
use crate::http::{Failure, FormState};
use crate::job::assess::Assessed;
use crate::job::frame::{PageFrame, ScreenRequest};
use crate::job::{JobContext, Screen, ScreenData, Sent};
use crate::state::ShopContext;
use crate::ui::show;
use crate::ui::words::cause_name;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use askama::Template;
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::case::Replaced;
pub use velvet_dial_core::case::{Effect, ReplacedBy};
use velvet_dial_core::field;
use velvet_dial_core::knowledge::{Circumstance, knowledge};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::accounts::{self, Person};
use velvet_dial_store::jobs::{self, Before, Body, Job, Particulars};
use velvet_dial_store::library;

/// One tick.
#[derive(Deserialize)]
pub struct Tell {
    circumstance: String,
    told: bool,
    #[serde(default)]
    key: String,
    #[serde(default)]
    seen: String,
    #[serde(default)]
    supersedes: String,
    #[serde(default)]
    waited: String,
}

/// Writes a tick or its taking back.
pub async fn tell(context: JobContext, form: web::Form<Tell>) -> Result<HttpResponse, Failure> {
    let form = form.into_inner();
    if knowledge().circumstance(&form.circumstance).is_none() {
        return Err(Failure::Form("this tick is not on the list".to_owned()));
    }
    let sent = Sent { key: &form.key, seen: &form.seen, supersedes: &form.supersedes, waited: &form.waited };
    let fields = vec![("circumstance".to_owned(), form.circumstance.clone()), ("told".to_owned(), form.told.to_string())];
    let body = Body::Circumstance { circumstance: form.circumstance.clone(), told: form.told };
    context.write(Stage::Intake, sent, body, "circumstance", fields).await
}

/// Writes by whom and with what effect a part was replaced.
pub async fn replaced(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    // Of another shop's job nothing is said, not even that a part is not on the list.
    context.job().await?;
    let word = |name: &str| form.get(name).map_or("", String::as_str);
    let circumstance = word("circumstance").to_owned();
    if knowledge().circumstance(&circumstance).is_none_or(|known| known.part.is_none()) {
        return Err(Failure::Form("a part that is not on the list".to_owned()));
    }
    let by = ReplacedBy::ALL.iter().find(|(_, id, _)| *id == word("by")).map(|(by, ..)| *by);
    let effect = Effect::ALL.iter().find(|(_, id, _)| *id == word("effect")).map(|(effect, ..)| *effect);
    let fields = ["circumstance", "by", "effect"].map(|name| (name.to_owned(), word(name).to_owned())).to_vec();
    context.write(Stage::Intake, Sent::of(&form), Body::Replaced { part: Replaced { circumstance, by, effect } }, "replaced", fields).await
}

/// Whose vehicle it is, how far it has gone, who works on it.
static FORM: Form = Form {
    name: "particulars",
    asks: &[
        Question::new("customer", "Customer", "name", Kind::Text(120)),
        Question::new("reach", "Reached at", "telephone or mail", Kind::Text(120)),
        Question::new("odometer_km", "Odometer", "km", Kind::NumberOrNone(&field::ODOMETER)),
        Question::new("on_it", "Who is on it", "", Kind::Choice),
    ],
};

/// Writes them.
pub async fn particulars(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let (customer, reach, odometer_km) = (typed.text("customer"), typed.text("reach"), typed.number("odometer_km"));
    let chosen = typed.raw("on_it");
    let people = accounts::colleagues(&context.app.db, &context.viewer).await?;
    let on_it = people.into_iter().find(|person| person.id.to_string() == chosen).map(|person| (person.id, person.shown_name));
    if on_it.is_none() && !chosen.is_empty() {
        typed.form_state.wrong("on_it", "Who is on it: not one of the shop any more; choose another.");
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::Intake, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let body = Body::Particulars(Particulars { customer, reach, odometer_km, on_it });
    context.write(Stage::Intake, sent, body, "particulars", typed.fields()).await
}

/// Their addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/circumstance", post().to(tell))
        .route("/jobs/{number}/details", post().to(details::change))
        .route("/jobs/{number}/replaced", post().to(replaced))
        .route("/jobs/{number}/particulars", post().to(particulars))
        .route("/jobs/{number}/came-back", post().to(came_back));
}

/// Whether the vehicle is back with the same.
pub async fn came_back(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let before = jobs::before(&context.app.db, &context.viewer, &job).await?.ok_or(Failure::NoPage)?;
    let same = form.get("same").is_some_and(|same| same == "true");
    let fields = vec![("same".to_owned(), same.to_string())];
    context.write(Stage::Intake, Sent::of(&form), Body::Comeback { of: before.number, same }, "came-back", fields).await
}

/// The job before on this vehicle, and whether this is the same again.
struct CameBack {
    number: i64,
    says: String,
    /// The answer that stands: the same, or something else.
    same: Option<bool>,
    supersedes: String,
}

fn came_back_work(data: &ScreenData, before: Option<&Before>) -> Option<CameBack> {
    let (before, job) = (before?, &data.assessed.job);
    let cause = before.cause.as_deref().map_or(String::new(), |cause| format!("; it was {}", cause_name(cause).to_lowercase()));
    let stands = job.live().find_map(|entry| match entry.body {
        Body::Comeback { of, same } if of == before.number => Some((entry.id.to_string(), same)),
        _ => None,
    });
    let (supersedes, same) = stands.map_or((String::new(), None), |(entry, same)| (entry, Some(same)));
    let stopgap =
        before.stopgap.as_ref().map_or(String::new(), |done| format!(". A stopgap was used then, so the fault may still be there: {done}"));
    let says = format!("closed {}, “{}”{cause}{stopgap}", show::day(before.closed_at, &job.zone), before.complaint);
    Some(CameBack { number: before.number, says, same, supersedes })
}

#[derive(Template)]
#[template(path = "job/intake/intake.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    came_back: Option<CameBack>,
    groups: Vec<IntakeGroup>,
    /// Nobody complained: it is an inspection.
    inspection: bool,
    details: details::DetailsForm,
    particulars: Vec<Field>,
    /// What a change of them would supersede.
    supersedes: String,
    /// They are wanted: nothing is said yet, or what was typed is wrong.
    wanted: bool,
}

/// What the screen shows beside the job.
pub struct Lists {
    /// People of the shop, for who is on it.
    people: Vec<Person>,
    /// Engines of the shop, for a job that is moved to another.
    engines: Vec<(Uuid, String)>,
    /// The job before on this vehicle.
    before: Option<Before>,
}

/// The screen.
pub struct Intake;

impl Screen for Intake {
    const STAGE: Stage = Stage::Intake;
    const LONG: bool = false;
    type Loaded = Lists;
    type Computed = ();

    async fn load(context: &JobContext, job: &Job) -> Result<Lists, Failure> {
        let (db, viewer) = (&context.app.db, &context.viewer);
        let (people, engines, before) =
            tokio::try_join!(accounts::colleagues(db, viewer), library::engine_names(db, viewer), jobs::before(db, viewer, job))?;
        Ok(Lists { people, engines: engines.into_iter().map(|engine| (engine.id, engine.name)).collect(), before })
    }

    fn compute(_: &Assessed, _: &ShopContext, _: &form::Sent, _: Units) {}

    fn draw(data: &ScreenData, lists: &Lists, (): &()) -> askama::Result<String> {
        draw(data, lists)
    }
}

fn draw(data: &ScreenData, lists: &Lists) -> askama::Result<String> {
    let job = &data.assessed.job;
    let live = job.live().find(|entry| matches!(entry.body, Body::Particulars(_)));
    let mut form_state = data.frame.form_state.clone();
    let wanted = live.is_none() || form_state.form == FORM.name;
    if form_state.form != FORM.name {
        form_state = filled(&job.particulars());
    }
    let people = || {
        let nobody = Choice { id: String::new(), label: "nobody yet".to_owned() };
        let all = lists.people.iter().map(|person| Choice { id: person.id.to_string(), label: person.shown_name.clone() });
        std::iter::once(nobody).chain(all).collect()
    };
    Surface {
        frame: data.frame,
        came_back: came_back_work(data, lists.before.as_ref()),
        groups: intake(data.assessed),
        inspection: data.assessed.case.without_complaint(),
        details: details::laid_out(data, &lists.engines),
        particulars: FORM.draw(&form_state, data.frame.unit, |_| people()),
        supersedes: live.map(|entry| entry.id.to_string()).unwrap_or_default(),
        wanted,
    }
    .render()
}

fn filled(said: &Particulars) -> FormState {
    let mut form_state = FormState::of(FORM.name);
    form_state.keep("customer", &said.customer);
    form_state.keep("reach", &said.reach);
    form_state.keep("odometer_km", &said.odometer_km.map(show::plain).unwrap_or_default());
    form_state.keep("on_it", &said.on_it.as_ref().map(|(id, _)| id.to_string()).unwrap_or_default());
    form_state
}

/// Circumstances under one heading.
pub struct IntakeGroup {
    pub heading: &'static str,
    pub ticks: Vec<Tick>,
    /// What is asked of something that was ticked.
    pub hints: Vec<&'static str>,
    /// Parts that were replaced: by whom, and what that changed.
    pub replaced: Vec<ReplacedRow>,
}

/// A part that was replaced before this visit.
pub struct ReplacedRow {
    pub id: &'static str,
    pub label: &'static str,
    pub by: &'static str,
    pub effect: &'static str,
    /// The entry a change would supersede.
    pub supersedes: String,
}

impl ReplacedRow {
    fn of(assessed: &Assessed, told: &'static Circumstance) -> Self {
        let live = assessed.job.live().find_map(|entry| match &entry.body {
            Body::Replaced { part: replaced } if replaced.circumstance == told.id => Some((entry.id.to_string(), replaced)),
            _ => None,
        });
        let known = live.as_ref().map(|(_, replaced)| *replaced);
        let by = known.and_then(|known| known.by).map_or("", ReplacedBy::id);
        let effect = known.and_then(|known| known.effect).map_or("", Effect::id);
        let supersedes = live.map(|(entry, _)| entry).unwrap_or_default();
        Self { id: &told.id, label: &told.label, by, effect, supersedes }
    }
}

/// One circumstance.
pub struct Tick {
    pub id: &'static str,
    pub label: &'static str,
    pub told: bool,
    /// The entry a change would supersede.
    pub supersedes: String,
}

fn intake(assessed: &Assessed) -> Vec<IntakeGroup> {
    let mut groups: Vec<IntakeGroup> = Vec::new();
    for circumstance in &knowledge().circumstances {
        let subject = format!("circumstance {}", circumstance.id);
        let live = assessed.job.live().find(|entry| entry.body.subject().as_ref() == Some(&subject));
        let tick = Tick {
            id: &circumstance.id,
            label: &circumstance.label,
            told: assessed.case.circumstances.contains(&circumstance.id),
            supersedes: live.map(|entry| entry.id.to_string()).unwrap_or_default(),
        };
        let hint = circumstance.hint.as_deref().filter(|_| tick.told);
        let replaced = (tick.told && circumstance.part.is_some()).then(|| ReplacedRow::of(assessed, circumstance));
        match groups.iter_mut().find(|group| group.heading == circumstance.ask) {
            Some(group) => {
                group.ticks.push(tick);
                group.hints.extend(hint.filter(|hint| !group.hints.contains(hint)));
                group.replaced.extend(replaced);
            }
            None => groups.push(IntakeGroup {
                heading: &circumstance.ask,
                ticks: vec![tick],
                hints: hint.into_iter().collect(),
                replaced: replaced.into_iter().collect(),
            }),
        }
    }
    // Why it came is asked first; where nobody complained, what was seen is asked last.
    let seen_last = assessed.case.without_complaint();
    groups.sort_by_key(|group| match group.heading {
        "why it came" => 0,
        "seen" => {
            if seen_last {
                2
            } else {
                1
            }
        }
        _ => {
            if seen_last {
                1
            } else {
                2
            }
        }
    });
    groups
}
