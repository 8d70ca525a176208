//! The demo shop, from the folder `demo`: loaded through the same store as everything a person enters.
mod file;

use crate::job::{ClosingError, closing as job_closing, judged, record, recordings};
use crate::state::{Kept, Keys};
use chrono::{Duration, NaiveDateTime, Utc};
use file::{Entry, Folder, Job, Shop};
use std::collections::HashMap;
use thiserror::Error;
use uuid::Uuid;
use velvet_dial_core::case::{Phase, Reading};
use velvet_dial_core::diagnosis::{Setting, diagnose};
use velvet_dial_core::experience::Known;
use velvet_dial_store::accounts::NewUser;
use velvet_dial_store::jobs::{self, Body, Closed, Closing, Found, Opening, Particulars, Repair, RigStep, TakenReading, Write, Written};
use velvet_dial_store::zone::Zone;
use velvet_dial_store::{Connection, StoreError, Viewer, accounts, library, rigs};

/// Password of every demo sign-in.
pub const PASSWORD: &str = "brass needle";
/// Demo sign-ins.
pub const SIGN_INS: [&str; 3] = ["ines", "odd", "pia"];

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
    /// A job of it could not be closed.
    #[error(transparent)]
    Closing(#[from] ClosingError),
}

/// The shop as its file tells it.
fn shop() -> Result<Shop, DemoError> {
    let file = Folder::get("shop.toml").ok_or_else(|| DemoError::Names("no shop.toml".to_owned()))?;
    Ok(toml::from_str(&String::from_utf8_lossy(&file.data))?)
}

/// Loads the shop when nobody can sign in yet; true when this database is the demo's.
pub async fn load_once(db: &Connection, keys: Option<&Keys>) -> Result<bool, DemoError> {
    let shop = shop()?;
    if accounts::nobody_yet(db).await? {
        load(db, &shop, keys).await?;
        return Ok(true);
    }
    let first = shop.user.first().map(|user| user.sign_in.as_str()).unwrap_or_default();
    Ok(accounts::is_demo(db, first).await?)
}

/// How the demo's stand-in rig is started: its name, a token of this start, its engine and what is hidden in it. None where the shop has unpaired it.
///
/// # Errors
/// When the demo's file or the store fails.
pub async fn standin(db: &Connection) -> Result<Option<Vec<String>>, DemoError> {
    let shop = shop()?;
    let first = shop.user.first().map(|user| user.sign_in.as_str()).unwrap_or_default();
    let Some(viewer) = accounts::demo_viewer(db, first).await? else { return Ok(None) };
    let Some(rig) = rigs::rigs(db, &viewer).await?.into_iter().find(|rig| rig.name == shop.rig.name) else { return Ok(None) };
    let engine = shop.engine.iter().find(|engine| engine.name == shop.rig.engine);
    let card =
        engine.and_then(|engine| serde_json::to_string(&engine.card).ok()).ok_or_else(|| DemoError::Names(shop.rig.engine.clone()))?;
    let token = rigs::pair_again(db, &viewer, rig.id).await?;
    let said = [
        ("--name", rig.name),
        ("--token", token),
        ("--engine", card),
        ("--fault", shop.rig.fault),
        ("--severity", shop.rig.severity.to_string()),
        ("--warms", shop.rig.warms.to_string()),
    ];
    let odd = shop.rig.odd.into_iter().flat_map(|odd| ["--odd".to_owned(), odd]);
    Ok(Some(said.into_iter().flat_map(|(key, value)| [key.to_owned(), value]).chain(odd).chain(["--module".to_owned()]).collect()))
}

