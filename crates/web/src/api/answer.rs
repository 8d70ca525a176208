//! Answers: a tag by which a program asks whether anything changed, and the same answer to what is sent twice.
use super::caller::Called;
use super::problem::ApiFailure;
use actix_web::http::StatusCode;
use actix_web::http::header::{CACHE_CONTROL, ETAG, HeaderName, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse};
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::future::Future;
use uuid::Uuid;
use velvet_dial_core::hex::{hash_of_parts, hex};
use velvet_dial_store::programs::{self, Caller, Claim};

/// The header by which a program says that it sends the same once more.
pub const KEY: &str = "idempotency-key";
/// Said at an answer that was given before.
const REPLAYED: HeaderName = HeaderName::from_static("idempotency-replayed");
const MOST_KEY: usize = 120;

fn text_of(value: &impl Serialize) -> Result<String, ApiFailure> {
    serde_json::to_string(value).map_err(|error| crate::http::Failure::Form(error.to_string()).into())
}

/// What was asked for, or that it is what the program has already.
pub fn found(request: &HttpRequest, value: &impl Serialize) -> Result<HttpResponse, ApiFailure> {
    found_as(request, "application/json", text_of(value)?.into_bytes())
}

/// The same of bytes.
pub fn found_as(request: &HttpRequest, kind: &str, bytes: Vec<u8>) -> Result<HttpResponse, ApiFailure> {
    let tag = format!("\"{}\"", hex(&Sha256::digest(&bytes)).get(..32).unwrap_or_default());
    let known = request.headers().get(IF_NONE_MATCH).and_then(|value| value.to_str().ok());
    // What a proxy has packed comes back as a weak tag, or with a word behind it.
    let unchanged = known.is_some_and(|known| known.contains(tag.trim_matches('"')));
    let mut answer = if unchanged { HttpResponse::NotModified() } else { HttpResponse::Ok() };
    answer.insert_header((ETAG, tag)).insert_header((CACHE_CONTROL, "private, no-cache"));
    Ok(if unchanged { answer.finish() } else { answer.content_type(kind).body(bytes) })
}

/// What something that was sent came to: a status and a body.
pub struct Done {
    status: StatusCode,
    body: String,
}

impl Done {
    /// As JSON.
    pub fn of(status: StatusCode, value: &impl Serialize) -> Result<Self, ApiFailure> {
        Ok(Self { status, body: text_of(value)? })
    }
}

/// Does what was sent, once for each key: the same sent again gets the answer of the first time. `asked` is what was sent; `work` gets a key under which it writes.
pub async fn once<F>(
    request: &HttpRequest,
    called: &Called,
    asked: &[u8],
    work: impl FnOnce(String) -> F,
) -> Result<HttpResponse, ApiFailure>
where
    F: Future<Output = Result<Done, ApiFailure>>,
{
    let Called { app, caller: Caller { program, .. } } = called;
    let Some(key) = request.headers().get(KEY) else {
        let Done { status, body } = work(Uuid::new_v4().to_string()).await?;
        return Ok(HttpResponse::build(status).content_type("application/json").body(body));
    };
    let key = key.to_str().ok().filter(|key| !key.is_empty() && key.len() <= MOST_KEY);
    let key = key.ok_or_else(|| ApiFailure::at(KEY, format!("a key has 1 to {MOST_KEY} plain letters")))?;
    let hash =
        Sha256::new().chain_update(request.method().as_str()).chain_update(request.uri().to_string()).chain_update([0]).chain_update(asked);
    let again = |status: u16, body: String| {
        HttpResponse::build(StatusCode::from_u16(status).unwrap_or(StatusCode::OK))
            .insert_header((REPLAYED, "true"))
            .content_type("application/json")
            .body(body)
    };
    // The database takes some letters for one another; a key is what it is.
    let kept = hash_of_parts([key]);
    match programs::claim(&app.db, program.id, &kept, &hash.finalize()).await? {
        Claim::New => {}
        Claim::Answered { status, body } => return Ok(again(status, body)),
        Claim::OfAnother => {
            return Err(ApiFailure::conflict(
                "key_of_another",
                "This key was sent with another request before. Use a new key for each request.",
            ));
        }
        Claim::Busy => {
            return Err(ApiFailure::conflict(
                "in_progress",
                "The same request is being answered at this moment. Ask again in a few seconds.",
            ));
        }
    }
    match work(format!("{}-{key}", program.id)).await {
        Ok(Done { status, body }) => {
            programs::keep_answer(&app.db, program.id, &kept, status.as_u16(), &body).await?;
            Ok(HttpResponse::build(status).content_type("application/json").body(body))
        }
        Err(failure) => {
            // Nothing was written: corrected, it may be sent with the same key.
            programs::release(&app.db, program.id, &kept).await?;
            Err(failure)
        }
    }
}
