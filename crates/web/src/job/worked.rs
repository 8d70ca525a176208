//! Keeps in the job what a calculator made of what was typed; it is worked out here once more, so that what is kept is what the core says.
use crate::http::{Failure, form};
use crate::job::{JobContext, Sent};
use actix_web::HttpResponse;
use actix_web::web::{self, ServiceConfig, post};
use velvet_dial_core::calculator::Calculator;
use velvet_dial_core::calculator::asked;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs::Body;

/// Lines of an answer that are kept.
const MOST: usize = 6;
/// Letters of it, and bytes of what was typed.
const MOST_TOLD: usize = 400;
const MOST_TYPED: usize = 8192;

/// Writes it down.
pub async fn keep(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let said = |name: &str| form.get(name).map_or("", String::as_str);
    let calculator = Calculator::named(said("calculator")).ok_or(Failure::NoPage)?;
    let typed = said("typed").to_owned();
    if typed.len() > MOST_TYPED {
        return Err(Failure::Form("more figures than a calculator takes".to_owned()));
    }
    let answer = calculator.run(&typed).map_err(|error| Failure::Form(error.words(context.preferences.unit)))?;
    let lines: Vec<String> = asked::told(&answer, Units::default())
        .into_iter()
        .take(MOST)
        .map(|line| format!("{} {}", line.label.to_lowercase(), line.text))
        .collect();
    let title = calculator.answers.split([':', ',']).next().unwrap_or(calculator.name);
    let told: String = format!("{title}: {}", lines.join("; ")).chars().take(MOST_TOLD).collect();
    let body = Body::Worked { calculator: calculator.name.to_owned(), typed, told };
    context.write(Stage::Trace, Sent::of(&form), body, "worked", Vec::new()).await
}

/// Its address.
pub fn routes(config: &mut ServiceConfig) {
    config.route("/jobs/{number}/worked", post().to(keep));
}
