//! Server-sent events.
use actix_web::http::header::{CACHE_CONTROL, CONTENT_ENCODING, ContentEncoding};
use actix_web::web::Bytes;
use actix_web::{Error, HttpResponse};
use futures_util::Stream;

/// A stream of events as an answer.
pub fn events(stream: impl Stream<Item = Result<Bytes, Error>> + 'static) -> HttpResponse {
    HttpResponse::Ok()
        .content_type("text/event-stream")
        .insert_header((CACHE_CONTROL, "no-store"))
        // Packed, an event would wait for the next.
        .insert_header((CONTENT_ENCODING, ContentEncoding::Identity))
        .streaming(Box::pin(stream))
}
