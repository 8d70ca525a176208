//! What a person decides on the trace: a cause is struck out, an order is chosen, a part is said to be always it.
use crate::http::Failure;
use crate::http::form;
use crate::job::{JobContext, Sent};
use actix_web::{HttpResponse, web};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::Strategy;
use velvet_dial_store::jobs::Body;

fn owned(fields: &[(&str, &str)]) -> Vec<(String, String)> {
    fields.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
}

fn said<'a>(form: &'a form::Sent, name: &str) -> &'a str {
    form.get(name).map_or("", String::as_str)
}

/// Strikes a cause out; only on a fact that is among the findings.
pub async fn strike(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let (cause, because) = (said(&form, "cause"), said(&form, "because"));
    if knowledge().cause(cause).is_none() || because.is_empty() {
        return Err(Failure::Form("a cause and the fact that speaks against it".to_owned()));
    }
    let body = Body::Struck { cause: cause.to_owned(), because: because.to_owned() };
    context.write(Stage::Trace, Sent::of(&form), body, "strike", owned(&[("cause", cause), ("because", because)])).await
}

/// Chooses the strategy.
pub async fn order(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let order = said(&form, "order");
    if !Strategy::ALL.iter().any(|(_, id, _)| *id == order) {
        return Err(Failure::Form("this strategy is not on the list".to_owned()));
    }
    context.write(Stage::Trace, Sent::of(&form), Body::Order { order: order.to_owned() }, "order", owned(&[("order", order)])).await
}

/// Says which part it always is, or that it is none.
pub async fn pattern(context: JobContext, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let cause = said(&form, "cause");
    if !cause.is_empty() && knowledge().cause(cause).is_none() {
        return Err(Failure::Form("a cause of the list".to_owned()));
    }
    let body = Body::Pattern { cause: Some(cause.to_owned()).filter(|cause| !cause.is_empty()) };
    context.write(Stage::Trace, Sent::of(&form), body, "pattern", owned(&[("cause", cause)])).await
}
