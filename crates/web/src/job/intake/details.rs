//! Plate, vehicle, complaint and engine, corrected after the job was opened. Everything is judged by the new engine from then on.
use crate::http::form::{self, Choice, FieldView as Field, Form, Kind, Question, Read};
use crate::http::{Failure, FormState};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, ScreenData, Sent};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{Body, Job, JobDetails};
use velvet_dial_store::library;

static FORM: Form = Form {
    name: "details",
    asks: &[
        Question::new("tag", "Plate or fleet number", "as on the vehicle", Kind::Needed(40, "empty; for example “FORK 5”.")),
        Question::new("description", "Vehicle", "in a few words", Kind::Text(200)),
        Question::new("engine", "Engine", "", Kind::Choice),
        Question::new("complaint", "Complaint", "what was seen, and when", Kind::Needed(300, "empty; for example “Lamp once it is warm”.")),
    ],
};

/// The form as the page shows it.
pub struct DetailsForm {
    pub fields: Vec<Field>,
    /// What a change would supersede.
    pub supersedes: String,
    /// It was refused: it stays open.
    pub open: bool,
}

/// Lays it out.
pub fn laid_out(data: &ScreenData, engines: &[(Uuid, String)]) -> DetailsForm {
    let job = &data.assessed.job;
    let open = data.frame.form_state.form == FORM.name;
    let form_state = if open { data.frame.form_state.clone() } else { filled(job) };
    let choice = |(id, name): &(Uuid, String)| Choice { id: id.to_string(), label: name.clone() };
    let engines = || engines.iter().map(choice).collect();
    let live = job.live().find(|entry| matches!(entry.body, Body::JobDetails(_)));
    DetailsForm {
        fields: FORM.draw(&form_state, data.frame.unit, |_| engines()),
        supersedes: live.map(|entry| entry.id.to_string()).unwrap_or_default(),
        open,
    }
}

fn filled(job: &Job) -> FormState {
    let mut form_state = FormState::of(FORM.name);
    form_state.keep("tag", &job.head.vehicle.tag);
    form_state.keep("description", &job.head.vehicle.description);
    form_state.keep("engine", &job.head.engine.to_string());
    form_state.keep("complaint", &job.head.complaint);
    form_state
}

/// Writes the correction.
pub async fn change(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let (tag, description, complaint) = (typed.text("tag"), typed.text("description"), typed.text("complaint"));
    let engines = library::engine_names(&context.app.db, &context.viewer).await?;
    let engine = engines.into_iter().find(|engine| engine.id.to_string() == typed.raw("engine"));
    if engine.is_none() {
        typed.form_state.wrong("engine", "Engine: choose one of the list.");
    }
    match engine {
        Some(engine) if typed.form_state.is_clean() => {
            let details = JobDetails { tag, description, complaint, engine: engine.id, engine_name: engine.name };
            context.write(Stage::Intake, sent, Body::JobDetails(details), "details", typed.fields()).await
        }
        _ => {
            let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
            context.answer(Stage::Intake, ask, StatusCode::UNPROCESSABLE_ENTITY).await
        }
    }
}
