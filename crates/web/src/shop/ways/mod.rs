//! Questions on which mechanics differ, and the way this shop goes.
use crate::http::{Failure, SignedIn, form};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place};
use actix_web::HttpResponse;
use actix_web::http::header::LOCATION;
use actix_web::web::{self, ServiceConfig, get, post};
use askama::Template;
use velvet_dial_core::methods::{Method, method, methods};
use velvet_dial_store::accounts;

struct Question {
    method: &'static Method,
    /// The way that this shop goes; empty while it did not say.
    ours: String,
}

#[derive(Template)]
#[template(path = "shop/ways/ways.html")]
struct Page {
    chrome: Chrome,
    questions: Vec<Question>,
}

/// Shows them.
async fn show(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    let shop_context = app.shop_context(&who.0).await?;
    let question = |method: &'static Method| Question { method, ours: shop_context.shop.ways.get(&method.id).cloned().unwrap_or_default() };
    let page = Page {
        chrome: Chrome::of(&who.0, preferences, "Where mechanics differ".to_owned()).at(Place::Settings),
        questions: methods().iter().map(question).collect(),
    };
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(page.render()?))
}

/// Says which way the shop goes; an empty way leaves the question open again.
async fn choose(app: web::Data<App>, who: SignedIn, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let text = |name: &str| form.get(name).map_or("", String::as_str);
    let known = method(text("question")).filter(|method| text("way").is_empty() || method.way(text("way")).is_some());
    let Some(known) = known else { return Err(Failure::Form("This question or way is not on the list.".to_owned())) };
    accounts::choose_way(&app.db, &who.0, &known.id, text("way")).await?;
    app.forget_shop_context(&who.0);
    Ok(HttpResponse::SeeOther().insert_header((LOCATION, format!("/ways#{}", known.id))).finish())
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/ways", get().to(show)).route("/ways", post().to(choose));
}
