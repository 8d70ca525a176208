//! The paper that a revision was typed from: a scan or a photo of its page.
use super::{Editing, page};
use crate::http::photo::{Received, is_large, received, shown};
use crate::http::{Failure, SignedIn};
use crate::state::App;
use crate::ui::DisplayPreferences;
use actix_multipart::Multipart;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_store::library;

/// Keeps a page with its revision.
pub async fn add(
    app: web::Data<App>,
    who: SignedIn,
    preferences: DisplayPreferences,
    path: web::Path<Uuid>,
    sent: Multipart,
) -> Result<HttpResponse, Failure> {
    let Received { photo, .. } = received(&app, sent).await?;
    match photo {
        Ok(photo) => {
            library::add_page(&app.db, &who.0, *path, &photo).await?;
            Ok(HttpResponse::SeeOther().insert_header(("location", "/library")).finish())
        }
        Err(error) => {
            let editing = Editing { paper: Some((*path, error.to_string())), ..Editing::default() };
            page(&app, &who.0, preferences, editing, StatusCode::UNPROCESSABLE_ENTITY).await
        }
    }
}

/// A page, small or large.
pub async fn show(app: web::Data<App>, who: SignedIn, path: web::Path<(Uuid, String)>) -> Result<HttpResponse, Failure> {
    Ok(shown(library::page(&app.db, &who.0, path.0, is_large(&path.1)?).await?))
}
