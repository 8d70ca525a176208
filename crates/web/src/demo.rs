//! The demo shop, from `demo/shop.toml`: loaded through the same store as everything a person enters.
use crate::job::{judged, record};
use crate::state::Kept;
use chrono::{Duration, NaiveDateTime, Utc};
use serde::Deserialize;
use std::collections::HashMap;
use thiserror::Error;
use uuid::Uuid;
use velvet_dial_core::case::{Phase, Reading, Setting, diagnose};
use velvet_dial_core::circuit::Card;
use velvet_dial_core::instrument::Instrument;
use velvet_dial_core::limits::Sheet;
use velvet_dial_store::jobs::{self, Body, Closed, Closing, Opening, Repair, TakenReading, Write, Written};
use velvet_dial_store::{Connection, StoreError, Viewer, accounts, library};

/// Password of every demo sign-in.
pub const PASSWORD: &str = "brass needle";
/// Demo sign-ins.
pub const SIGN_INS: [&str; 2] = ["ines", "odd"];

/// Why the demo shop could not be loaded.
#[derive(Debug, Error)]
pub enum DemoError {
    /// The file.
    #[error("demo/shop.toml: {0}")]
    File(#[from] toml::de::Error),
    /// It names something it does not have.
    #[error("demo/shop.toml: {0}")]
    Names(String),
    /// The store.
    #[error(transparent)]
    Store(#[from] StoreError),
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Shop {
    shop: String,
    user: Vec<User>,
    gauge: Vec<Gauge>,
    engine: Vec<Engine>,
    job: Vec<Job>,
}
#[derive(Deserialize)]
struct User {
    sign_in: String,
    shown_name: String,
}
#[derive(Deserialize)]
struct Gauge {
    name: String,
    gauge: Instrument,
}
#[derive(Deserialize)]
struct Engine {
    name: String,
    card: Card,
    sheets: Vec<Sheet>,
}
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Job {
    tag: String,
    description: String,
    engine: String,
    complaint: String,
    days_ago: i64,
    capture: Option<String>,
    entries: Vec<Entry>,
}
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Entry {
    who: String,
    at: i64,
    told: Option<String>,
    check: Option<String>,
    found: Option<String>,
    rpm: Option<f64>,
    oil: Option<f64>,
    #[serde(default)]
    estimated: bool,
    kpa: Option<f64>,
    #[serde(default)]
    spread: f64,
    gauge: Option<String>,
    #[serde(default)]
    after: bool,
    cause: Option<String>,
    #[serde(default)]
    done: String,
    #[serde(default)]
    follow_up: String,
    /// Cause of the repair that is taken back.
    withdraw: Option<String>,
    #[serde(default)]
    why: String,
    #[serde(default)]
    closed: bool,
}

/// Loads the shop when nobody can sign in yet; true when this database is the demo's.
pub async fn load_once(db: &Connection) -> Result<bool, DemoError> {
    let shop: Shop = toml::from_str(include_str!("../demo/shop.toml"))?;
    if accounts::nobody_yet(db).await? {
        load(db, &shop).await?;
        return Ok(true);
    }
    let first = shop.user.first().map(|user| user.sign_in.as_str()).unwrap_or_default();
    Ok(accounts::is_demo(db, first).await?)
}

async fn load(db: &Connection, shop: &Shop) -> Result<(), DemoError> {
    let missing = |what: &str| DemoError::Names(format!("no {what}"));
    let shop_id = accounts::add_shop(db, &shop.shop).await?;
    let mut people: HashMap<&str, Viewer> = HashMap::new();
    for user in &shop.user {
        let viewer = accounts::add_demo_user(db, shop_id, &user.sign_in, &user.shown_name, PASSWORD).await?;
        people.insert(&user.sign_in, viewer.ok_or_else(|| missing("free sign-in name"))?);
    }
    let anyone = people.values().next().cloned().ok_or_else(|| missing("user"))?;
    for gauge in &shop.gauge {
        library::add_gauge(db, &anyone, &gauge.name, &gauge.gauge).await?;
    }
    let mut engines: HashMap<&str, Uuid> = HashMap::new();
    for engine in &shop.engine {
        let id = library::add_engine(db, &anyone, &engine.name, &engine.card).await?.ok_or_else(|| missing("free engine name"))?;
        for sheet in &engine.sheets {
            library::add_sheet(db, &anyone, id, sheet, None).await?;
        }
        engines.insert(&engine.name, id);
    }
    let kept = Kept::default();
    for (i, job) in shop.job.iter().enumerate() {
        let key = format!("demo {i}");
        // Jobs of today were opened long enough ago for all their entries.
        let age = job.entries.iter().map(|entry| entry.at).max().unwrap_or(0) + 12;
        let at = Utc::now().naive_utc() - Duration::days(job.days_ago) - Duration::minutes(age);
        let opening = Opening {
            tag: &job.tag,
            description: &job.description,
            engine: *engines.get(job.engine.as_str()).ok_or_else(|| missing(&job.engine))?,
            complaint: &job.complaint,
            submit_key: &key,
            at: Some(at),
        };
        let number = jobs::open(db, &anyone, &opening).await?;
        if job.capture.is_some() {
            jobs::add_capture(db, &anyone, number, "run-tug4.csv", include_bytes!("../demo/run-tug4.csv")).await?;
        }
        entries(db, &people, &kept, number, (job, at)).await?;
        look(db, &anyone, number, &kept, None).await?;
    }
    Ok(())
}

async fn entries(
    db: &Connection,
    people: &HashMap<&str, Viewer>,
    kept: &Kept,
    number: i64,
    (job, opened): (&Job, NaiveDateTime),
) -> Result<(), DemoError> {
    let mut repairs: HashMap<&str, Uuid> = HashMap::new();
    for (i, entry) in job.entries.iter().enumerate() {
        let who = people.get(entry.who.as_str()).ok_or_else(|| DemoError::Names(entry.who.clone()))?;
        let supersedes = entry.withdraw.as_ref().and_then(|cause| repairs.get(cause.as_str()).copied());
        if entry.closed {
            look(db, who, number, kept, Some((&format!("demo {i}"), opened + Duration::minutes(entry.at)))).await?;
            continue;
        }
        let body = body(entry).ok_or_else(|| DemoError::Names(format!("{} entry {i} says nothing", job.tag)))?;
        let key = format!("demo {i}");
        let write = Write { body, supersedes, submit_key: &key, at: Some(opened + Duration::minutes(entry.at)) };
        match jobs::write(db, who, number, &write).await? {
            Written::Stands(id) | Written::StoodAlready(id) => {
                if let Some(cause) = &entry.cause {
                    repairs.insert(cause, id);
                }
            }
            Written::Overtaken { .. } => {
                return Err(DemoError::Names(format!("{} says {i} twice", job.tag)));
            }
        }
    }
    Ok(())
}

fn body(entry: &Entry) -> Option<Body> {
    if let Some(circumstance) = &entry.told {
        return Some(Body::Circumstance { circumstance: circumstance.clone(), told: true });
    }
    if let (Some(check), Some(outcome)) = (&entry.check, &entry.found) {
        return Some(Body::Evidence { check: check.clone(), outcome: outcome.clone() });
    }
    if let (Some(rpm), Some(oil_temp_c), Some(kpa)) = (entry.rpm, entry.oil, entry.kpa) {
        let phase = if entry.after { Phase::After } else { Phase::Before };
        let reading = Reading {
            oil_temp_estimated: entry.estimated,
            spread_kpa: entry.spread,
            instrument: entry.gauge.clone(),
            phase,
            ..Reading::of(rpm, oil_temp_c, kpa)
        };
        return Some(Body::Reading(TakenReading { reading, gauge: None, capture: None }));
    }
    if let Some(cause) = &entry.cause {
        return Some(Body::Repair(Repair { cause: Some(cause.clone()), done: entry.done.clone(), follow_up: entry.follow_up.clone() }));
    }
    if entry.withdraw.is_some() {
        return Some(Body::Withdrawn { reason: entry.why.clone() });
    }
    None
}

/// Looks at a job, as somebody who opens it does: the board knows then what a diagnosis says. Closing it keeps the record that it stands on.
async fn look(db: &Connection, who: &Viewer, number: i64, kept: &Kept, closing: Option<(&str, NaiveDateTime)>) -> Result<(), DemoError> {
    let job = jobs::load(db, who, number).await?;
    let case = job.case();
    let tracer = kept.tracer(&case).map_err(|error| DemoError::Names(error.to_string()))?;
    let at = closing.map_or_else(|| Utc::now().naive_utc(), |(_, at)| at);
    let now = diagnose(&case, &tracer, &Setting { now: Some(at.and_utc()), ..Setting::default() });
    let Some((submit_key, at)) = closing else {
        return Ok(jobs::judged(db, who, job.head.id, &judged(&case, &now, job.seq())).await?);
    };
    let (shop, files) = (accounts::shop(db, who).await?, jobs::captures(db, who, number).await?);
    let mut record = record(&shop, &job, &files, (&case, &now, &tracer));
    record.papers.closed_at = Some(at.and_utc());
    match jobs::close(db, who, number, &Closing { submit_key, seq: job.seq(), record: &record, at: Some(at) }).await? {
        Closed::Stands => Ok(()),
        Closed::Moved => Err(DemoError::Names(format!("job {number}: somebody else writes in it"))),
    }
}
