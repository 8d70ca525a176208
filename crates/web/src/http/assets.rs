//! Styles, scripts and fonts, carried in the program itself.
use super::Failure;
use actix_web::http::header::{CACHE_CONTROL, ETAG, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse, web};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "assets/"]
struct Files;

/// Serves one file; the browser asks again each time and mostly hears “unchanged”.
pub async fn file(path: web::Path<String>, request: HttpRequest) -> Result<HttpResponse, Failure> {
    let file = Files::get(&path).ok_or(Failure::NoPage)?;
    let tag: String = file.metadata.sha256_hash().iter().take(12).map(|byte| format!("{byte:02x}")).collect();
    let tag = format!("\"{tag}\"");
    let known = request
        .headers()
        .get(IF_NONE_MATCH)
        .and_then(|value| value.to_str().ok())
        .is_some_and(|known| known.contains(tag.trim_matches('"')));
    if known {
        return Ok(HttpResponse::NotModified().insert_header((ETAG, tag)).finish());
    }
    let kind = file.metadata.mimetype().to_owned();
    let cache = if path.starts_with("fonts/") || path.starts_with("vendor/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    Ok(HttpResponse::Ok().content_type(kind).insert_header((ETAG, tag)).insert_header((CACHE_CONTROL, cache)).body(file.data.into_owned()))
}
