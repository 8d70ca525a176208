//! Prove: the same points again, and the close. After-readings are taken as all readings are.
use crate::http::form::{self, Choice, FieldView as Field, Form, Kind, Question, Read};
use crate::http::{Failure, FormState};
use crate::job::cards::{self, CheckCard};
use crate::job::frame::{PageFrame, ScreenRequest};
use crate::job::live::Rigs;
use crate::job::put_right::steps::{SchoolQuestion, questions_at};
use crate::job::put_right::{DebrisCard, debris_cards};
use crate::job::run::view::{self, ReadingsWork};
use crate::job::{JobContext, ScreenData, Sent, record};
use crate::state::seal_ledgers;
use crate::ui::show;
use crate::ui::words::describe;
use actix_web::HttpResponse;
use actix_web::http::StatusCode;
use actix_web::web::{self, ServiceConfig, post};
use askama::Template;
use velvet_dial_core::case::{Cranked, Phase};
use velvet_dial_core::diagnosis::{Proof, ProofWord};
use velvet_dial_core::experience::Known;
use velvet_dial_core::field;
use velvet_dial_core::knowledge::{Access, Cause, knowledge};
use velvet_dial_core::limits::Decision;
use velvet_dial_core::opened::{self, SourceIs};
use velvet_dial_core::rights::Right;
use velvet_dial_core::stage::Stage;
use velvet_dial_store::jobs::{self, Body, Closed, Closing, Entry, File, Found, Job, Write};

/// What it was, asked as it is closed.
static CLOSING: Form = Form {
    name: "closing",
    asks: &[
        Question::new("cause", "What it was", "", Kind::Choice),
        Question::new("known", "How that is known", "", Kind::Choice),
        Question::new("source", "Source of the debris mended", "", Kind::Choice),
        Question::new("without_proof", "Why without proof", "kept in the job history", Kind::Text(300)),
        Question::new("took", "It took, first bolt to proof", "minutes of work, if you know", Kind::NumberOrNone(&field::TOOK)),
    ],
};

