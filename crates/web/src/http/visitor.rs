//! Who asks, and how they like to see it.
use super::{Failure, rights};
use crate::state::App;
use crate::ui::DisplayPreferences;
use actix_web::dev::Payload;
use actix_web::http::Uri;
use actix_web::http::header::{REFERER, USER_AGENT};
use actix_web::{FromRequest, HttpRequest, web};
use std::convert::Infallible;
use std::future::{Future, Ready, ready};
use std::pin::Pin;
use velvet_dial_core::rights::Right;
use velvet_dial_core::unit::{Pressure, Temperature, Units};
use velvet_dial_store::accounts::{self, Token};
use velvet_dial_store::{StoreError, Viewer};

/// Name of the session's cookie.
pub const SESSION: &str = "vd_session";
/// Name of the cookie by which a browser is a tablet of the shop.
pub const TABLET: &str = "vd_tablet";
const UNIT: &str = "vd_unit";
const TEMPERATURE: &str = "vd_temperature";
const THEME: &str = "vd_theme";

/// A signed-in user; a handler that takes one cannot be called by anybody else.
pub struct SignedIn(pub Viewer);

impl FromRequest for SignedIn {
    type Error = Failure;
    type Future = Pin<Box<dyn Future<Output = Result<Self, Failure>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let who = signed_in(request);
        let right = needed_by(request);
        Box::pin(async move {
            let viewer = who.await?;
            if viewer.role.may_do(right) { Ok(Self(viewer)) } else { Err(StoreError::NotAllowed(right).into()) }
        })
    }
}

/// The right that a request needs.
pub fn needed_by(request: &HttpRequest) -> Right {
    rights::needed(request.method(), request.match_pattern().as_deref().unwrap_or_default())
}

/// Who is signed in, whatever their role may do.
pub fn signed_in(request: &HttpRequest) -> Pin<Box<dyn Future<Output = Result<Viewer, Failure>>>> {
    let token = request.cookie(SESSION).map(|cookie| Token::from_cookie(cookie.value()));
    let fragment = request.headers().contains_key("hx-request");
    let back = if request.method().is_safe() { request.path().to_owned() } else { page_of(request) };
    let app = request.app_data::<web::Data<App>>().cloned();
    Box::pin(async move {
        let away = || Failure::SignInFirst { back, fragment };
        let (Some(token), Some(app)) = (token, app) else {
            return Err(away());
        };
        accounts::viewer_of(&app.db, &token, app.serving.demo).await?.ok_or_else(away)
    })
}

/// The page a fragment was asked from: there the asker goes on.
fn page_of(request: &HttpRequest) -> String {
    let page = request.headers().get("hx-current-url").and_then(|value| value.to_str().ok()).and_then(|url| url.parse::<Uri>().ok());
    page.map_or_else(|| "/".to_owned(), |page| page.path().to_owned())
}

/// The page that the asker came from; only its path is taken, so it stays on this site.
pub fn came_from(request: &HttpRequest) -> String {
    let from = request.headers().get(REFERER).and_then(|value| value.to_str().ok()).unwrap_or("");
    let path = from.split_once("://").and_then(|(_, rest)| rest.split_once('/')).map_or("", |(_, path)| path);
    format!("/{}", path.trim_start_matches(['/', '\\']))
}

/// The address of who asks: the connection's, or what a trusted proxy at its other end says.
pub fn address(request: &HttpRequest, app: &App) -> String {
    let Some(peer) = request.peer_addr().map(|peer| peer.ip()) else { return String::new() };
    if !app.serving.trusted_proxies.contains(&peer) {
        return peer.to_string();
    }
    // The last one is what our own proxy saw; those before it are what it was told.
    let last = request.headers().get_all("x-forwarded-for").last().and_then(|value| value.to_str().ok());
    let last = last.and_then(|value| value.rsplit(',').next()).and_then(|text| text.trim().parse::<std::net::IpAddr>().ok());
    last.unwrap_or(peer).to_string()
}

