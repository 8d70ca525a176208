//! The door for other programs: JSON over HTTP under `/api/v1`, for tokens that the shop's owner makes.
//!
//! A handler here loads, checks and writes as a person's does, by the same guard and the same job history, and answers with data. What a program hears when something is
//! refused is in `problem`, what goes over the line in `shapes`, and `operations` is the one table that routes, lets through and describes.
mod answer;
mod caller;
mod captures;
mod deliver;
mod entries;
mod events;
mod jobs;
mod library;
mod openapi;
mod operations;
mod practice;
mod problem;
mod shapes;

use crate::http::Failure;
use actix_web::error::QueryPayloadError;
use actix_web::web::{self, PathConfig, PayloadConfig, QueryConfig, ServiceConfig};
pub use deliver::deliver;
pub use openapi::document;
use operations::{BASE, OPERATIONS, streams};
use problem::ApiFailure;

/// What is sent as JSON holds some sheets at most.
const MOST_BYTES: usize = 512 << 10;

/// What is wrong with the part of an address behind its question mark.
fn asked_wrongly(error: &QueryPayloadError) -> String {
    let said = error.to_string();
    said.trim_start_matches("Query deserialize error: ").to_owned()
}

/// Addresses of all of it.
pub fn routes(config: &mut ServiceConfig) {
    let unknown = |_| ApiFailure::from(Failure::NoPage);
    let mut scope = web::scope(BASE)
        .app_data(PayloadConfig::new(MOST_BYTES))
        .app_data(PathConfig::default().error_handler(move |error, _| unknown(error.to_string()).into()))
        .app_data(QueryConfig::default().error_handler(|error, _| ApiFailure::at("query", asked_wrongly(&error)).into()));
    for operation in &OPERATIONS {
        scope = scope.route(operation.path, (operation.route)());
    }
    for (path, route) in streams() {
        scope = scope.route(path, route());
    }
    let nowhere = || async { Err::<&'static str, _>(ApiFailure::from(Failure::NoPage)) };
    config.service(scope.default_service(web::to(nowhere)));
}