async fn load(db: &Connection, shop: &Shop, keys: Option<&Keys>) -> Result<(), DemoError> {
    let missing = |what: &str| DemoError::Names(format!("no {what}"));
    let shop_id = accounts::add_shop(db, &shop.shop).await?;
    let mut people: HashMap<&str, Viewer> = HashMap::new();
    for user in &shop.user {
        let viewer = accounts::add_demo_user(db, shop_id, &NewUser::of(user.role, &user.sign_in, &user.shown_name, PASSWORD)).await?;
        people.insert(&user.sign_in, viewer.ok_or_else(|| missing("free sign-in name"))?);
    }
    let anyone = shop.user.first().and_then(|user| people.get(user.sign_in.as_str())).cloned().ok_or_else(|| missing("user"))?;
    accounts::change_shop(db, &anyone, &shop_context(shop).ok_or_else(|| missing("such zone or hours"))?).await?;
    let anyone = Viewer { zone: Zone::named(&shop.zone).unwrap_or_default(), ..anyone };
    let mut gauges: HashMap<&str, Uuid> = HashMap::new();
    for gauge in &shop.gauge {
        let id = library::add_gauge(db, &anyone, &gauge.name, &gauge.gauge).await?;
        gauges.insert(&gauge.name, id.ok_or_else(|| missing("free gauge name"))?);
    }
    for piece in &shop.adapter {
        library::add_adapter(db, &anyone, &piece.name, &piece.adapter).await?;
    }
    let mut engines: HashMap<&str, Uuid> = HashMap::new();
    for engine in &shop.engine {
        let id = library::add_engine(db, &anyone, &engine.name, &engine.card).await?.ok_or_else(|| missing("free engine name"))?;
        for sheet in &engine.sheets {
            library::add_sheet(db, &anyone, id, sheet, None).await?;
        }
        engines.insert(&engine.name, id);
    }
    for pattern in &shop.pattern {
        library::add_pattern(db, &anyone, &pattern.family, &pattern.known).await?;
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
            scene: None,
            at: Some(at),
        };
        let number = jobs::open(db, &anyone, &opening).await?;
        if job.tag == shop.rig.tag {
            let gauge = gauges.get(shop.rig.gauge.as_str()).copied().ok_or_else(|| missing(&shop.rig.gauge))?;
            let (rig, _) = rigs::pair(db, &anyone, &shop.rig.name, Some(gauge)).await?.ok_or_else(|| missing("free rig name"))?;
            rigs::assign(db, &anyone, rig, Some(number)).await?;
        }
        for name in &job.captures {
            let file = Folder::get(name).ok_or_else(|| missing(name))?;
            jobs::add_capture(db, &anyone, number, name, &file.data).await?;
        }
        entries(db, (&people, &gauges), (&kept, keys), number, (job, at)).await?;
        look(db, &anyone, number, (&kept, keys), None).await?;
    }
    Ok(())
}