/// Where the shop is reached from outside, before every path of a link that leaves the house.
pub fn origin(request: &HttpRequest, app: &App) -> String {
    app.serving.public_url.clone().unwrap_or_else(|| {
        let at = request.connection_info();
        format!("{}://{}", at.scheme(), at.host())
    })
}

/// What the browser calls itself.
pub fn agent(request: &HttpRequest) -> &str {
    request.headers().get(USER_AGENT).and_then(|agent| agent.to_str().ok()).unwrap_or_default()
}

impl FromRequest for DisplayPreferences {
    type Error = Infallible;
    type Future = Ready<Result<Self, Infallible>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let cookie = |name: &str| request.cookie(name).map(|cookie| cookie.value().to_owned());
        ready(Ok(Self {
            unit: Units {
                pressure: cookie(UNIT).and_then(|text| Pressure::parse(&text)).unwrap_or_default(),
                temperature: cookie(TEMPERATURE).and_then(|id| Temperature::parse(&id)).unwrap_or(Temperature::Celsius),
            },
            night: cookie(THEME).is_some_and(|theme| theme == "night"),
            fragment: request.headers().contains_key("hx-request"),
            tablet: request.cookie(TABLET).is_some(),
        }))
    }
}

/// Cookies that keep what somebody prefers for a year.
pub fn preference_cookies(
    unit: Option<Pressure>,
    temperature: Option<Temperature>,
    night: Option<bool>,
) -> Vec<actix_web::cookie::Cookie<'static>> {
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
    let temperature = temperature.map(|unit| keep(TEMPERATURE, unit.id()));
    unit.into_iter().chain(temperature).chain(theme).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use actix_web::test::TestRequest;

    /// Whose word on the asker's address is taken: nobody's but a trusted proxy's, and of that only the last.
    #[tokio::test]
    async fn an_address_is_the_connections_own_or_a_trusted_proxys_word() -> Result<(), velvet_dial_store::StoreError> {
        let trusted: Vec<std::net::IpAddr> = ["10.1.1.1", "::1"].iter().filter_map(|text| text.parse().ok()).collect();
        let db = velvet_dial_store::open(&velvet_dial_testkit::fresh_database().await).await?;
        let app = App::new(db, crate::state::Serving { trusted_proxies: trusted, ..Default::default() });
        for (peer, said, told) in [
            ("192.0.2.7:4000", None, "192.0.2.7"),
            ("192.0.2.7:4000", Some("203.0.113.9"), "192.0.2.7"),
            ("10.1.1.1:4000", None, "10.1.1.1"),
            ("10.1.1.1:4000", Some("203.0.113.9"), "203.0.113.9"),
            ("10.1.1.1:4000", Some("6.6.6.6, 203.0.113.9"), "203.0.113.9"),
            ("10.1.1.1:4000", Some("203.0.113.9, nonsense"), "10.1.1.1"),
            ("[::1]:4000", Some(" 2001:db8::5 "), "2001:db8::5"),
        ] {
            let mut request = TestRequest::default();
            if let Ok(peer) = peer.parse() {
                request = request.peer_addr(peer);
            }
            if let Some(said) = said {
                request = request.insert_header(("x-forwarded-for", said));
            }
            assert_eq!(address(&request.to_http_request(), &app), told, "{peer} {said:?}");
        }
        Ok(())
    }

    #[test]
    fn a_fragment_leads_back_to_its_page_and_nowhere_else() {
        for (url, page) in
            [("http://shop.test/jobs/9/trace?correct=1", "/jobs/9/trace"), ("/jobs/9", "/jobs/9"), ("nonsense http", "/"), ("", "/")]
        {
            let request = TestRequest::default().insert_header(("hx-current-url", url)).to_http_request();
            assert_eq!(page_of(&request), page, "{url}");
        }
    }
}
