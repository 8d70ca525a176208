//! Packs pages tightly: the framework packs in haste, and a page of checks is a fifth smaller when it is not.
use actix_web::body::{self, BodySize, BoxBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{ACCEPT_ENCODING, CONTENT_ENCODING, CONTENT_TYPE, HeaderMap, HeaderValue, VARY};
use actix_web::middleware::Next;
use actix_web::web;
use flate2::Compression;
use flate2::write::GzEncoder;
use std::io::Write;

/// Under this a page fits one packet as it is.
const LEAST_BYTES: u64 = 1024;

/// Packs an answer that is a whole page for a browser that takes gzip, off the serving threads.
pub async fn pack(request: ServiceRequest, next: Next<impl MessageBody + 'static>) -> Result<ServiceResponse<BoxBody>, actix_web::Error> {
    let takes = takes_gzip(request.headers());
    let response = next.call(request).await?.map_into_boxed_body();
    let page = response.headers().get(CONTENT_TYPE).is_some_and(|kind| kind.as_bytes().starts_with(b"text/html"));
    let large = matches!(response.response().body().size(), BodySize::Sized(bytes) if bytes >= LEAST_BYTES);
    if !(takes && page && large) || response.headers().contains_key(CONTENT_ENCODING) {
        return Ok(response);
    }
    let (request, response) = response.into_parts();
    let (head, body) = response.into_parts();
    let whole = body::to_bytes(body).await.map_err(actix_web::error::ErrorInternalServerError)?;
    let packed = web::block(move || packed(&whole)).await??;
    let mut response = head.set_body(packed).map_into_boxed_body();
    response.headers_mut().insert(CONTENT_ENCODING, HeaderValue::from_static("gzip"));
    response.headers_mut().insert(VARY, HeaderValue::from_static("accept-encoding"));
    Ok(ServiceResponse::new(request, response))
}

fn packed(page: &[u8]) -> std::io::Result<Vec<u8>> {
    let mut packer = GzEncoder::new(Vec::with_capacity(page.len() / 4), Compression::default());
    packer.write_all(page)?;
    packer.finish()
}

/// True when gzip is among what the browser takes, and not by a weight of nothing.
fn takes_gzip(headers: &HeaderMap) -> bool {
    let text = headers.get_all(ACCEPT_ENCODING).filter_map(|value| value.to_str().ok()).collect::<Vec<_>>().join(",");
    text.split(',').any(|one| {
        let (name, weight) = one.split_once(';').unwrap_or((one, ""));
        let refused = weight.trim().strip_prefix("q=").and_then(|q| q.parse::<f64>().ok()) == Some(0.0);
        matches!(name.trim(), "gzip" | "*") && !refused
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::http::header::HeaderName;

    #[test]
    fn who_takes_gzip() {
        for (said, takes) in [
            (Some("gzip, deflate, br, zstd"), true),
            (Some("br;q=1.0, gzip;q=0.5"), true),
            (Some("*"), true),
            (Some("gzip;q=0"), false),
            (Some("br, gzip; q=0.000"), false),
            (Some("identity"), false),
            (Some(""), false),
            (None, false),
        ] {
            let mut headers = HeaderMap::new();
            if let Some(said) = said {
                headers.insert(HeaderName::from_static("accept-encoding"), HeaderValue::from_static(said));
            }
            assert_eq!(takes_gzip(&headers), takes, "{said:?}");
        }
    }
}
