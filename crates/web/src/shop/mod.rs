//! The shop's own pages, outside any job.
mod audit;
mod board;
mod calculators;
mod data;
mod figures;
mod first_day;
mod gauges;
mod help;
mod learnt;
mod library;
mod notices;
mod opening;
mod people;
mod programs;
mod rigs;
mod settings;
mod thread;
mod ways;

use actix_web::web::ServiceConfig;

/// Addresses of all of them.
pub fn routes(config: &mut ServiceConfig) {
    config
        .configure(board::routes)
        .configure(notices::routes)
        .configure(opening::routes)
        .configure(library::routes)
        .configure(learnt::routes)
        .configure(figures::routes)
        .configure(thread::routes)
        .configure(ways::routes)
        .configure(calculators::routes)
        .configure(rigs::routes)
        .configure(gauges::routes)
        .configure(settings::routes)
        .configure(data::routes)
        .configure(people::routes)
        .configure(programs::routes)
        .configure(first_day::routes)
        .configure(audit::routes)
        .configure(help::routes);
}
