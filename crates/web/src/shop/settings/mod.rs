//! Settings: the shop's name, clock, hours and money, and the way to everything else that the shop decides once.
mod form;

use crate::http::form::FieldView;
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use form::SHOP;
use velvet_dial_core::methods::methods;
use velvet_dial_core::rights::Right;
use velvet_dial_store::{Viewer, accounts};

#[derive(Template)]
#[template(path = "shop/settings/settings.html")]
struct Page {
    chrome: Chrome,
    fields: Vec<FieldView>,
    learns: bool,
    /// Questions on which mechanics differ: those that the shop answered, of all.
    chosen: usize,
    questions: usize,
    /// The viewer may change what stands here.
    may_change: bool,
    /// The shop is still on the path of its first day.
    first_day: bool,
    /// The server made its own certificate, which tablets are to trust.
    own_certificate: bool,
}

async fn page(
    app: &App,
    viewer: &Viewer,
    preferences: DisplayPreferences,
    form_state: Option<FormState>,
    status: StatusCode,
) -> Result<HttpResponse, Failure> {
    let shop = accounts::shop(&app.db, viewer).await?;
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Settings").at(Place::Settings),
        fields: SHOP
            .draw(&form_state.unwrap_or_else(|| form::of(&shop)), preferences.unit, |_| Vec::new())
            .into_iter()
            .filter(|field| field.name != "labour_rate" || viewer.role.may_do(Right::SeeMoney))
            .collect(),
        learns: shop.learns,
        chosen: shop.ways.len(),
        questions: methods().len(),
        own_certificate: app.serving.authority.is_some(),
        may_change: viewer.role.may_do(Right::RunShop),
        first_day: accounts::on_first_day(&app.db, viewer).await?.on_it,
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

async fn show(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page(&app, &who.0, preferences, None, StatusCode::OK).await
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/settings", get().to(show)).route("/settings", post().to(form::change));
}
