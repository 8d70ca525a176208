//! Which program asks, whether its token opens what it asks for, and how often it may ask.
use super::operations;
use super::problem::ApiFailure;
use crate::http::Failure;
use crate::job::JobContext;
use crate::state::App;
use crate::ui::DisplayPreferences;
use actix_web::dev::Payload;
use actix_web::http::header::AUTHORIZATION;
use actix_web::{FromRequest, HttpRequest, web};
use std::future::Future;
use std::pin::Pin;
use velvet_dial_core::unit::Units;
use velvet_dial_store::jobs;
use velvet_dial_store::programs::{self, Caller};

/// A program whose token opens what it asks for; a handler that takes one cannot be called by any other.
pub struct Called {
    pub app: web::Data<App>,
    pub caller: Caller,
}

impl FromRequest for Called {
    type Error = ApiFailure;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiFailure>>>>;

    fn from_request(request: &HttpRequest, _: &mut Payload) -> Self::Future {
        let header = request.headers().get(AUTHORIZATION).and_then(|value| value.to_str().ok());
        let token = header.and_then(|text| text.split_once(' ')).filter(|(scheme, _)| scheme.eq_ignore_ascii_case("bearer"));
        let token = token.map(|(_, token)| token.trim().to_owned());
        let app = request.app_data::<web::Data<App>>().cloned();
        let scope = operations::scope_of(request.method(), request.match_pattern().as_deref().unwrap_or_default());
        Box::pin(async move {
            let app = app.ok_or(Failure::NoPage)?;
            let token = token.ok_or(ApiFailure::Token)?;
            let caller = programs::caller(&app.db, &token, app.serving.demo).await?.ok_or(ApiFailure::Token)?;
            app.rates.count(caller.program.id).map_err(|wait_s| ApiFailure::TooOften { wait_s })?;
            match scope {
                // What is not in the table of operations nobody may ask for.
                None => Err(Failure::NoPage.into()),
                Some(Some(scope)) if !caller.may(scope) => Err(ApiFailure::Scope(scope)),
                Some(_) => Ok(Self { app, caller }),
            }
        })
    }
}

/// The same at a job that it has to do with.
pub struct CalledAtJob {
    pub context: JobContext,
    pub caller: Caller,
}

impl FromRequest for CalledAtJob {
    type Error = ApiFailure;
    type Future = Pin<Box<dyn Future<Output = Result<Self, ApiFailure>>>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let called = Called::from_request(request, payload);
        let number = request.match_info().get("number").and_then(|number| number.parse().ok());
        Box::pin(async move {
            let Called { app, caller } = called.await?;
            let number = number.ok_or(Failure::NoPage)?;
            if let Some(user) = caller.opened_by()
                && jobs::opened_by(&app.db, &caller.viewer, number).await? != user
            {
                return Err(Failure::NoPage.into());
            }
            let preferences = DisplayPreferences { unit: Units::default(), night: false, fragment: false, tablet: false };
            let context = JobContext { app, viewer: caller.viewer.clone(), preferences, number, at_bench: false };
            Ok(Self { context, caller })
        })
    }
}