/// Closes the job with what it was and shows its report; a job closed already stays so. What comes without the questions, as from a program, is taken as unsaid.
pub async fn close(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    // A scene is not closed and signed but handed back and marked.
    if context.at_bench {
        crate::practice::finish(&context.app, &context.viewer, context.number).await?;
        return Ok(context.to(&format!("/practice/{}", context.number)));
    }
    let mut typed = Read::of(&CLOSING, &form, context.preferences.unit);
    let (took_min, known, source) = (typed.number("took"), typed.choice("known", Known::ALL), typed.choice("source", SourceIs::ALL));
    let without_proof = typed.text("without_proof");
    let mut found = Found { took_min, known, source, without_proof, ..Found::default() };
    let cause = typed.raw("cause");
    if !cause.is_empty() && knowledge().cause(cause).is_none() {
        typed.form_state.wrong("cause", "Choose one of the causes on the list.");
    }
    found.cause = Some(cause.to_owned()).filter(|cause| !cause.is_empty());
    if found.cause.is_some() && found.known.is_none() {
        typed
            .form_state
            .wrong("known", "How is it known? Choose one. A cause that is only supposed is saved but not counted as experience.");
    }
    if form.contains_key("source") && source.is_none() {
        typed.form_state.wrong("source", "Debris was found. Is its source mended? Choose: else the vehicle comes back with the same.");
    }
    if form.contains_key("without_proof") && found.without_proof.is_empty() {
        typed.form_state.wrong("without_proof", "The repair is not proven. Say in a few words why you close the job without proof.");
    }
    if !typed.form_state.is_clean() {
        let ask = ScreenRequest { seen: sent.seen(), form_state: typed.form_state, ..ScreenRequest::default() };
        return context.answer(Stage::Prove, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    close_with(&context, sent, found, None).await
}

/// Closes the job with what it was, where it is known in full: as it was typed, or as somebody asked a foreman for it.
pub async fn close_with(context: &JobContext, sent: Sent<'_>, mut found: Found, asked_by: Option<&str>) -> Result<HttpResponse, Failure> {
    if !context.viewer.role.may_do(Right::Close) {
        let write = Write::of(Body::Closed { found }, sent.key);
        jobs::ask_foreman(&context.app.db, &context.viewer, context.number, Right::Close, &write).await?;
        return context.back_to(Stage::Prove, sent.seen()).await;
    }
    for _ in 0..TRIES {
        let job = context.job().await?;
        if let Some(closing) = job.closing() {
            // Sent twice it is the same closing. Somebody else's is told, and what was typed here is kept.
            if closing.author == context.viewer.user || matches!(&closing.body, Body::Closed { found: said } if said.same_cause(&found)) {
                break;
            }
            let when = show::moment(closing.written_at, &job.zone);
            let mut form_state = as_typed(&found);
            form_state.wrong(
                "known",
                format!(
                    "{} closed this job at {when}, and said something else. What you chose is kept here. To close it with your answer, open the job again from its report first.",
                    closing.author_name
                ),
            );
            let ask = ScreenRequest { seen: sent.seen(), form_state, ..ScreenRequest::default() };
            return context.answer(Stage::Prove, ask, StatusCode::CONFLICT).await;
        }
        let seq = job.seq();
        // An opening's minutes are learnt from jobs that opened something.
        if found.took_min.is_some() && (opened_for_it(&job) || looked_inside(&job)) {
            found.planned_min = planned(&job, &found);
        }
        let record = record::of(context, job, found.known).await?;
        let keys = context.app.serving.keys.as_deref();
        let record = record::closing(&context.app.db, &context.viewer, keys, record, chrono::Utc::now()).await?;
        let closing = Closing { submit_key: sent.key, seq, record: &record, found: found.clone(), at: None, asked_by };
        if jobs::close(&context.app.db, &context.viewer, context.number, &closing).await? == Closed::Stands {
            break;
        }
    }
    context.app.forget_shop_context(&context.viewer);
    seal_ledgers(&context.app.db, context.app.serving.keys.as_deref()).await;
    let job = context.job().await?;
    Ok(context.to(&if job.closed() {
        format!("/jobs/{}/report", context.number)
    } else {
        format!("/jobs/{}/{}", context.number, Stage::Prove.id())
    }))
}

/// The form as it was filled in.
fn as_typed(found: &Found) -> FormState {
    let mut form_state = FormState::of(CLOSING.name);
    form_state.keep("cause", found.cause.as_deref().unwrap_or_default());
    form_state.keep("known", found.known.map(|known| known.id()).unwrap_or_default());
    form_state.keep("source", found.source.map(|source| source.id()).unwrap_or_default());
    form_state.keep("without_proof", &found.without_proof);
    form_state.keep("took", &found.took_min.map(show::plain).unwrap_or_default());
    form_state
}

/// Minutes that the card's own times would have planned for what it was.
fn planned(job: &Job, found: &Found) -> Option<f64> {
    let know = knowledge();
    let cause = know.causes.get(know.cause(found.cause.as_deref()?)?)?;
    Some(opened::minutes_of(&job.engine.card, cause))
}

/// What a crank showed, after the repair or after it was closed again to go on tracing.
pub async fn cranked(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Prove);
    let said = form.get("outcome").map_or("", String::as_str);
    let outcome = Cranked::ALL.iter().find(|(_, id, _)| *id == said).map(|(outcome, ..)| *outcome);
    let outcome = outcome.ok_or_else(|| Failure::Form("a crank that showed what none can".to_owned()))?;
    let fields = vec![("outcome".to_owned(), outcome.id().to_owned())];
    context.write(stage, Sent::of(&form), Body::Cranked { outcome }, "cranked", fields).await
}

/// Oil was filled to the mark, and the level checked.
pub async fn filled(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let stage = Stage::parse(form.get("stage").map_or("", String::as_str)).unwrap_or(Stage::Look);
    context.write(stage, Sent::of(&form), Body::Filled {}, "filled", Vec::new()).await
}

/// Times the record is made anew because somebody writes meanwhile.
const TRIES: usize = 5;

/// Its addresses.
pub fn routes(config: &mut ServiceConfig) {
    config
        .route("/jobs/{number}/close", post().to(close))
        .route("/jobs/{number}/cranked", post().to(cranked))
        .route("/jobs/{number}/filled", post().to(filled));
}

/// How far it is proven, as a shape.
pub fn shape(word: &ProofWord) -> &'static str {
    match word {
        ProofWord::Proven => "within",
        ProofWord::InPart => "undecided",
        ProofWord::NotProven | ProofWord::Worse => "below",
    }
}

#[derive(Template)]
#[template(path = "job/prove/prove.html")]
struct Surface<'a> {
    frame: &'a PageFrame,
    work: ReadingsWork,
    /// It was opened and closed again: it is cranked before it is started.
    crank_first: bool,
    cranked: Option<String>,
    /// What is looked at again beside the gauge, once something was repaired.
    recheck: Vec<CheckCard>,
    closing: Vec<Field>,
    /// Debris that was found: its source is mended before the job is closed.
    debris: Vec<DebrisCard>,
    /// Where mechanics differ on what proves it.
    questions: Vec<SchoolQuestion>,
}

