//! Who asks, and how they like to see it.
use super::Failure;
use crate::state::App;
use crate::ui::Liking;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use std::convert::Infallible;
use std::future::{Future, Ready, ready};
use std::pin::Pin;
use velvet_dial_core::unit::Pressure;
use velvet_dial_store::Viewer;
use velvet_dial_store::accounts::{self, Token};

/// Name of the session's cookie.
pub const SESSION: &str = "vd_session";
const UNIT: &str = "vd_unit";
const THEME: &str = "vd_theme";

/// A signed-in user; a handler that takes one cannot be called by anybody else.
pub struct SignedIn(pub Viewer);

impl FromRequest for SignedIn {
    type Error = Failure;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Failure>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let token = request.cookie(SESSION).map(|cookie| Token::from_cookie(cookie.value()));
        let fragment = request.headers().contains_key("hx-request");
        let back = if request.method().is_safe() { request.path().to_owned() } else { "/".to_owned() };
        let app = request.app_data::<web::Data<App>>().cloned();
        Box::pin(async move {
            let away = || Failure::SignInFirst { back, fragment };
            let (Some(token), Some(app)) = (token, app) else {
                return Err(away());
            };
            accounts::viewer_of(&app.db, &token).await?.map(Self).ok_or_else(away)
        })
    }
}

impl FromRequest for Liking {
    type Error = Infallible;
    type Future = Ready<Result<Self, Infallible>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let cookie = |name: &str| request.cookie(name).map(|cookie| cookie.value().to_owned());
        ready(Ok(Self {
            unit: cookie(UNIT).and_then(|text| Pressure::parse(&text)).unwrap_or_default(),
            night: cookie(THEME).is_some_and(|theme| theme == "night"),
            fragment: request.headers().contains_key("hx-request"),
        }))
    }
}

/// Cookies that keep a changed liking for a year.
pub fn liking_cookies(unit: Option<Pressure>, night: Option<bool>) -> Vec<actix_web::cookie::Cookie<'static>> {
    let keep = |name: &'static str, value: &'static str| {
        actix_web::cookie::Cookie::build(name, value)
            .path("/")
            .http_only(true)
            .same_site(actix_web::cookie::SameSite::Lax)
            .max_age(actix_web::cookie::time::Duration::days(365))
            .finish()
    };
    let unit = unit.map(|unit| keep(UNIT, unit.label()));
    let theme = night.map(|night| keep(THEME, if night { "night" } else { "light" }));
    unit.into_iter().chain(theme).collect()
}
