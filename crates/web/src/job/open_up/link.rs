//! The link by which the customer says yes: made with what is proposed, shown once, called back.
use super::plan;
use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::http::origin;
use crate::http::{Failure, FormState};
use crate::job::assess::assess;
use crate::job::frame::ScreenRequest;
use crate::job::{JobContext, ScreenData, Sent};
use crate::ui::show;
use crate::ui::times;
use crate::ui::words::describe;
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, web};
use uuid::Uuid;
use velvet_dial_core::field;
use velvet_dial_core::opened::{self, Plan};
use velvet_dial_core::record::{in_ten, sentences};
use velvet_dial_core::stage::Stage;
use velvet_dial_store::accounts;
use velvet_dial_store::jobs::{self, Body, Link, LinkState, Proposal};

/// What a link is made with.
static LINK: Form = Form {
    name: "link",
    asks: &[
        Question::new("up_to", "Up to", "in money", Kind::NumberOrNone(&field::UP_TO)),
        Question::new("days", "Valid for", "days", Kind::Number(&field::LINK_DAYS)),
        Question::new("words", "In your own words", "what can wait, what you advise", Kind::Lines(600)),
    ],
};
/// What was made goes with the answer and never with an address: nobody can have another site's link shown here.
const MADE: &str = "made";
const USUAL_DAYS: &str = "3";

/// The links of a job, and the form for a new one.
pub struct LinkWork {
    pub fields: Vec<Field>,
    /// Just made: shown this once.
    pub address: Option<String>,
    /// The same as a code for a camera.
    pub code: Option<String>,
    /// A message with it, as an address carries it.
    pub message: String,
    pub links: Vec<Row>,
    /// Questions that nobody answered yet.
    pub questions: Vec<OpenQuestion>,
    /// Questions by a link, and what the customer said before their newest word.
    pub said: Vec<String>,
}

/// A link.
pub struct Row {
    pub id: String,
    pub says: String,
    pub open: bool,
}

/// Lays it out.
pub fn work(data: &ScreenData, links: &[Link], plan: &Plan) -> LinkWork {
    let form_state = &data.frame.form_state;
    let mut fields = LINK.draw(form_state, data.frame.unit, |_| Vec::new());
    if form_state.form != LINK.name {
        for field in &mut fields {
            field.value = match field.name {
                "up_to" => plan::up_to(plan).map(|up_to| format!("{up_to:.0}")).unwrap_or_default(),
                "days" => USUAL_DAYS.to_owned(),
                _ => String::new(),
            };
        }
    }
    let zone = &data.assessed.job.zone;
    let row = |link: &Link| {
        let until = show::moment(link.expires_at, zone);
        let stands = match link.state {
            LinkState::Open => format!("valid until {until}, opened {}", times(link.looks as usize)),
            LinkState::Answered => "answered".to_owned(),
            LinkState::Expired => format!("expired {until}"),
            LinkState::Revoked => "ended".to_owned(),
        };
        Row {
            id: link.id.to_string(),
            says: format!("{}, {}: {stands}", link.made_by, show::moment(link.made_at, zone)),
            open: link.state == LinkState::Open,
        }
    };
    let said = data.assessed.job.live().filter(|entry| matches!(entry.body, Body::Customer { .. }));
    LinkWork {
        fields,
        code: Some(form_state.typed(MADE, "address")).filter(|address| !address.is_empty()).and_then(velvet_dial_report::code),
        message: show::query_escape(&format!(
            "About your vehicle {}: please look at our proposal and tell us what you want. {}",
            data.assessed.job.head.vehicle.tag,
            form_state.typed(MADE, "address")
        )),
        address: Some(form_state.typed(MADE, "address").to_owned()).filter(|address| !address.is_empty()),
        links: links.iter().map(row).collect(),
        questions: open_questions(data),
        said: said.map(|entry| format!("{} ({})", describe(&entry.body, data.frame.unit), show::moment(entry.written_at, zone))).collect(),
    }
}

/// The shop's answer to a question of the customer.
static REPLY: Form = Form {
    name: "reply",
    asks: &[
        Question::new(
            "words",
            "Your answer",
            "the customer reads it on the page of their link",
            Kind::Needed(500, "empty; write your answer."),
        ),
        Question::new("question", "", "", Kind::Hidden),
    ],
};

/// A question without an answer, with the form for one.
pub struct OpenQuestion {
    pub question: String,
    pub fields: Vec<Field>,
}