/// Draws the screen of the readings after a repair.
pub fn draw(data: &ScreenData, recordings: &(Vec<File>, Rigs)) -> askama::Result<String> {
    let work = view::work(data, recordings, true);
    let cranked = cranked_since(&data.assessed.job);
    let debris = debris_cards(data);
    let read = data.assessed.case.readings.iter().any(|reading| reading.phase == Phase::After);
    Surface {
        frame: data.frame,
        crank_first: opened_for_it(&data.assessed.job) && cranked.is_none_or(showed_none) && !read && !data.assessed.job.closed(),
        recheck: if data.assessed.job.repair().is_some() && !data.assessed.job.closed() {
            cards::recheck(data.assessed, data.frame.unit)
        } else {
            Vec::new()
        },
        cranked: cranked.map(|entry| describe(&entry.body, data.frame.unit)),
        closing: closing(data, work.proof.as_ref(), &debris),
        debris,
        questions: questions_at(Stage::Prove, &data.shop_context.shop.ways),
        work,
    }
    .render()
}

/// What was put right last needed an opening.
fn opened_for_it(job: &Job) -> bool {
    let repair = job.repair().and_then(|repair| repair.cause.as_deref()).and_then(opened::repair_of);
    repair.is_some_and(|repair| repair.access(&job.engine.card) != Access::Outside)
}

/// Something behind an opening was looked at.
fn looked_inside(job: &Job) -> bool {
    let inside = |check: &str| knowledge().opens(check, &job.engine.card);
    job.live().any(|entry| matches!(&entry.body, Body::Evidence { check, .. } if inside(check)))
}

/// It is cranked once more before it is started.
fn showed_none(crank: &Entry) -> bool {
    matches!(crank.body, Body::Cranked { outcome: Cranked::None })
}

/// The crank since it was put right last.
fn cranked_since(job: &Job) -> Option<&Entry> {
    let repaired = job.live().filter(|entry| matches!(entry.body, Body::Repair(_))).last()?.seq;
    job.live().filter(|entry| entry.seq > repaired && matches!(entry.body, Body::Cranked { .. })).last()
}

/// The questions of the closing; what was put right stands in them, and that the pressure came back where it did.
fn closing(data: &ScreenData, proof: Option<&Proof>, debris: &[DebrisCard]) -> Vec<Field> {
    let (assessed, form_state) = (data.assessed, &data.frame.form_state);
    let none = Choice { id: String::new(), label: "not on the list, or not known".to_owned() };
    let of = |(cause, _): (&Cause, String)| Choice { id: cause.id.clone(), label: cause.name.clone() };
    let causes = || assessed.to_choose().into_iter().map(of).chain([none.clone()]).collect();
    let choose = Choice { id: String::new(), label: "choose".to_owned() };
    let mut fields = CLOSING.draw(form_state, data.frame.unit, |name| match name {
        "cause" => causes(),
        "source" => std::iter::once(choose.clone()).chain(Choice::all(SourceIs::ALL)).collect(),
        _ => std::iter::once(choose.clone()).chain(Choice::all(Known::ALL)).collect(),
    });
    // Nobody is asked for the source of what was not found.
    fields.retain(|field| field.name != "source" || !debris.is_empty());
    // Nobody is asked for a reason where it is proven, and where nothing had to be.
    let open = proof.is_none_or(|proof| matches!(proof.word, ProofWord::NotProven | ProofWord::Worse));
    let wanted = assessed.job.repair().is_some() || assessed.now.verdict.overall != Decision::Within;
    fields.retain(|field| field.name != "without_proof" || (open && wanted));
    if form_state.form != CLOSING.name {
        let repaired = assessed.job.repair().and_then(|repair| repair.cause.clone());
        let back = repaired.is_some() && proof.is_some_and(|proof| matches!(proof.word, ProofWord::Proven | ProofWord::InPart));
        for field in &mut fields {
            match field.name {
                "cause" => field.value = repaired.clone().unwrap_or_default(),
                "known" if back => Known::CameBack.id().clone_into(&mut field.value),
                "source" if debris.iter().all(|found| found.mended) => SourceIs::Mended.id().clone_into(&mut field.value),
                _ => {}
            }
        }
    }
    fields
}