async fn entries(
    db: &Connection,
    (people, gauges): (&HashMap<&str, Viewer>, &HashMap<&str, Uuid>),
    (kept, keys): (&Kept, Option<&Keys>),
    number: i64,
    (job, opened): (&Job, NaiveDateTime),
) -> Result<(), DemoError> {
    let mut repairs: HashMap<&str, Uuid> = HashMap::new();
    for (i, entry) in job.entries.iter().enumerate() {
        let who = people.get(entry.who.as_str()).ok_or_else(|| DemoError::Names(entry.who.clone()))?;
        let supersedes = entry.withdraw.as_ref().and_then(|cause| repairs.get(cause.as_str()).copied());
        if entry.closed {
            look(db, who, number, (kept, keys), Some((&format!("demo {i}"), opened + Duration::minutes(entry.at)))).await?;
            continue;
        }
        let body = body(entry, people, gauges).ok_or_else(|| DemoError::Names(format!("{} entry {i} says nothing", job.tag)))?;
        let key = format!("demo {i}");
        let write = Write { at: Some(opened + Duration::minutes(entry.at)), ..Write::of(body, &key).in_place_of(supersedes) };
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

/// What the shop says of itself.
fn shop_context(shop: &Shop) -> Option<accounts::Shop> {
    let minutes = |text: &String| {
        let (hours, minutes) = text.split_once(':')?;
        Some(60 * hours.parse::<i16>().ok()? + minutes.parse::<i16>().ok()?)
    };
    let [opens, closes] = &shop.hours;
    Some(accounts::Shop {
        name: shop.shop.clone(),
        zone: Zone::named(&shop.zone)?,
        hours_min: minutes(opens).zip(minutes(closes)),
        labour_rate: Some(shop.labour_rate),
        money: Some(shop.money.clone()),
        saturdays: false,
        learns: true,
        ..accounts::Shop::default()
    })
}

fn body(entry: &Entry, people: &HashMap<&str, Viewer>, gauges: &HashMap<&str, Uuid>) -> Option<Body> {
    if let Some(customer) = &entry.customer {
        let on_it = entry.on_it.as_ref().and_then(|who| people.get(who.as_str())).map(|who| (who.user, who.shown_name.clone()));
        let (customer, reach) = (customer.clone(), entry.reach.clone());
        return Some(Body::Particulars(Particulars { customer, reach, odometer_km: entry.odometer_km, on_it }));
    }
    if let Some(step) = &entry.rig {
        let gauge = entry.gauge.as_ref().and_then(|name| gauges.get(name.as_str())).copied();
        return Some(Body::Rig(RigStep { step: step.clone(), answer: entry.answer.clone(), zero_kpa: entry.zero, gauge }));
    }
    if let Some(who) = &entry.agreed {
        return Some(Body::Agreed { who: who.clone(), how: entry.answer.clone(), unasked: false, up_to: entry.up_to });
    }
    if let Some(of) = entry.back_after {
        return Some(Body::Comeback { of, same: true });
    }
    if let Some(said) = entry.crank {
        return Some(Body::Crank { said });
    }
    if let Some(said) = entry.journal {
        return Some(Body::Journal { said });
    }
    if let Some(circumstance) = &entry.told {
        return Some(Body::Circumstance { circumstance: circumstance.clone(), told: true });
    }
    if let Some(replaced) = &entry.replaced {
        return Some(Body::Replaced { part: replaced.clone() });
    }
    if let (Some(check), Some(outcome)) = (&entry.check, &entry.found) {
        return Some(Body::evidence(check, outcome, Phase::Before));
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
        let gauge = entry.gauge.as_ref().and_then(|name| gauges.get(name.as_str())).copied();
        return Some(Body::Reading(TakenReading { reading, gauge, capture: None, held: None }));
    }
    if let Some(cause) = &entry.cause {
        return Some(Body::Repair(Repair {
            cause: Some(cause.clone()),
            done: entry.done.clone(),
            follow_up: entry.follow_up.clone(),
            stopgap: false,
        }));
    }
    if entry.withdraw.is_some() {
        return Some(Body::Withdrawn { reason: entry.why.clone() });
    }
    None
}

/// Looks at a job, as somebody who opens it does: the board knows then what a diagnosis says. Closing it keeps the record that it stands on.
async fn look(
    db: &Connection,
    who: &Viewer,
    number: i64,
    (kept, keys): (&Kept, Option<&Keys>),
    closing: Option<(&str, NaiveDateTime)>,
) -> Result<(), DemoError> {
    let job = jobs::load(db, who, number).await?;
    let case = job.case();
    let tracer = kept.tracer(&case).map_err(|error| DemoError::Names(error.to_string()))?;
    let at = closing.map_or_else(|| Utc::now().naive_utc(), |(_, at)| at);
    let now = diagnose(&case, &tracer, &Setting { now: Some(at.and_utc()), ..Setting::default() });
    let Some((submit_key, at)) = closing else {
        return Ok(jobs::judged(db, who, job.head.id, &judged(&case, &now, job.seq())).await?);
    };
    let (shop, runs) = (accounts::shop(db, who).await?, recordings(db, who, &job).await?);
    let cause = job.repair().and_then(|repair| repair.cause.clone());
    let known = cause.as_ref().map(|_| Known::CameBack);
    let record = record(&shop, &job, runs, (&case, &now, &tracer), known);
    let record = job_closing(db, who, keys, record, at.and_utc()).await?;
    let found = Found { known, cause, ..Found::default() };
    match jobs::close(db, who, number, &Closing { submit_key, seq: job.seq(), record: &record, found, at: Some(at), asked_by: None })
        .await?
    {
        Closed::Stands => Ok(()),
        Closed::Moved => Err(DemoError::Names(format!("job {number}: somebody else writes in it"))),
    }
}
