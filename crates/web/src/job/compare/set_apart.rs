//! Readings that are not believed: why, what to take again, and one that a person sets apart or takes back.
use crate::http::Failure;
use crate::http::form::{self, Form, Kind, Question, Read};
use crate::job::assess::Assessed;
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, Sent};
use crate::ui::show;
use crate::ui::words::reading_name;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{Body, TakenReading};

/// A reading, believed or not.
pub struct Apart {
    pub entry: String,
    pub name: String,
    /// Why it does not count; empty while it does.
    pub why: String,
    /// What to take again.
    pub again: &'static str,
    /// A person set it apart, and may take that back.
    pub by_hand: bool,
}

/// Why.
static FORM: Form =
    Form { name: "apart", asks: &[Question::new("why", "Why", "", Kind::Text(200)), Question::new("entry", "", "", Kind::Hidden)] };

/// Every reading with what is thought of it, those that do not count first.
pub fn apart(assessed: &Assessed, unit: Units) -> Vec<Apart> {
    let mut all: Vec<Apart> = assessed
        .case
        .readings
        .iter()
        .zip(assessed.job.reading_entries())
        .enumerate()
        .map(|(place, (reading, entry))| {
            let told = assessed.now.not_believed.iter().find(|told| told.reading == place);
            let by_hand = reading.set_aside.clone();
            let gauge = reading.instrument.as_deref().map(|name| format!(", on “{name}”")).unwrap_or_default();
            Apart {
                entry: entry.id.to_string(),
                name: format!(
                    "{}{gauge}, {}",
                    reading_name(reading, &assessed.case.engine, unit),
                    show::moment(entry.written_at, &assessed.job.zone)
                ),
                by_hand: by_hand.is_some(),
                again: told.map_or(if by_hand.is_some() { "Take the same point again." } else { "" }, |told| told.again),
                why: by_hand.or_else(|| told.map(|told| told.why.clone())).unwrap_or_default(),
            }
        })
        .collect();
    all.sort_by_key(|one| one.why.is_empty());
    all
}

/// Sets a reading apart with a reason, or lets it count again without one.
pub async fn set_apart(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let job = context.job().await?;
    let mut sent = Sent::of(&form);
    let mut typed = Read::of(&FORM, &form, context.preferences.unit);
    let why = typed.text("why");
    let entry = typed.raw("entry");
    if sent.supersedes.is_empty() {
        sent.supersedes = entry;
    }
    let back = form.contains_key("back");
    if why.is_empty() && !back {
        typed.form_state.wrong("why", "Say in a few words why it is ignored. It stays readable with that reason.");
    }
    let taken = job.reading_entries().find(|live| live.id.to_string() == entry);
    let Some(Body::Reading(taken)) = taken.map(|live| &live.body) else {
        return context.answer(Stage::Compare, ScreenRequest { seen: sent.seen(), ..ScreenRequest::default() }, StatusCode::CONFLICT).await;
    };
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::Compare, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let mut reading = taken.reading.clone();
    reading.set_aside = Some(why).filter(|why| !why.is_empty() && !back);
    let body = Body::Reading(TakenReading { reading, ..taken.clone() });
    context.write(Stage::Compare, sent, body, "apart", typed.fields()).await
}
