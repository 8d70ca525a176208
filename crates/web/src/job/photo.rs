//! Photos of a job, kept with what they show.
use crate::http::Failure;
use crate::http::photo::{Received, is_large, received, shown};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent};
use actix_multipart::Multipart;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, get, post};
use uuid::Uuid;
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Body, Shown};

/// Letters of what is typed beside it.
const MOST_WORDS: usize = 120;

/// Keeps a photo, and writes what it shows.
pub async fn add(context: JobContext, sent: Multipart) -> Result<HttpResponse, Failure> {
    let Received { fields, photo, .. } = received(&context.app, sent).await?;
    let text = |name: &str| fields.get(name).map_or("", String::as_str);
    let stage = Stage::parse(text("stage")).unwrap_or(Stage::Look);
    let of = knowledge().check(text("of")).map(|check| check.id.clone()).unwrap_or_default();
    let photo = match photo {
        Ok(photo) => photo,
        Err(error) => {
            let mut ask = ScreenRequest { seen: Sent::of(&fields).seen(), ..ScreenRequest::default() };
            ask.form_state = crate::http::FormState::of("photo");
            ask.form_state.keep("of", &of);
            ask.form_state.wrong("photo", error.to_string());
            return context.answer(stage, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
        }
    };
    let id = jobs::add_photo(&context.app.db, &context.viewer, context.number, &photo).await?;
    let words: String = text("words").trim().chars().filter(|letter| !letter.is_control()).take(MOST_WORDS).collect();
    let again = vec![("of".to_owned(), of.clone()), ("stage".to_owned(), stage.id().to_owned())];
    context.write(stage, Sent::of(&fields), Body::Photo(Shown { photo: id, of, words }), "photos", again).await
}

/// A photo, small or large.
pub async fn show(context: JobContext, path: web::Path<(i64, Uuid, String)>) -> Result<HttpResponse, Failure> {
    Ok(shown(jobs::photo(&context.app.db, &context.viewer, context.number, path.1, is_large(&path.2)?).await?))
}

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/photos", post().to(add)).route("/jobs/{number}/photos/{id}/{size}", get().to(show));
}
