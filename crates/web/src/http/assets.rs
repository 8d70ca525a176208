//! Styles, scripts and fonts over the line.
use super::Failure;
use crate::ui::assets::{get, state};
use actix_web::http::header::{CACHE_CONTROL, ETAG, IF_NONE_MATCH};
use actix_web::{HttpRequest, HttpResponse, web};

/// The script that keeps pages for when there is no connection. It stands at the root, since it may see no more than what is below its own address; it is asked for
/// again each time, so that an older one goes.
pub async fn worker() -> Result<HttpResponse, Failure> {
    let file = get("sw.js").ok_or(Failure::NoPage)?;
    Ok(HttpResponse::Ok().content_type("text/javascript").insert_header((CACHE_CONTROL, "no-cache")).body(file.data.into_owned()))
}

/// Serves one file. What is asked for by its state, and what has it in its name, is kept for good; the rest is asked for again and mostly “unchanged”.
pub async fn file(path: web::Path<String>, request: HttpRequest) -> Result<HttpResponse, Failure> {
    let file = get(&path).ok_or(Failure::NoPage)?;
    let state = state(&file);
    let lasts = path.starts_with("fonts/") || path.starts_with("vendor/") || request.query_string() == format!("state={state}");
    let tag = format!("\"{state}\"");
    let known = request
        .headers()
        .get(IF_NONE_MATCH)
        .and_then(|value| value.to_str().ok())
        .is_some_and(|known| known.contains(tag.trim_matches('"')));
    if known {
        return Ok(HttpResponse::NotModified().insert_header((ETAG, tag)).finish());
    }
    let kind = file.metadata.mimetype().to_owned();
    let cache = if lasts { "public, max-age=31536000, immutable" } else { "no-cache" };
    Ok(HttpResponse::Ok().content_type(kind).insert_header((ETAG, tag)).insert_header((CACHE_CONTROL, cache)).body(file.data.into_owned()))
}
