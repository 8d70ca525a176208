//! What stands before every handler: size limits, refusal of other sites, headers.
use super::Failure;
use crate::state::App;
use actix_web::body::MessageBody;
use actix_web::dev::{Payload, ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_ENCODING, HeaderMap, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::web::{Data, FormConfig, PathConfig, QueryConfig};
use actix_web::{HttpMessage, ResponseError};
use futures_util::TryStreamExt;
use std::pin::pin;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;
use tokio::time::{Instant, timeout_at};

/// A form holds a few numbers and sentences.
const MOST_FORM_BYTES: usize = 32 * 1024;

/// No inline script or style, no eval, nothing from elsewhere.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; \
manifest-src 'self'; worker-src 'self'; \
form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

/// How long a request may take to arrive and be answered, beside the time that its file may take.
const PATIENCE: Duration = Duration::from_secs(120);
/// A connection slower than this does not bring a file to its end.
const SLOWEST_BYTES_PER_SECOND: u64 = 32 << 10;

/// Ends a request that stalls, so that it takes nobody else's place. A large file over a slow connection may take its time as long as it keeps coming.
pub async fn patience(
    mut request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    let patience = request.app_data::<Data<App>>().and_then(|app| app.serving.patience).unwrap_or(PATIENCE);
    let arrived = Arc::new(AtomicU64::new(0));
    let allowed = || patience + Duration::from_secs(arrived.load(Ordering::Relaxed) / SLOWEST_BYTES_PER_SECOND);
    let counter = Arc::clone(&arrived);
    let payload = request.take_payload().inspect_ok(move |bytes| {
        counter.fetch_add(bytes.len() as u64, Ordering::Relaxed);
    });
    request.set_payload(Payload::Stream { payload: Box::pin(payload) });
    let start = Instant::now();
    let mut answer = pin!(next.call(request));
    let mut waits = allowed();
    loop {
        if let Ok(answer) = timeout_at(start + waits, answer.as_mut()).await {
            return answer;
        }
        if allowed() == waits {
            return Err(Failure::Stalled.into());
        }
        waits = allowed();
    }
}

/// An address or a query that no page has.
pub fn path_errors() -> PathConfig {
    PathConfig::default().error_handler(|_, _| Failure::NoPage.into())
}

/// See [`path_errors`].
pub fn query_errors() -> QueryConfig {
    QueryConfig::default().error_handler(|_, _| Failure::NoPage.into())
}

/// For a form that carries a file.
pub fn large_form(bytes: usize) -> FormConfig {
    FormConfig::default().limit(bytes).error_handler(|error, _| Failure::Form(error.to_string()).into())
}

/// For every other form.
pub fn form_limits() -> FormConfig {
    FormConfig::default().limit(MOST_FORM_BYTES).error_handler(|error, _| Failure::Form(error.to_string()).into())
}

/// Refuses a change asked for by another site's page (Fetch Metadata; Origin where a browser is too old for it), and bodies that come packed.
pub async fn refuse(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    let changes = !matches!(*request.method(), Method::GET | Method::HEAD | Method::OPTIONS);
    // A program brings its token along by itself; a browser never does, so another site's page can do nothing in its name.
    let is_program = request.path().starts_with("/api/");
    let refused = if changes && !is_program && !from_here(request.headers(), request.connection_info().host()) {
        Some(Failure::OtherSite)
    } else if request.headers().get(CONTENT_ENCODING).is_some_and(|how| how != "identity") {
        // A few packed bytes would be unpacked to any number of them before a limit is looked at.
        Some(Failure::Packed)
    } else {
        None
    };
    match refused {
        // An answer, not an error: those would leave without the headers of every answer.
        Some(failure) => Ok(request.into_response(failure.error_response()).map_into_right_body()),
        None => next.call(request).await.map(ServiceResponse::map_into_left_body),
    }
}

fn from_here(headers: &HeaderMap, host: &str) -> bool {
    let text = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
    match text("sec-fetch-site") {
        Some(site) => site == "same-origin",
        None => text("origin").and_then(|origin| origin.split_once("://")).is_some_and(|(_, from)| from == host),
    }
}

/// Headers of every answer.
pub async fn safe_headers(
    request: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, actix_web::Error> {
    let is_asset = request.path().starts_with("/assets/");
    let mut response = next.call(request).await?;
    // What an asset says of its keeping stands, and what a browser may keep for its own eyes.
    let own = |said: &HeaderValue| said.as_bytes().starts_with(b"private");
    let kept = response.headers().get(CACHE_CONTROL).cloned().filter(|said| is_asset || own(said));
    add_safe_headers(response.headers_mut());
    if let Some(kept) = kept {
        response.headers_mut().insert(CACHE_CONTROL, kept);
    }
    Ok(response)
}

/// The headers of every answer; a failure that comes from outside every handler carries them by itself.
pub fn add_safe_headers(headers: &mut HeaderMap) {
    for (name, value) in [
        ("content-security-policy", POLICY),
        ("x-content-type-options", "nosniff"),
        ("referrer-policy", "same-origin"),
        ("cross-origin-opener-policy", "same-origin"),
        ("permissions-policy", "camera=(), microphone=(), geolocation=()"),
    ] {
        headers.insert(HeaderName::from_static(name), HeaderValue::from_static(value));
    }
    // A page shows a job as it is now: the back button asks again.
    headers.insert(HeaderName::from_static("cache-control"), HeaderValue::from_static("no-store"));
}
