//! A job's history: what it says, and adding to it.
use super::answer::{self, Done};
use super::caller::{Called, CalledAtJob};
use super::jobs::{held, needed};
use super::problem::ApiFailure;
use super::shapes::{EntriesPage, EntryView, FindingView, NewCircumstance, NewFinding, NewNote, NewReading, ReadingView, Wrote};
use crate::job::{self, Added, JobContext, refused_time};
use actix_web::http::StatusCode;
use actix_web::web::{self, Bytes};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{NaiveDateTime, Utc};
use serde::Deserialize;
use uuid::Uuid;
use velvet_dial_core::case::{self, Evidence, Phase, Reading};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::record::NoteSort;
use velvet_dial_store::jobs::{self, Body, Happened, Job, Note, TakenReading, Write};
use velvet_dial_store::programs::Caller;

/// Which part of a history is asked for.
#[derive(Debug, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct EntriesQuery {
    after: i32,
    limit: Option<u64>,
}

/// A page of the history.
pub async fn list(request: HttpRequest, at: CalledAtJob, query: web::Query<EntriesQuery>) -> Result<HttpResponse, ApiFailure> {
    let job = at.context.job().await?;
    let limit = held(query.limit) as usize;
    let later: Vec<_> = job.entries.iter().filter(|entry| entry.seq > query.after).take(limit + 1).collect();
    let shown = later.iter().take(limit);
    let next = if later.len() > limit { shown.clone().next_back().map(|entry| entry.seq) } else { None };
    answer::found(&request, &EntriesPage { entries: shown.map(|entry| EntryView::of(entry, &at.caller)).collect(), next })
}

/// The readings that count.
pub async fn readings(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    let job = at.context.job().await?;
    let views = job.live().filter_map(|entry| match &entry.body {
        Body::Reading(taken) => Some(ReadingView {
            entry: entry.id,
            by: entry.author_name.clone(),
            at: entry.happened_at.and_utc(),
            reading: taken.reading.clone(),
        }),
        _ => None,
    });
    answer::found(&request, &views.collect::<Vec<_>>())
}

/// The findings that count.
pub async fn findings(request: HttpRequest, at: CalledAtJob) -> Result<HttpResponse, ApiFailure> {
    let job = at.context.job().await?;
    let views = job.live().filter_map(|entry| match &entry.body {
        Body::Evidence { check, .. } => Some(FindingView {
            entry: entry.id,
            by: entry.author_name.clone(),
            at: entry.happened_at.and_utc(),
            check: check.clone(),
            outcomes: entry.body.outcomes().map(str::to_owned).collect(),
        }),
        _ => None,
    });
    answer::found(&request, &views.collect::<Vec<_>>())
}

/// An entry that a program sends.
struct New {
    body: Body,
    in_place_of: Option<Uuid>,
    happened_at: Option<NaiveDateTime>,
}

/// Writes it, and says what became of it.
async fn write(request: &HttpRequest, at: CalledAtJob, asked: &[u8], new: New) -> Result<HttpResponse, ApiFailure> {
    let CalledAtJob { context, caller } = at;
    let called = Called { app: context.app.clone(), caller };
    let (context, caller) = (&context, &called.caller);
    answer::once(request, &called, asked, |key| async move {
        let happened = Happened { happened_at: new.happened_at, time_reason: String::new() };
        let write = Write { happened, ..Write::of(new.body, &key).in_place_of(new.in_place_of) };
        became(context, caller, &write).await
    })
    .await
}

async fn became(context: &JobContext, caller: &Caller, write: &Write<'_>) -> Result<Done, ApiFailure> {
    let (status, entry, already) = match job::add(context, write).await? {
        Added::New(id) => (StatusCode::CREATED, Some(id), false),
        Added::Already(id) => (StatusCode::OK, Some(id), true),
        Added::AsksForeman => (StatusCode::ACCEPTED, None, false),
        // Somebody else wrote the very same: there is nothing to choose.
        Added::Overtaken(by) if by.body == write.body => (StatusCode::OK, Some(by.id), true),
        Added::Overtaken(by) => {
            let detail = "An entry is in that place already. To correct it, send its key as “in_place_of”.".to_owned();
            return Err(ApiFailure::Conflict { code: "overtaken", detail, entry: Some(Box::new(EntryView::of(&by, caller))) });
        }
        Added::Waits(why) => return Err(ApiFailure::conflict("approval_first", why)),
    };
    // Who reads a gauge by a program has to hear at once that the engine must stop.
    let flag = jobs::row(&context.app.db, &context.viewer, context.number).await?.flag.id();
    let wrote = Wrote { entry, already, flag, waits_for_foreman: entry.is_none() };
    Done::of(status, &wrote)
}

