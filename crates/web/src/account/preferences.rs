//! Unit, theme, and the cautions of first use.
use crate::http::Failure;
use crate::http::{SignedIn, came_from, preference_cookies};
use crate::state::App;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, web};
use serde::Deserialize;
use velvet_dial_core::unit::{Pressure, Temperature};
use velvet_dial_store::accounts;

/// What is changed.
#[derive(Deserialize, Default)]
#[serde(default)]
pub struct Change {
    unit: String,
    temperature: String,
    theme: String,
}

/// Keeps what somebody prefers.
pub async fn change(request: HttpRequest, form: web::Form<Change>) -> Result<HttpResponse, Failure> {
    let night = match form.theme.as_str() {
        "night" => Some(true),
        "light" => Some(false),
        _ => None,
    };
    let mut response = HttpResponse::SeeOther().insert_header((header::LOCATION, came_from(&request))).finish();
    for cookie in preference_cookies(Pressure::parse(&form.unit), Temperature::parse(&form.temperature), night) {
        response.add_cookie(&cookie)?;
    }
    Ok(response)
}

/// Notes that the cautions were read.
pub async fn cautions_read(app: web::Data<App>, who: SignedIn, request: HttpRequest) -> Result<HttpResponse, Failure> {
    accounts::cautions_read(&app.db, &who.0).await?;
    Ok(HttpResponse::SeeOther().insert_header((header::LOCATION, came_from(&request))).finish())
}