fn open_questions(data: &ScreenData) -> Vec<OpenQuestion> {
    let form_state = &data.frame.form_state;
    let unanswered = jobs::questions(&data.assessed.job).into_iter().filter(|asked| asked.answer.is_empty());
    let one = |asked: jobs::CustomerQuestion| {
        let id = asked.entry.to_string();
        let mut state = if form_state.typed(REPLY.name, "question") == id { form_state.clone() } else { FormState::of(REPLY.name) };
        state.keep("question", &id);
        OpenQuestion { question: asked.question, fields: REPLY.draw(&state, data.frame.unit, |_| Vec::new()) }
    };
    // One at a time, the oldest first.
    unanswered.take(1).map(one).collect()
}

/// Writes the answer.
pub async fn reply(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&REPLY, &form, context.preferences.unit);
    let (words, question) = (typed.text("words"), typed.raw("question").to_owned());
    let job = context.job().await?;
    let Some(asked) = jobs::questions(&job).into_iter().find(|asked| asked.entry.to_string() == question) else {
        return Err(Failure::Form("this question is not one of the job".to_owned()));
    };
    if !typed.form_state.is_clean() {
        typed.form_state.keep("question", &question);
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    context.write(Stage::OpenUp, sent, Body::Replied { question: asked.entry, words }, "link/reply", typed.fields()).await
}

/// What is told to the customer, a sentence each.
fn says(plan: &Plan, record: &[String], complaint: &str, words: &str) -> Vec<String> {
    let mut says = vec![format!("It came in for: “{complaint}”.")];
    says.extend(record.iter().cloned());
    for opening in plan.openings.iter().filter(|opening| !opening.done) {
        says.push(format!("To be certain, we have to open the engine: {}.", opening.step.label().to_lowercase()));
    }
    for cost in &plan.costs {
        says.push(format!(
            "If it is {} (chance {}){}: about {}, {:.0} with parts.",
            cost.cause.name.to_lowercase(),
            in_ten(cost.probability),
            cost.second.map_or_else(String::new, |second| format!(", with what mostly comes with it, {}", second.name.to_lowercase())),
            show::minutes(cost.all_minutes),
            cost.all_money
        ));
    }
    if !plan.openings.is_empty() {
        says.push(format!("If we open it, look and close it again without a repair: about {:.0}.", plan.stop_money()));
    }
    if !words.is_empty() {
        says.push(words.to_owned());
    }
    says
}

/// Makes a link and shows it.
pub async fn make(context: JobContext, request: HttpRequest, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&LINK, &form, context.preferences.unit);
    let (up_to, days, words) = (typed.number("up_to"), typed.number("days"), typed.text("words"));
    let seen = sent.seen();
    if !typed.form_state.is_clean() {
        return context
            .answer(
                Stage::OpenUp,
                ScreenRequest { seen, form_state: typed.form_state, ..ScreenRequest::default() },
                StatusCode::UNPROCESSABLE_ENTITY,
            )
            .await;
    }
    let shop = accounts::shop(&context.app.db, &context.viewer).await?;
    let assessed = assess(context.app.clone(), context.job().await?, None).await?;
    let (plan, plain, head, shop) = context
        .app
        .work
        .out(move || {
            let plan = opened::plan(&assessed.case, &assessed.now, shop.labour_rate);
            (plan, sentences(&assessed.case, &assessed.now, &[], None, None), assessed.job.head.clone(), shop)
        })
        .await?;
    let proposal = Proposal {
        shop: shop.name,
        vehicle: [head.vehicle.tag.as_str(), head.vehicle.description.as_str()]
            .into_iter()
            .filter(|said| !said.is_empty())
            .collect::<Vec<_>>()
            .join(", "),
        says: says(&plan, &plain, &head.complaint, &words),
        up_to,
        money: shop.money.unwrap_or_default(),
    };
    let token =
        jobs::make_link(&context.app.db, &context.viewer, context.number, &proposal, days.unwrap_or_default().round() as i64).await?;
    let shop = origin(&request, &context.app);
    let mut form_state = FormState::of(MADE);
    form_state.keep("address", &format!("{shop}/yes/{token}"));
    context.answer(Stage::OpenUp, ScreenRequest { seen, form_state, ..ScreenRequest::default() }, StatusCode::OK).await
}

/// Calls a link back.
pub async fn revoke(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let id =
        form.get("link").and_then(|id| Uuid::parse_str(id).ok()).ok_or_else(|| Failure::Form("a link that does not exist".to_owned()))?;
    jobs::revoke_link(&context.app.db, &context.viewer, context.number, id).await?;
    let seen = Sent::of(&form).seen();
    context.answer(Stage::OpenUp, ScreenRequest { seen, ..ScreenRequest::default() }, StatusCode::OK).await
}