/// A case with the job's engine and gauges and nothing else, by which what is sent is checked.
fn bare(job: &Job) -> case::Case {
    let mut bare = case::Case::of(job.engine.card.clone());
    bare.instruments = job.gauges.iter().map(|gauge| (gauge.name.clone(), gauge.gauge.clone())).collect();
    bare
}

/// When it happened, where that was sent and can be.
fn moment(job: &Job, path: &str, at: Option<NaiveDateTime>) -> Result<Option<NaiveDateTime>, ApiFailure> {
    let Some(at) = at else { return Ok(None) };
    match refused_time(job, Some(at), Utc::now().naive_utc()) {
        Some(why) => Err(ApiFailure::at(path, why)),
        None => Ok(Some(at)),
    }
}

/// Adds a reading.
pub async fn add_reading(request: HttpRequest, at: CalledAtJob, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let NewReading { reading, in_place_of } = case::read(&body)?;
    let job = at.context.job().await?;
    let mut checked = bare(&job);
    checked.readings = vec![reading.clone()];
    if let Some(name) = reading.instrument.as_ref().filter(|name| !checked.instruments.contains_key(*name)) {
        return Err(ApiFailure::at("reading.instrument", format!("the shop has no gauge “{name}”; “GET /api/v1/gauges” lists them")));
    }
    case::check(&checked).map_err(|error| case::CaseError { path: error.path.replace("readings[0]", "reading"), ..error })?;
    let gauge = job.gauges.iter().find(|gauge| Some(&gauge.name) == reading.instrument.as_ref());
    if let Some(gauge) = gauge.filter(|gauge| reading.kpa > gauge.gauge.full_scale_kpa) {
        let sentence = format!("{} kPa is more than the full scale of “{}”, {} kPa", reading.kpa, gauge.name, gauge.gauge.full_scale_kpa);
        return Err(ApiFailure::at("reading.kpa", sentence));
    }
    let happened_at = moment(&job, "reading.at", reading.moment().map(|at| at.naive_utc()))?;
    let taken = TakenReading { gauge: gauge.map(|gauge| gauge.id), reading: Reading { at: None, ..reading }, capture: None, held: None };
    write(&request, at, &body, New { body: Body::Reading(taken), in_place_of, happened_at }).await
}

/// Adds a finding.
pub async fn add_finding(request: HttpRequest, at: CalledAtJob, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let NewFinding { evidence, in_place_of } = case::read(&body)?;
    let job = at.context.job().await?;
    let mut checked = bare(&job);
    checked.evidence = vec![evidence.clone()];
    case::check(&checked).map_err(|error| case::CaseError { path: error.path.replace("evidence[0]", "evidence"), ..error })?;
    let happened_at = moment(&job, "evidence.at", evidence.at.map(|at| at.naive_utc()))?;
    let body_of = |evidence: &Evidence| {
        let mut seen = evidence.seen().map(str::to_owned);
        let outcome = seen.next().unwrap_or_default();
        Body::Evidence { check: evidence.check.clone(), outcome, also: seen.collect(), phase: evidence.phase.unwrap_or(Phase::Before) }
    };
    write(&request, at, &body, New { body: body_of(&evidence), in_place_of, happened_at }).await
}

/// Says what was said or seen at intake.
pub async fn add_circumstance(request: HttpRequest, at: CalledAtJob, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let NewCircumstance { circumstance, applies, in_place_of } = case::read(&body)?;
    if !knowledge().circumstances.iter().any(|known| known.id == circumstance) {
        return Err(ApiFailure::at("circumstance", format!("“{circumstance}” is not known; docs/trade.md lists them")));
    }
    write(&request, at, &body, New { body: Body::Circumstance { circumstance, told: applies }, in_place_of, happened_at: None }).await
}

/// Adds a note.
pub async fn add_note(request: HttpRequest, at: CalledAtJob, body: Bytes) -> Result<HttpResponse, ApiFailure> {
    let NewNote { words, in_report } = case::read(&body)?;
    let words = needed("words", &words, 1000)?;
    let note = Note { sort: NoteSort::Other, words, photo: None, stage: String::new(), in_report, for_engine: false, about: None };
    write(&request, at, &body, New { body: Body::Note(note), in_place_of: None, happened_at: None }).await
}
