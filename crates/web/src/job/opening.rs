//! The customer's approval: it is taken down before the engine is opened, or why it is opened without; what is found behind an opening waits for it.
use crate::http::Failure;
use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, ScreenData, Sent};
use crate::ui::show;
use crate::ui::words::describe;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use velvet_dial_core::field;
use velvet_dial_core::knowledge::{Check, knowledge};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{Approval, Body, Job};

/// What is said where it is missing.
pub const YES_FIRST: &str = "Get the customer's approval first. Write it down here, or say why the engine is opened without it.";

/// Who said yes, how, and up to what.
pub static AGREED: Form = Form {
    name: "agreed",
    asks: &[
        Question::new("who", "Who approved", "", Kind::Text(80)),
        Question::new("how", "How", "by phone, in the shop", Kind::Text(160)),
        Question::new("up_to", "Up to", "in money", Kind::NumberOrNone(&field::UP_TO)),
        Question::new("unasked", "nobody was asked: open it all the same, for the reason above", "", Kind::Tick),
    ],
};

/// The yes as a screen shows it.
pub struct Yes {
    /// What was said, once it was.
    pub said: Option<String>,
    /// The customer said no: the vehicle is closed again.
    pub declined: bool,
    /// The work would cost more than was approved.
    pub over: Option<String>,
    /// The approval's entry, to take its place.
    pub entry: String,
    /// A yes, or the want of one, is still to be taken down.
    pub asks: bool,
    pub fields: Vec<Field>,
}

/// What is said where something is done although the customer declined.
pub const DECLINED: &str = "The customer said no. Close up what is open and close the job, or write down their new approval first.";

/// The customer's newest word, by whom and when it was written down.
pub fn said(data: &ScreenData) -> Option<String> {
    let job = &data.assessed.job;
    let entry = match job.approval() {
        Approval::None => return None,
        Approval::Approved { entry, .. } | Approval::Unasked { entry } | Approval::Declined { entry } => entry,
    };
    let when = show::moment(entry.written_at, &job.zone);
    Some(format!("{}, written down by {}, {when}", describe(&entry.body, data.frame.unit), entry.author_name))
}

/// The approval of a job, and the form for it. `up_to` is what the work would cost.
pub fn yes(data: &ScreenData, up_to: Option<f64>) -> Yes {
    let (job, unit) = (&data.assessed.job, data.frame.unit);
    let approval = job.approval();
    let mut fields = AGREED.draw(&data.frame.form_state, unit, |_| Vec::new());
    if data.frame.sees_money
        && data.frame.form_state.form != AGREED.name
        && let (Some(field), Some(up_to)) = (fields.iter_mut().find(|field| field.name == "up_to"), up_to)
    {
        field.value = format!("{up_to:.0}");
    }
    let over = up_to.and_then(|money| Some((money, approval.goes_over(money)?)));
    Yes {
        said: said(data),
        entry: job.agreed().map(|entry| entry.id.to_string()).unwrap_or_default(),
        declined: matches!(approval, Approval::Declined { .. }),
        over: over.map(|(money, up_to)| match data.frame.sees_money {
            true => over_the_amount(money, up_to),
            false => OVER.to_owned(),
        }),
        asks: !job.closed() && (over.is_some() || !matches!(approval, Approval::Approved { .. })),
        fields,
    }
}

/// The same for those who may not see prices.
const OVER: &str = "The work would cost more than the customer approved. Ask a foreman to talk to them, then write down the new approval.";

/// What is said where the work costs more than was approved.
pub fn over_the_amount(money: f64, up_to: f64) -> String {
    format!(
        "The work would cost about {money:.0}, and the customer approved up to {up_to:.0}. Ask them again, then write down the new approval."
    )
}

/// True while a check may not be answered: it opens the engine, nobody said yes to that, and it was not open before.
pub fn waits_for_yes(job: &Job, check: &Check) -> bool {
    check.opens(&job.engine.card) && !may_be_open(job)
}

/// Somebody said yes to opening it, or it was open before.
pub fn may_be_open(job: &Job) -> bool {
    let said = |body: &Body| match body {
        Body::Agreed { .. } | Body::Journal { .. } | Body::Measured { .. } => true,
        Body::Evidence { check, .. } => knowledge().opens(check, &job.engine.card),
        _ => false,
    };
    job.live().any(|entry| said(&entry.body))
}

/// The screen with the form for the yes, where what was sent waits for it; none where it does not.
pub async fn refused(context: &JobContext, sent: Sent<'_>, why: &str) -> Result<HttpResponse, Failure> {
    let mut form_state = crate::http::FormState::of(AGREED.name);
    form_state.wrong("who", why);
    context
        .answer(
            Stage::OpenUp,
            ScreenRequest { seen: sent.seen(), form_state, ..ScreenRequest::default() },
            StatusCode::UNPROCESSABLE_ENTITY,
        )
        .await
}

/// Takes down the customer's yes, or why it is opened without.
async fn take(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&AGREED, &form, context.preferences.unit);
    let (mut who, how, unasked) = (typed.text("who"), typed.text("how"), typed.ticked("unasked"));
    let up_to = typed.number("up_to").filter(|_| !unasked);
    if unasked && how.is_empty() {
        typed.form_state.wrong("how", "Why is it opened without approval? Write it here; it stays in the job history.");
    }
    if !unasked && who.is_empty() && typed.form_state.is_clean() {
        typed.form_state.wrong("who", "Nobody named yet: who approved?");
    }
    if unasked {
        who.clear();
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    context.write(Stage::OpenUp, sent, Body::Agreed { who, how, unasked, up_to }, "agreed", typed.fields()).await
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/agreed", post().to(take));
}
