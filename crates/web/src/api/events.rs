//! The board as a stream of events: each job as it is now, whenever something was written at it.
use super::caller::Called;
use super::jobs::MOST;
use super::problem::ApiFailure;
use super::shapes::JobView;
use actix_web::web::Bytes;
use actix_web::{Error, HttpRequest, HttpResponse};
use chrono::{DateTime, NaiveDateTime, SecondsFormat, TimeDelta, Utc};
use futures_util::stream::unfold;
use std::collections::HashMap;
use std::time::Duration;
use tokio::time::{Instant, sleep};
use velvet_dial_store::jobs::{self, Listing};
use velvet_dial_store::programs;

/// The board is looked at again after so long.
const EVERY: Duration = Duration::from_secs(2);
/// A stream lasts so long; the program connects again with the last id that it has.
const LONGEST: Duration = Duration::from_secs(600);

/// An entry's time is taken a moment before others see it: what changed shortly before the last look is looked at again.
const OVERLAP: TimeDelta = TimeDelta::seconds(5);

/// What a stream has said so far.
struct Said {
    called: Called,
    /// Everything up to here was said, UTC.
    until: NaiveDateTime,
    /// Jobs that were said lately, each with when it had changed last.
    lately: HashMap<i64, NaiveDateTime>,
}

/// Jobs as they change, from now or from the event that the program had last.
pub async fn board(request: HttpRequest, called: Called) -> Result<HttpResponse, ApiFailure> {
    let last = request.headers().get("last-event-id").and_then(|value| value.to_str().ok());
    let last = last.and_then(|text| DateTime::parse_from_rfc3339(text).ok()).map(|at| at.naive_utc());
    let until = last.unwrap_or_else(|| Utc::now().naive_utc());
    let mut said = Said { called, until, lately: HashMap::new() };
    if last.is_none() {
        // What changed before somebody listened is not said.
        changes(&mut said).await;
    }
    let ends = Instant::now() + LONGEST;
    let events = unfold((said, last.is_some()), move |(mut said, at_once)| async move {
        if Instant::now() > ends {
            return None;
        }
        if !at_once {
            sleep(EVERY).await;
        }
        // A token that was locked out hears nothing more.
        programs::one(&said.called.app.db, &said.called.caller.viewer, said.called.caller.program.id).await.ok()?;
        let text = changes(&mut said).await;
        Some((Ok::<Bytes, Error>(Bytes::from(text)), (said, false)))
    });
    Ok(crate::http::events(events))
}

/// What changed since, as events; a comment where nothing did, which keeps the connection alive.
async fn changes(said: &mut Said) -> String {
    let since = said.until - OVERLAP;
    let (mut after, mut changed) = (0, Vec::new());
    loop {
        let opened_by = said.called.caller.opened_by();
        let listing = Listing { changed_since: Some(since), opened_by, after, limit: MOST, closed: None };
        // The database is away for a moment: the next look has it.
        let Ok(rows) = jobs::listed(&said.called.app.db, &said.called.caller.viewer, &listing).await else { break };
        let more = rows.len() as u64 == MOST;
        after = rows.last().map_or(after, |row| row.number);
        changed.extend(rows);
        if !more {
            break;
        }
    }
    changed.retain(|row| said.lately.get(&row.number) != Some(&row.last_at));
    changed.sort_by_key(|row| row.last_at);
    said.until = changed.last().map_or(said.until, |row| row.last_at.max(said.until));
    said.lately.extend(changed.iter().map(|row| (row.number, row.last_at)));
    let recent = said.until - OVERLAP;
    said.lately.retain(|_, at| *at > recent);
    let event = |row: jobs::Row| {
        let id = row.last_at.and_utc().to_rfc3339_opts(SecondsFormat::Micros, true);
        let job = serde_json::to_string(&JobView::of(row)).unwrap_or_default();
        format!("id: {id}\nevent: job\ndata: {job}\n\n")
    };
    if changed.is_empty() { ": no change\n\n".to_owned() } else { changed.into_iter().map(event).collect() }
}
