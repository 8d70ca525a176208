//! Why a suspect stands where it stands: in words, then in figures, and the facts on which it may be struck out.
use crate::http::Failure;
use crate::job::JobContext;
use crate::job::assess::{Assessed, assess};
use crate::job::frame::known;
use crate::ui::show;
use crate::ui::words::{fact_name, factor_words, reading_name};
use actix_web::{HttpResponse, web};
use askama::Template;
use uuid::Uuid;
use velvet_dial_core::diagnosis::{Reason, reasons};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::unit::{Units, first_upper};
use velvet_dial_store::jobs::Body;

/// Something that speaks for or against it.
pub struct Says {
    pub sentence: String,
    pub reason: String,
    pub class: &'static str,
}

/// The same in figures.
pub struct Figure {
    pub what: String,
    pub factor: String,
    pub log_odds: String,
}

#[derive(Template)]
#[template(path = "job/trace/why.html")]
pub struct Why {
    number: i64,
    key: Uuid,
    seen: i32,
    closed: bool,
    cause: &'static str,
    shape: &'static str,
    before: String,
    says: Vec<Says>,
    figures: Vec<Figure>,
    /// The facts it may be struck out on: key and words, what speaks most against it first.
    facts: Vec<(String, String)>,
    struck: bool,
}

/// Log-odds under which a thing is not told in words: one and a half to one.
const NOTHING: f64 = 0.405;
/// Things told in words.
const TOLD: usize = 5;

/// Of a cause.
pub async fn fragment(context: JobContext, path: web::Path<(i64, String)>) -> Result<HttpResponse, Failure> {
    let index = knowledge().cause(&path.1).ok_or(Failure::NoPage)?;
    let assessed = assess(context.app.clone(), context.job().await?, None).await?;
    let unit = context.preferences.unit;
    let why = context.app.work.out(move || why(&assessed, index, unit)).await?.ok_or(Failure::NoPage)?;
    Ok(HttpResponse::Ok().content_type("text/html; charset=utf-8").body(why.render()?))
}

fn why(assessed: &Assessed, index: usize, unit: Units) -> Option<Why> {
    let know = knowledge();
    let cause = know.causes.get(index)?;
    let told = reasons(&assessed.case, &assessed.tracer, &assessed.now, index);
    let alone = told.iter().any(|reason| reason.reading.is_some());
    let prior = assessed.now.priors.get(index).copied().unwrap_or(0.0);
    let words = told.iter().filter(|reason| reason.log_odds.abs() >= NOTHING);
    // Of the readings one by one only what says most: together they are told already.
    let says = words.take(TOLD).map(|reason| Says {
        sentence: sentence(assessed, reason, unit),
        reason: if reason.key == "readings" && reason.reading.is_some() {
            String::new()
        } else {
            reason.why.trim_end_matches('.').to_owned()
        },
        class: if reason.log_odds > 0.0 { "is-within" } else { "is-below" },
    });
    let figure = |reason: &Reason| Figure {
        what: name(assessed, reason, unit),
        factor: if reason.log_odds.abs() < 0.005 { "no change".to_owned() } else { factor(reason.log_odds) },
        log_odds: format!("{:+.2}", reason.log_odds),
    };
    let mut against: Vec<&Reason> = told.iter().filter(|reason| reason.reading.is_none() && !reason.key.starts_with("struck")).collect();
    against.sort_by(|a, b| a.log_odds.total_cmp(&b.log_odds));
    Some(Why {
        number: assessed.job.head.number,
        key: Uuid::new_v4(),
        seen: assessed.job.seq(),
        closed: assessed.job.closed(),
        cause: &cause.id,
        shape: cause.shape.trim_end_matches('.'),
        before: before(assessed, index, prior, &cause.reason),
        says: says.collect(),
        figures: told.iter().filter(|reason| !(alone && reason.reading.is_some() && reason.log_odds.abs() < 0.005)).map(figure).collect(),
        facts: against.into_iter().map(|reason| (reason.key.clone(), fact_name(&reason.key))).collect(),
        struck: assessed.job.live().any(|entry| matches!(&entry.body, Body::Struck { cause: struck, .. } if *struck == cause.id)),
    })
}

/// What it was held for before anything was found, and what raised that.
fn before(assessed: &Assessed, index: usize, prior: f64, reason: &str) -> String {
    let raised = known(assessed, index).map(|known| {
        format!(" A known pattern of this engine's family makes it {} times as likely ({}).", show::plain(known.times), known.source)
    });
    format!("Before anything was found: {} of such jobs. {reason}{}", show::percent(prior), raised.unwrap_or_default())
}

fn name(assessed: &Assessed, reason: &Reason, unit: Units) -> String {
    let reading = reason.reading.and_then(|place| assessed.case.readings.get(place));
    reading.map_or_else(|| reason.label.clone(), |reading| format!("of these, {}", reading_name(reading, &assessed.case.engine, unit)))
}

/// “The cold reading at idle alone speaks against it, twelve to one”
fn sentence(assessed: &Assessed, reason: &Reason, unit: Units) -> String {
    let side = if reason.log_odds > 0.0 { "for" } else { "against" };
    let odds = factor_words(reason.log_odds.abs().exp());
    match reason.reading.and_then(|place| assessed.case.readings.get(place)) {
        Some(reading) => {
            format!("{} alone speaks {side} it: {odds}", first_upper(&reading_name(reading, &assessed.case.engine, unit)))
        }
        None if reason.key == "readings" => format!("The readings together speak {side} it: {odds}"),
        None => format!("“{}” speaks {side} it: {odds}", reason.label),
    }
}

/// “× 12 for”.
fn factor(log_odds: f64) -> String {
    let factor = log_odds.abs().exp();
    let told = if factor >= 1000.0 {
        "over 1000".to_owned()
    } else if factor >= 10.0 {
        format!("{factor:.0}")
    } else {
        format!("{factor:.1}")
    };
    format!("× {told} {}", if log_odds > 0.0 { "for" } else { "against" })
}
