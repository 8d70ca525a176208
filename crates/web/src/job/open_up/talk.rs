//! Stop and talk: a finding that does not fit what the customer said yes to, what it costs either way, and their answer, without which nothing is put right.
use crate::http::Failure;
use crate::http::FormState;
use crate::http::form::{self, FieldView as Field, Form, Kind, Question, Read};
use crate::job::assess::{Assessed, assess};
use crate::job::frame::ScreenRequest;
use crate::job::guard::Waits;
use crate::job::{JobContext, Sent, opening};
use crate::ui::show;
use crate::ui::words::describe;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use velvet_dial_core::opened::{self, UnexpectedFinding, unexpected_findings};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::{Approval, Body, Job};

/// Who said what.
static TALK: Form = Form {
    name: "talk",
    asks: &[
        Question::new("about", "", "", Kind::Hidden),
        Question::new("who", "Who was asked", "", Kind::Needed(80, "nobody named yet: who was asked?")),
        Question::new("words", "What was said", "by phone, up to what", Kind::Text(160)),
    ],
};

/// What stops the job.
pub struct Talk {
    pub key: String,
    pub found: String,
    pub says: Vec<String>,
    pub fields: Vec<Field>,
}

/// The findings that do not fit and were not talked over.
pub fn open(assessed: &Assessed, plan: &opened::Plan) -> Vec<UnexpectedFinding> {
    let job = &assessed.job;
    let agreed = job.agreed().map(|entry| entry.written_at.and_utc());
    let talked = |key: &str| job.live().any(|entry| matches!(&entry.body, Body::Talked { about, .. } if about == key));
    let mended = job.repair().is_some() || job.closed();
    let all = if mended { Vec::new() } else { unexpected_findings(&assessed.case, &assessed.now, plan, agreed) };
    all.into_iter().filter(|surprise| !talked(&surprise.key)).collect()
}

/// The first of them as the screen shows it: one talk at a time.
pub fn work(open: &[UnexpectedFinding], form_state: &FormState, unit: Units, money: Option<&str>) -> Option<Talk> {
    let surprise = open.first()?;
    let name = |cause: &str| cause.to_lowercase();
    let mut says = vec![format!(
        "Expected was {}; this was found in {} of such jobs.",
        name(&surprise.expected.name),
        show::percent(surprise.probability)
    )];
    if surprise.expected.id != surprise.leads.id {
        says.push(format!("Now {} leads with {}.", name(&surprise.leads.name), show::percent(surprise.odds)));
        if let Some(money) = money {
            says.push(format!(
                "Going on with what leads now: about {:.0} {money}. With what was agreed alone: about {:.0}, and this stays unmended.",
                surprise.leads_money, surprise.expected_money
            ));
        }
    } else {
        says.push(format!(
            "{} still leads with {}{}. What was found may be a second fault: ask before it is mended with it.",
            surprise.leads.name,
            show::percent(surprise.odds),
            money.map(|money| format!(": about {:.0} {money}", surprise.leads_money)).unwrap_or_default()
        ));
    }
    if money.is_some() {
        says.push(format!("Closed again and nothing mended: about {:.0}.", surprise.stop_money));
    }
    let mut fields = TALK.draw(form_state, unit, |_| Vec::new());
    fields.retain(|field| field.name != "about");
    Some(Talk { key: surprise.key.clone(), found: surprise.label.clone(), says, fields })
}

/// What was talked over already, a sentence each.
pub fn talked(job: &Job, unit: Units) -> Vec<String> {
    let talked = job.live().filter(|entry| matches!(entry.body, Body::Talked { .. }));
    talked.map(|entry| format!("{} ({})", describe(&entry.body, unit), show::moment(entry.written_at, &job.zone))).collect()
}

/// What a repair of this cause waits for; none where it may go on.
pub async fn stops(context: &JobContext, cause: Option<&str>) -> Result<Option<Waits>, Failure> {
    let job = context.job().await?;
    if matches!(job.approval(), Approval::Declined { .. }) {
        return Ok(Some(Waits::Approval(opening::DECLINED.to_owned())));
    }
    let hour = context.shop_context().await?.shop.labour_rate;
    let (assessed, cause) = (assess(context.app.clone(), job, None).await?, cause.map(str::to_owned));
    let look = move || {
        let plan = opened::plan(&assessed.case, &assessed.now, hour);
        let cost = plan.costs.iter().find(|cost| cost.second.is_none() && Some(&cost.cause.id) == cause.as_ref());
        let over = cost.and_then(|cost| Some((cost.all_money, assessed.job.approval().goes_over(cost.all_money)?)));
        (open(&assessed, &plan), over)
    };
    let (open, over) = context.app.work.out(look).await?;
    if !open.is_empty() {
        return Ok(Some(Waits::Talk));
    }
    Ok(over.map(|(money, up_to)| Waits::Approval(opening::over_the_amount(money, up_to))))
}

/// The screen that asks for the talk.
pub async fn ask_to_talk(context: &JobContext, sent: Sent<'_>) -> Result<HttpResponse, Failure> {
    let mut form_state = FormState::of(TALK.name);
    form_state.wrong("who", "Talk to the customer first: what was found does not fit. Repair nothing before they know.");
    let ask = ScreenRequest { seen: sent.seen(), form_state, ..ScreenRequest::default() };
    context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await
}

/// Writes what was said.
pub async fn said(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&TALK, &form, context.preferences.unit);
    let (who, words) = (typed.text("who"), typed.text("words"));
    let about = typed.raw("about").to_owned();
    let go_on = match form.get("say").map(String::as_str) {
        Some("go_on") => true,
        Some("stop") => false,
        _ => return Err(Failure::Form("neither to go on nor to stop".to_owned())),
    };
    if about.is_empty() {
        return Err(Failure::Form("a finding that is not on the list".to_owned()));
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::OpenUp, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    let fields = typed.fields().into_iter().chain([("say".to_owned(), if go_on { "go_on" } else { "stop" }.to_owned())]).collect();
    context.write(Stage::OpenUp, sent, Body::Talked { about, go_on, who, words }, "talked", fields).await
}
