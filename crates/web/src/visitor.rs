//! Who asks, and how they like to see it.
use crate::app::App;
use crate::error::Failure;
use actix_web::dev::Payload;
use actix_web::{FromRequest, HttpRequest, web};
use governor::clock::{Clock, DefaultClock};
use governor::{DefaultKeyedRateLimiter, Quota, RateLimiter};
use std::convert::Infallible;
use std::future::{Future, Ready, ready};
use std::num::NonZeroU32;
use std::pin::Pin;
use std::time::Duration;
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

/// Unit and theme, from their cookies, and whether a fragment is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Liking {
    /// Unit of pressure.
    pub unit: Pressure,
    /// Night bay.
    pub night: bool,
    /// The request came from htmx.
    pub fragment: bool,
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

impl Liking {
    /// Cookies that keep a changed liking for a year.
    pub fn cookies(unit: Option<Pressure>, night: Option<bool>) -> Vec<actix_web::cookie::Cookie<'static>> {
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
}

/// Slows down guessing: five tries at a name, then one in ten seconds; the same for an address, twenty and one in two.
#[derive(Debug)]
pub struct SignInGate {
    by_name: DefaultKeyedRateLimiter<String>,
    by_address: DefaultKeyedRateLimiter<String>,
}

impl Default for SignInGate {
    fn default() -> Self {
        let quota = |burst: u32, seconds: u64| {
            let burst = NonZeroU32::new(burst).unwrap_or(NonZeroU32::MIN);
            Quota::with_period(Duration::from_secs(seconds)).map_or(Quota::per_minute(burst), |quota| quota.allow_burst(burst))
        };
        Self { by_name: RateLimiter::keyed(quota(5, 10)), by_address: RateLimiter::keyed(quota(20, 2)) }
    }
}

impl SignInGate {
    /// Whole seconds to wait before the next try, or `None` when it may be made now.
    pub fn wait_s(&self, name: &str, address: &str) -> Option<u64> {
        let refused = self.by_address.check_key(&address.to_owned()).and_then(|()| self.by_name.check_key(&name.to_lowercase())).err()?;
        Some(refused.wait_time_from(DefaultClock::default().now()).as_secs() + 1)
    }
}
