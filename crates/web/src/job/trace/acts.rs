//! What a person decides on the trace: a cause is struck out, an order is chosen, a part is said to be always it, the customer says yes.
use crate::http::Failure;
use crate::http::form::{self, Ask, Form, Kind, Read};
use crate::job::shell::Ask as Asked;
use crate::job::{Desk, Sent};
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, web};
use velvet_dial_core::stage::Stage;
use velvet_dial_core::trace::Order;
use velvet_dial_core::trace::knowledge::knowledge;
use velvet_dial_store::jobs::Body;

/// Who said yes, and how.
pub static AGREED: Form = Form {
    name: "agreed",
    asks: &[
        Ask::new("who", "Who said yes", "", Kind::Text(80)),
        Ask::new("how", "How, and up to what", "by phone, up to 400", Kind::Lines(160)),
        Ask::new("unasked", "nobody was asked: open it all the same, for the reason above", "", Kind::Tick),
    ],
};

fn owned(fields: &[(&str, &str)]) -> Vec<(String, String)> {
    fields.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
}

fn said<'a>(form: &'a form::Sent, name: &str) -> &'a str {
    form.get(name).map_or("", String::as_str)
}

/// Strikes a cause out; only on a fact that is among the findings.
pub async fn strike(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let (cause, because) = (said(&form, "cause"), said(&form, "because"));
    if knowledge().cause(cause).is_none() || because.is_empty() {
        return Err(Failure::Form("a cause and the fact that speaks against it".to_owned()));
    }
    let body = Body::Struck { cause: cause.to_owned(), because: because.to_owned() };
    desk.write(Stage::Trace, Sent::of(&form), body, "strike", owned(&[("cause", cause), ("because", because)])).await
}

/// Chooses by which school the next step comes.
pub async fn order(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let order = said(&form, "order");
    if !Order::ALL.iter().any(|(_, id, _)| *id == order) {
        return Err(Failure::Form("an order that is none of the four".to_owned()));
    }
    desk.write(Stage::Trace, Sent::of(&form), Body::Order { order: order.to_owned() }, "order", owned(&[("order", order)])).await
}

/// Says which part it always is, or that it is none.
pub async fn pattern(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let cause = said(&form, "cause");
    if !cause.is_empty() && knowledge().cause(cause).is_none() {
        return Err(Failure::Form("a cause of the list".to_owned()));
    }
    let body = Body::Pattern { cause: Some(cause.to_owned()).filter(|cause| !cause.is_empty()) };
    desk.write(Stage::Trace, Sent::of(&form), body, "pattern", owned(&[("cause", cause)])).await
}

/// Takes down the customer's yes, or why it is opened without.
pub async fn agreed(desk: Desk, form: web::Form<form::Sent>) -> Result<HttpResponse, Failure> {
    let sent = Sent::of(&form);
    let mut typed = Read::of(&AGREED, &form, desk.liking.unit);
    let (mut who, how, unasked) = (typed.text("who"), typed.text("how"), typed.ticked("unasked"));
    if unasked && how.is_empty() {
        typed.slip.wrong("how", "Why is it opened without a yes? Say it here; it stays in the ledger.");
    }
    if !unasked && who.is_empty() && typed.slip.is_clean() {
        typed.slip.wrong("who", "Nobody named yet: who said yes?");
    }
    if unasked {
        who.clear();
    }
    if !typed.slip.is_clean() {
        let ask = Asked { seen: sent.seen(), slip: typed.slip, ..Asked::default() };
        return desk.answer(Stage::Trace, ask, StatusCode::UNPROCESSABLE_ENTITY).await;
    }
    desk.write(Stage::Trace, sent, Body::Agreed { who, how, unasked }, "agreed", typed.fields()).await
}
