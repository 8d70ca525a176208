//! What becomes of the shop's data: how the backups go, everything as one file, and how long customers are kept.
use crate::http::form::{FieldView, Form, Kind, Question, Read, Sent, taken};
use crate::http::{Failure, FormState, SignedIn};
use crate::state::App;
use crate::ui::{Chrome, DisplayPreferences, Place, show};
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::http::header::CONTENT_DISPOSITION;
use actix_web::web::{self, Bytes, ServiceConfig, get, post};
use askama::Template;
use chrono::Utc;
use futures_util::stream::unfold;
use velvet_dial_core::count::count;
use velvet_dial_core::field;
use velvet_dial_store::export::Export;
use velvet_dial_store::{StoreError, Viewer, accounts, jobs};

/// How long customers are kept.
static KEEPING: Form = Form {
    name: "keeping",
    asks: &[Question::new("months", "Months after closing", "empty: as long as the job itself", Kind::NumberOrNone(&field::MONTHS_KEPT))],
};

/// How the backups go.
struct BackupView {
    folder: String,
    /// When the last one began, and how large it is.
    taken: Option<(String, String)>,
    failed: String,
    is_late: bool,
}

#[derive(Template)]
#[template(path = "shop/data/data.html")]
struct Page {
    chrome: Chrome,
    backups: Option<BackupView>,
    fields: Vec<FieldView>,
}

async fn page(app: &App, viewer: &Viewer, preferences: DisplayPreferences, form_state: Option<FormState>) -> Result<HttpResponse, Failure> {
    let status = form_state.as_ref().map_or(StatusCode::OK, |_| StatusCode::UNPROCESSABLE_ENTITY);
    let form_state = match form_state {
        Some(refused) => refused,
        None => {
            let mut kept = FormState::of(KEEPING.name);
            kept.keep("months", &jobs::months_kept(&app.db, viewer).await?.map(|months| months.to_string()).unwrap_or_default());
            kept
        }
    };
    let backups = app.serving.backups.state().map(|state| BackupView {
        is_late: state.is_late(Utc::now()),
        taken: state
            .taken
            .map(|(began, bytes)| (show::moment_with_year(began.naive_utc(), &viewer.zone), format!("{:.1} MB", bytes as f64 / 1e6))),
        folder: state.folder,
        failed: state.failed.unwrap_or_default(),
    });
    let page = Page {
        chrome: Chrome::of(viewer, preferences, "Backups and data").at(Place::Settings),
        backups,
        fields: KEEPING.draw(&form_state, preferences.unit, |_| Vec::new()),
    };
    Ok(HttpResponse::build(status).content_type("text/html; charset=utf-8").body(page.render()?))
}

async fn show_page(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences) -> Result<HttpResponse, Failure> {
    page(&app, &who.0, preferences, None).await
}

/// Says how long customers are kept.
async fn keep(app: web::Data<App>, who: SignedIn, preferences: DisplayPreferences, form: web::Form<Sent>) -> Result<HttpResponse, Failure> {
    let mut typed = Read::of(&KEEPING, &form, preferences.unit);
    let months = typed.number("months").map(|months| months.round() as u16);
    if !typed.form_state.is_clean() {
        return page(&app, &who.0, preferences, Some(typed.form_state)).await;
    }
    let before = jobs::months_kept(&app.db, &who.0).await?;
    if before != months {
        jobs::keep_months(&app.db, &who.0, months).await?;
        let said = |months: Option<u16>| months.map_or("as long as the job".to_owned(), |months| count(usize::from(months), "month"));
        let change = format!("Customers are kept: {} → {}", said(before), said(months));
        accounts::note_change(&app.db, &who.0, vec![change]).await?;
    }
    Ok(taken(KEEPING.name, "/data#customers"))
}

/// Everything of the shop, as it is made; a piece that cannot be made ends the connection, so that half an archive is not taken for a whole one.
async fn export(app: web::Data<App>, who: SignedIn) -> HttpResponse {
    let name = format!("attachment; filename=\"velvet-dial-{}.tar.gz\"", Utc::now().format("%Y-%m-%d"));
    let (send, fetch) = tokio::sync::mpsc::channel::<Result<Bytes, StoreError>>(2);
    actix_web::rt::spawn(async move {
        let made = async {
            let mut export = Export::begin(&app.db, &who.0).await?;
            while let Some(piece) = export.next().await? {
                // Whoever asked has gone.
                if send.send(Ok(Bytes::from(piece))).await.is_err() {
                    break;
                }
            }
            Ok(())
        };
        if let Err(error) = made.await {
            tracing::error!(%error, "an export was broken off");
            send.send(Err(error)).await.ok();
        }
    });
    let pieces = unfold(fetch, |mut fetch| async move { fetch.recv().await.map(|piece| (piece, fetch)) });
    HttpResponse::Ok().content_type("application/gzip").insert_header((CONTENT_DISPOSITION, name)).streaming(pieces)
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/data", get().to(show_page)).route("/data", post().to(keep)).route("/data/export.tar.gz", get().to(export));
}
